using Kumiko.Tests.Shared;

namespace Kumiko.Bench.Store;

/// <summary>Kills a working server many times and tells whether anything acknowledged was ever lost.</summary>
internal static class Killed
{
    /// <summary>A new folder every so many kills, so that each stays quick to look through.</summary>
    private const int RoundsOfFolder = 20;

    public static async Task Measure(int kills)
    {
        var (wrong, acknowledged) = (0, 0L);
        for (var first = 0; first < kills; first += RoundsOfFolder)
        {
            var data = Directory.CreateTempSubdirectory("kumiko-bench-").FullName;
            var rounds = new KillRounds(data, seed: first);
            for (var round = 0; round < Math.Min(RoundsOfFolder, kills - first); round++)
            {
                var found = await rounds.Round(round);
                if (found.Count == 0)
                    continue;
                wrong++;
                foreach (var sentence in found.Take(5))
                    Console.Error.WriteLine($"{first + round}: {sentence}");
            }
            acknowledged += rounds.Acknowledged;
            Console.Error.WriteLine(
                $"{Math.Min(kills, first + RoundsOfFolder)} kills, {acknowledged} records acknowledged, {wrong} times something was wrong"
            );
            Directory.Delete(data, true);
        }
        Console.WriteLine(
            $"| kill -9 while taking, sealing, merging and dropping | {kills} times |\n|---|---|\n| records acknowledged | {acknowledged} |\n| kills after which something was lost, double or damaged | {wrong} |\n"
        );
    }
}
