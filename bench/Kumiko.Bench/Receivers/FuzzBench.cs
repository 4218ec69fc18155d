using Kumiko.Tests.Shared;

namespace Kumiko.Bench.Receivers;

/// <summary>Broken input without end for every decoder: none may fall, and memory stays bounded.</summary>
internal static class FuzzBench
{
    public static void Measure(int inputs)
    {
        Console.WriteLine($"| decoder, {inputs} broken inputs | exceptions | memory kept afterwards, MB |\n|---|---|---|");
        var only = Environment.GetEnvironmentVariable("ONLY") ?? "";
        foreach (
            var (name, decode, good) in DecoderFuzz.Decoders.Where(d => d.Name.Contains(only, StringComparison.OrdinalIgnoreCase))
        )
        {
            var (fuzz, fell) = (new DecoderFuzz(inputs), 0);
            for (var i = 0; i < inputs; i++)
            {
                var input = fuzz.Next(good);
                try
                {
                    decode(input);
                }
                catch (Exception e)
                {
                    if (fell++ < 3)
                        Console.Error.WriteLine(
                            $"{name}: {e.GetType().Name} {e.Message}\n{Convert.ToHexString(input)}\n{e.StackTrace}"
                        );
                }
            }
            Console.WriteLine($"| {name} | {fell} | {GC.GetTotalMemory(forceFullCollection: true) >> 20} |");
        }
        Console.WriteLine();
    }
}
