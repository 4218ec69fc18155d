using System.Diagnostics;
using Kumiko.Core.Intake;
using Kumiko.Core.Storage;

namespace Kumiko.Bench.Store;

/// <summary>The store by itself, in one process: how fast it takes records in and seals them, in how much memory and disk.</summary>
internal static class StoreBench
{
    public static async Task Measure(long records, string folder)
    {
        Directory.CreateDirectory(folder);
        var log = new FerryLog(400_000);
        Console.WriteLine($"# Store: {records} records, {log.MeanBytes:0} bytes each as NDJSON, {Environment.ProcessorCount} processors, {DateTime.UtcNow:yyyy-MM-dd}\n");
        using var store = new RecordStore(Path.Combine(folder, "records.db"), TimeProvider.System);
        var intake = new NdjsonIntake(store, TimeProvider.System);
        var started = Stopwatch.GetTimestamp();
        var cpu = Process.GetCurrentProcess().TotalProcessorTime;
        var taken = 0L;
        var told = 0L;
        foreach (var (lines, count) in log.Batches(records))
        {
            await intake.Take(new MemoryStream(lines), "quay", null, long.MaxValue, null, CancellationToken.None);
            taken += count;
            if (taken - told < records / 10) continue;
            told = taken;
            var seconds = Stopwatch.GetElapsedTime(started).TotalSeconds;
            Console.Error.WriteLine($"{taken} in {seconds:0.0} s, {taken / seconds:0} a second, {Process.GetCurrentProcess().WorkingSet64 >> 20} MB, {store.Recent.Bytes >> 20} MB recent, heap {GC.GetTotalMemory(false) >> 20} MB, gen2 {GC.CollectionCount(2)}, cpu {(Process.GetCurrentProcess().TotalProcessorTime - cpu).TotalSeconds:0.0} s");
        }
        var parsed = Stopwatch.GetElapsedTime(started).TotalSeconds;
        await store.Upkeep.SealAll();
        var total = Stopwatch.GetElapsedTime(started).TotalSeconds;
        Console.WriteLine($"committed {taken / parsed:0}/s, committed and sealed {taken / total:0}/s, notices {string.Join("; ", store.Notices)}");
        using var snapshot = store.Current;
        var segments = snapshot.Segments.Select(s => s.Segment).ToList();
        Console.WriteLine($"{segments.Count} segments, {segments.Sum(s => s.Bytes) / (taken * log.MeanBytes):0.000} of raw, templates {store.Templates.All.Count()}, file {new FileInfo(Path.Combine(folder, "records.db")).Length >> 20} MB");
    }
}
