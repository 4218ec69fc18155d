using System.Diagnostics;
using Kumiko.Bench;

// Measures what docs/performance.md tells, all in one run on one machine: read the ratios, not the milliseconds.
if (args is ["kill", ..])
{
    await Kumiko.Bench.Store.Killed.Measure(
        args.Length > 1 ? int.Parse(args[1], System.Globalization.CultureInfo.InvariantCulture) : 200
    );
    return;
}
if (args is ["receivers", ..])
{
    await Kumiko.Bench.Receivers.ReceiverBench.Measure(
        args.Length > 1 ? long.Parse(args[1], System.Globalization.CultureInfo.InvariantCulture) : 2_000_000
    );
    return;
}
if (args is ["flat", ..])
{
    await Kumiko.Bench.Receivers.ReceiverBench.Flat(
        args.Length > 1 ? long.Parse(args[1], System.Globalization.CultureInfo.InvariantCulture) : 20_000_000
    );
    return;
}
if (args is ["attack", ..])
{
    await Kumiko.Bench.Attack.AttackBench.Measure(
        args.Length > 1 ? long.Parse(args[1], System.Globalization.CultureInfo.InvariantCulture) : 1_000_000
    );
    return;
}
if (args is ["fuzz", ..])
{
    Kumiko.Bench.Receivers.FuzzBench.Measure(
        args.Length > 1 ? int.Parse(args[1], System.Globalization.CultureInfo.InvariantCulture) : 1_000_000
    );
    return;
}
if (args is ["patterns", ..])
{
    Kumiko.Bench.Patterns.Accuracy.Measure(args[1..]);
    return;
}
if (args is ["parts"])
{
    Kumiko.Bench.Store.Parts.Measure();
    return;
}
if (args is ["queries", ..])
{
    await Kumiko.Bench.Store.Queries.Measure(
        args.Length > 1 ? long.Parse(args[1], System.Globalization.CultureInfo.InvariantCulture) : 5_000_000
    );
    return;
}
if (args is ["search", ..])
{
    await Search.Measure(
        args.Length > 1 ? long.Parse(args[1], System.Globalization.CultureInfo.InvariantCulture) : 10_000_000,
        args.Length > 2 ? args[2] : null
    );
    return;
}
if (args is ["worlds", ..])
{
    var seeds = args is [_, "--seeds", var number] ? int.Parse(number, System.Globalization.CultureInfo.InvariantCulture) : 2;
    await Kumiko.Bench.Worlds.Measure(seeds);
    return;
}
if (args is ["charts"])
{
    await Kumiko.Bench.Charts.Measure();
    return;
}
if (args is ["files", ..])
{
    await Kumiko.Bench.Files.Measure(
        args.Length > 1 ? int.Parse(args[1], System.Globalization.CultureInfo.InvariantCulture) : 1_000_000
    );
    return;
}
if (args is ["spans", ..])
{
    await Kumiko.Bench.Spans.SpanBench.Measure(
        args.Length > 1 ? long.Parse(args[1], System.Globalization.CultureInfo.InvariantCulture) : 10_000_000
    );
    return;
}
if (args is ["exports", ..])
{
    await Kumiko.Bench.Store.Exports.Measure(
        args.Length > 1 ? long.Parse(args[1], System.Globalization.CultureInfo.InvariantCulture) : 10_000_000,
        args.Length > 2 ? long.Parse(args[2], System.Globalization.CultureInfo.InvariantCulture) : 3_000_000
    );
    return;
}
if (args is ["rules"])
{
    await Kumiko.Bench.Rules.Measure();
    return;
}
if (args is ["metrics"])
{
    await Kumiko.Bench.Store.MetricsBench.Measure();
    return;
}
if (args is ["parse"])
{
    Kumiko.Bench.Store.ParseBench.Measure();
    return;
}
if (args is ["compare", var folder])
{
    await Kumiko.Bench.Store.Queries.CompareKept(folder);
    return;
}
if (args is ["alone", var kept])
{
    await Kumiko.Bench.Store.Queries.Alone(kept, "kept");
    return;
}
if (args is ["ingest", ..])
{
    await Kumiko.Bench.Store.StoreBench.Ingest(
        args.Length > 1 ? long.Parse(args[1], System.Globalization.CultureInfo.InvariantCulture) : 5_000_000
    );
    return;
}
if (args is ["scale", ..])
{
    await Report.Written("bench scale", () =>
        Kumiko.Bench.Store.Scale.Measure(
            args.Length > 1 ? long.Parse(args[1], System.Globalization.CultureInfo.InvariantCulture) : 20_000_000
        )
    );
    return;
}
if (args is ["export", var stored])
{
    await Kumiko.Bench.Store.Scale.Export(stored);
    return;
}
if (args is ["store", ..])
{
    await Report.Written("bench store", () =>
        Kumiko.Bench.Store.StoreBench.Measure(
            args.Length > 1 ? long.Parse(args[1], System.Globalization.CultureInfo.InvariantCulture) : 5_000_000
        )
    );
    return;
}
var records = args.Length > 0 ? int.Parse(args[0], System.Globalization.CultureInfo.InvariantCulture) : 500_000;
Console.WriteLine($"# {records} records of Skerry Line, {Environment.ProcessorCount} processors, {DateTime.UtcNow:yyyy-MM-dd}\n");
await StartUp.Measure();
await using var world = await World.Build(records);
await Intake.Measure(world);
await Pages.Measure(world);

namespace Kumiko.Bench
{
    /// <summary>Times of repeated work.</summary>
    internal static class Repeated
    {
        public static async Task<(double Median, double P95)> Milliseconds(int times, Func<Task> work)
        {
            await work();
            var taken = new double[times];
            for (var i = 0; i < times; i++)
            {
                var started = Stopwatch.GetTimestamp();
                await work();
                taken[i] = Stopwatch.GetElapsedTime(started).TotalMilliseconds;
            }
            Array.Sort(taken);
            return (taken[times / 2], taken[(int)Math.Ceiling(times * 0.95) - 1]);
        }
    }
}
