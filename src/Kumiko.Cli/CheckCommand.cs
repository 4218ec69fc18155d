using System.Net.Http.Json;
using Kumiko.Charts;
using Kumiko.Core.Storage.Upkeep;

namespace Kumiko.Cli;

/// <summary>Verifies a data folder: by itself, or through the server that works in it.</summary>
public static class CheckCommand
{
    /// <returns>0 for a sound folder, 1 for a damaged one or none.</returns>
    public static async Task<int> Do(string data, CancellationToken cancel)
    {
        if (!Directory.Exists(data))
        {
            Console.Error.WriteLine($"There is no folder {data}.");
            return 1;
        }
        using var access = DataAccess.Open(data);
        if (access is null)
            return 1;
        CheckReport report;
        if (access.Folder is { } folder)
        {
            if (!File.Exists(folder.Records))
            {
                Console.Error.WriteLine($"{data} holds no records.");
                return 1;
            }
            report = StoreCheck
                .Run(folder.Records, new Counter(), cancel)
                .With(File.Exists(folder.Kept) ? AppDatabaseCheck.Run(folder.Kept) : []);
        }
        else
        {
            using var answer = await access.Server!.PostAsync("/control/check", null, cancel);
            answer.EnsureSuccessStatusCode();
            report = (await answer.Content.ReadFromJsonAsync<CheckReport>(cancel))!;
        }
        foreach (var problem in report.Problems)
            Console.WriteLine(problem);
        Console.WriteLine(
            $"{Format.Count(report.Records, "record", "records")} in {Format.Count(report.Segments, "segment", "segments")} and {Format.Count(report.Batches, "batch", "batches")}: "
                + (report.IsSound ? "all sound" : Format.Count(report.Problems.Count, "problem", "problems"))
        );
        return report.IsSound ? 0 : 1;
    }

    /// <summary>Says every hundred segments how far it is.</summary>
    private sealed class Counter : IProgress<int>
    {
        public void Report(int value)
        {
            if (value % 100 == 0 && !Console.IsErrorRedirected)
                Console.Error.Write($"\r{Format.Number(value)} segments");
        }
    }
}
