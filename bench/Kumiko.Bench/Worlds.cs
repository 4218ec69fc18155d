using System.Diagnostics;
using System.Globalization;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Metrics;
using Kumiko.Core.Storage.Spans;
using Kumiko.Worlds;
using Kumiko.Worlds.Disturbances;
using Kumiko.Worlds.Flow;
using Kumiko.Worlds.Signals;
using Kumiko.Worlds.Topologies;
using Kumiko.Worlds.Truth;

namespace Kumiko.Bench;

/// <summary>Worlds of each topology, for some seeds: how fast fourteen days of them are made, and the truth of a disturbance of
/// each kind.</summary>
internal static class Worlds
{
    private const int Days = 14;

    /// <summary>Requests next to what a topology says, and minutes from one sample of a host to the next: what fourteen days in
    /// 20 s allow.</summary>
    private const double Scale = 0.4;
    private const int HostStep = 10;

    public static async Task Measure(int seeds)
    {
        Console.WriteLine($"# Worlds: {Days} days, {Environment.ProcessorCount} processors, {DateTime.UtcNow:yyyy-MM-dd}\n");
        Console.WriteLine("| world | seed | records | spans kept | samples | seconds |\n|---|---|---|---|---|---|");
        var from = new DateTimeOffset(2026, 11, 2, 0, 0, 0, TimeSpan.Zero);
        foreach (var name in TopologyFile.Names)
            for (var seed = 1; seed <= seeds; seed++)
                await Written(name, seed, from);
        Console.WriteLine("\n| world | seed | disturbance | where | affected, in order | symptom | paged after | back after |");
        Console.WriteLine("|---|---|---|---|---|---|---|---|");
        foreach (var name in TopologyFile.Names)
            for (var seed = 1; seed <= seeds; seed++)
                foreach (var (kind, make) in Kinds.All)
                    Told(name, seed, kind, make, from.AddDays(3));
    }

    private static async Task Written(string name, int seed, DateTimeOffset from)
    {
        var folder = Directory.CreateTempSubdirectory("kumiko-bench-worlds-").FullName;
        try
        {
            var world = new Simulation(TopologyFile.Named(name), seed, Scale) { EndOfHistory = from.AddDays(Days) };
            using var records = new RecordStore(
                Path.Combine(folder, "records.db"),
                TimeProvider.System,
                new RecordStoreOptions(Retention.None)
            );
            using var metrics = new MetricStore(records, TimeProvider.System);
            var (taken, kept) = (0L, 0L);
            metrics.Committed += b => taken += b.Items;
            records.SpansCommitted += (_, b) => kept += b.Count;
            var started = Stopwatch.GetTimestamp();
            await WorldFolder.Write(
                world,
                from,
                from.AddDays(Days),
                [],
                new Sampler(2),
                HostStep,
                records,
                new SpanStore(records),
                metrics
            );
            var seconds = Stopwatch.GetElapsedTime(started).TotalSeconds.ToString("0.0", CultureInfo.InvariantCulture);
            Console.WriteLine($"| {name} | {seed} | {records.Count} | {kept} | {taken} | {seconds} |");
        }
        finally
        {
            Directory.Delete(folder, true);
        }
    }

    private static string Only(IReadOnlyList<string> hosts) => hosts.Count > 0 ? $" ({string.Join(", ", hosts)})" : "";

    private static void Told(string name, int seed, string kind, Func<Topology, Chance, Disturbance?> make, DateTimeOffset day)
    {
        var topology = TopologyFile.Named(name);
        var chance = Chance.Of(seed, name + kind);
        if (make(topology, chance) is not { } disturbance)
            return;
        var start = day.AddMinutes(Math.Round((8 + (10 * chance.Unit(50))) * 60));
        var play = new Play(disturbance, start, start.AddMinutes(70), 1);
        var truth = new Teller(new Simulation(topology, seed)).Of(play, start.AddDays(1));
        var affected = truth.Affected.Select(a => $"{a.Service}{Only(a.Hosts)} +{(a.Onset - start).TotalMinutes:0} {a.Signs[0]}");
        Console.WriteLine(
            $"| {name} | {seed} | {kind} | {disturbance.Service} | {string.Join("; ", affected)} | {truth.Symptom ?? "none"} | "
                + $"{(truth.Paged is { } p ? $"{(p - start).TotalMinutes:0} min" : "never")} | "
                + $"{(truth.Back is { } b ? $"{(b - play.End!.Value).TotalMinutes:0} min" : "not within what was seen")} |"
        );
    }
}
