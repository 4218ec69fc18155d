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
        using var batches = log.Batches(records).GetEnumerator();
        await Task.WhenAll(Feed(), Feed());
        var parsed = Stopwatch.GetElapsedTime(started).TotalSeconds;
        await store.Upkeep.SealAll();
        var total = Stopwatch.GetElapsedTime(started).TotalSeconds;
        Console.WriteLine($"committed {taken / parsed:0}/s, committed and sealed {taken / total:0}/s, notices {string.Join("; ", store.Notices)}");
        using var snapshot = store.Current;
        var segments = snapshot.Segments.Select(s => s.Segment).ToList();
        Console.WriteLine($"{segments.Count} segments, {segments.Sum(s => s.Bytes) / (taken * log.MeanBytes):0.000} of raw, templates {store.Templates.All.Count()}, file {new FileInfo(Path.Combine(folder, "records.db")).Length >> 20} MB");

        // Two senders, as one alone waits for each of its commits.
        Task Feed() => Task.Run(async () =>
        {
            while (Next() is { } batch)
            {
                await intake.Take(new MemoryStream(batch.Lines), "quay", null, long.MaxValue, null, CancellationToken.None);
                Told(Interlocked.Add(ref taken, batch.Records));
            }
        });

        (byte[] Lines, int Records)? Next()
        {
            lock (batches) return batches.MoveNext() ? batches.Current : null;
        }

        void Told(long now)
        {
            if (now - Interlocked.Read(ref told) < records / 10) return;
            told = now;
            var seconds = Stopwatch.GetElapsedTime(started).TotalSeconds;
            Console.Error.WriteLine($"{now} in {seconds:0.0} s, {now / seconds:0} a second, {Process.GetCurrentProcess().WorkingSet64 >> 20} MB, {store.Recent.Bytes >> 20} MB recent, heap {GC.GetTotalMemory(false) >> 20} MB, gen0/1/2 {GC.CollectionCount(0)}/{GC.CollectionCount(1)}/{GC.CollectionCount(2)}, paused {GC.GetTotalPauseDuration().TotalSeconds:0.0} s, cpu {(Process.GetCurrentProcess().TotalProcessorTime - cpu).TotalSeconds:0.0} s");
        }
    }
}
