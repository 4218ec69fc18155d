using System.Diagnostics;
using Kumiko.Core.Frames;
using Kumiko.Core.Intake;
using Kumiko.Core.Intake.Files;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;

namespace Kumiko.Bench.Store;

/// <summary>The store by itself, in one process: how fast it takes records in and seals them, in how much memory and disk, beside
/// a row table.</summary>
internal static class StoreBench
{
    private const int RowTableRecords = 300_000;
    private static readonly Window Ever = new(long.MinValue, long.MaxValue);

    public static async Task Measure(long records)
    {
        var folder = Directory.CreateTempSubdirectory("kumiko-bench-").FullName;
        var path = Path.Combine(folder, "records.db");
        try
        {
            var log = new FerryLog(400_000);
            Console.WriteLine(
                $"# Store: {records} records, {log.MeanBytes:0} bytes each as NDJSON, {Environment.ProcessorCount} processors, {DateTime.UtcNow:yyyy-MM-dd}\n"
            );
            var rows = await Fill(path, log, records);
            using (var yardsticks = Yardsticks.Make(folder, log, records))
                await Queries.Compare(path, yardsticks, "hot");
            await Merged(path, log, records, rows.Bytes);
            await Queries.Alone(path, "merged");
            ParseBench.Measure();
            await Opened(path);
            await Exported(path, log);
        }
        finally
        {
            Directory.Delete(folder, true);
        }
    }

    /// <summary>Taking in alone.</summary>
    public static async Task Ingest(long records)
    {
        var folder = Directory.CreateTempSubdirectory("kumiko-bench-").FullName;
        try
        {
            await Fill(Path.Combine(folder, "records.db"), new FerryLog(400_000), records);
        }
        finally
        {
            Directory.Delete(folder, true);
        }
    }

    /// <returns>What a row each takes.</returns>
    private static async Task<(double Rate, double Bytes)> Fill(string path, FerryLog log, long records)
    {
        var rows = FullTextRows.Measure(log, RowTableRecords);
        Console.WriteLine("| taking records in: parsed, committed, durable | records/s | ratio |\n|---|---|---|");
        Console.WriteLine($"| a row each in SQLite with FTS5, batches of 10 000 | {rows.Rate:0} | 1 |");
        using var store = new RecordStore(path, TimeProvider.System);
        var memory = new List<(long Records, long Bytes)>();
        var started = Stopwatch.GetTimestamp();
        await Feed(store, log, records, taken =>
        {
            if (memory.Count >= taken * 5 / records)
                return;
            using var process = Process.GetCurrentProcess();
            memory.Add((taken, process.WorkingSet64));
            Console.Error.WriteLine(
                $"{taken} in {Stopwatch.GetElapsedTime(started).TotalSeconds:0.0} s, {process.WorkingSet64 >> 20} MB, {store.Recent.Bytes >> 20} MB recent, collections {GC.CollectionCount(0)}/{GC.CollectionCount(1)}/{GC.CollectionCount(2)}, paused {GC.GetTotalPauseDuration().TotalSeconds:0.0} s"
            );
        });
        await store.Upkeep.SealAll();
        var rate = records / Stopwatch.GetElapsedTime(started).TotalSeconds;
        Console.WriteLine($"| segments, two senders, sealed as well | {rate:0} | {rate / rows.Rate:0.0} |\n");
        Console.WriteLine("| memory of the process while it takes records in | MB |\n|---|---|");
        foreach (var (at, bytes) in memory)
            Console.WriteLine($"| after {at} records | {bytes >> 20} |");
        var seen = await Visible(store, FerryLog.TimeOf(records));
        Console.WriteLine(
            $"\n| from sending a record to a query that finds it, all records in the store | ms |\n|---|---|\n| median | {seen.Median:0.0} |\n| p95 | {seen.P95:0.0} |\n"
        );
        foreach (var notice in store.Notices)
            Console.WriteLine("Notice: " + notice);
        return rows;
    }

    /// <summary>Sends all with two senders, as one alone waits for each of its commits.</summary>
    internal static async Task Feed(RecordStore store, FerryLog log, long records, Action<long> told, int recordsPerSecond = 300)
    {
        var intake = new LineIntake(store, TimeProvider.System);
        using var batches = log.Batches(records, recordsPerSecond).GetEnumerator();
        var taken = 0L;
        await Task.WhenAll(Sender(), Sender());

        Task Sender() =>
            Task.Run(async () =>
            {
                while (Next() is { } batch)
                {
                    await intake.Take(new MemoryStream(batch.Lines), new LineWish("quay"), CancellationToken.None);
                    lock (batches)
                        told(taken += batch.Records);
                }
            });

        (byte[] Lines, int Records)? Next()
        {
            lock (batches)
                return batches.MoveNext() ? batches.Current : null;
        }
    }

    /// <param name="after">Behind all others, and not far behind: questions are asked over all the time there is.</param>
    private static async Task<(double Median, double P95)> Visible(RecordStore store, DateTime after)
    {
        var intake = new LineIntake(store, TimeProvider.System);
        var n = 0;
        return await Repeated.Milliseconds(60, async () =>
        {
            var body = $"seen {++n}";
            var at = after.AddSeconds(n);
            await intake.Take(
                new MemoryStream(System.Text.Encoding.UTF8.GetBytes($"{{\"time\":\"{at:O}\",\"body\":\"{body}\"}}")),
                new LineWish("quay"),
                CancellationToken.None
            );
            using var snapshot = store.Current;
            if (
                snapshot.NewestFirst(Ever, BatchTest.Of(r => r.Body == body), null, CancellationToken.None).FirstOrDefault()
                is null
            )
                throw new InvalidOperationException("It was not there.");
        });
    }

    private static async Task Merged(string path, FerryLog log, long records, double rowBytes)
    {
        var raw = records * log.MeanBytes;
        using var store = new RecordStore(path, TimeProvider.System, RecordStoreOptions.Default with { Background = false });
        var hot = Bytes(store, out var sealedSegments);
        var started = Stopwatch.GetTimestamp();
        while (await store.Upkeep.Merge()) { }
        var seconds = Stopwatch.GetElapsedTime(started).TotalSeconds;
        await store.Upkeep.Sweep();
        await store.Database.Checkpoint();
        var cold = Bytes(store, out var segments);
        Console.WriteLine($"| disk | % of raw | against rows with FTS5 |\n|---|---|---|");
        Console.WriteLine($"| a row each with FTS5, the file | {rowBytes / log.MeanBytes * 100:0.0} | 1 |");
        Console.WriteLine(
            $"| before merging was over, {sealedSegments} segments | {hot / raw * 100:0.0} | {hot / records / rowBytes:0.00} |"
        );
        Console.WriteLine(
            $"| merged, {segments} segments ({seconds:0} s more of merging) | {cold / raw * 100:0.0} | {cold / records / rowBytes:0.00} |"
        );
        Console.WriteLine(
            $"| merged, the file | {new FileInfo(path).Length / raw * 100:0.0} | {new FileInfo(path).Length / (double)records / rowBytes:0.00} |"
        );
        foreach (var (column, share) in Shares(store).Take(8))
            Console.WriteLine($"| of which {column} | {share / raw * 100:0.0} | |");
        Console.WriteLine();
    }

    private static double Bytes(RecordStore store, out int segments)
    {
        using var snapshot = store.Current;
        segments = snapshot.Segments.Count();
        return snapshot.Segments.Sum(s => (double)s.Segment.Bytes);
    }

    private static IEnumerable<(string Column, double Bytes)> Shares(RecordStore store)
    {
        using var connection = store.Database.Read();
        using var command = connection.CreateCommand();
        command.CommandText = "SELECT key & 4095, SUM(LENGTH(content)) FROM segment_column GROUP BY 1 ORDER BY 2 DESC";
        using var reader = command.ExecuteReader();
        var shares = new List<(string, double)>();
        while (reader.Read())
            shares.Add((((Kumiko.Core.Storage.Segments.SegmentColumn)reader.GetInt64(0)).ToString(), reader.GetInt64(1)));
        return shares;
    }

    private static async Task Opened(string path)
    {
        var times = await Repeated.Milliseconds(3, () =>
        {
            using var store = new RecordStore(path, TimeProvider.System, RecordStoreOptions.Default with { Background = false });
            return Task.FromResult(store.Count);
        });
        Console.WriteLine(
            $"| opening the store with all records | s |\n|---|---|\n| median of 3 | {times.Median / 1000:0.00} |\n"
        );
    }

    /// <summary>Reads everything, again and again, while records come as fast as they can.</summary>
    private static async Task Exported(string path, FerryLog log)
    {
        using var store = new RecordStore(path, TimeProvider.System);
        using var stop = new CancellationTokenSource();
        var (longest, read) = (0L, 0L);
        var reader = Task.Run(() =>
        {
            using var snapshot = store.Current;
            while (!stop.IsCancellationRequested)
                foreach (var record in snapshot.OldestFirst(Ever, BatchTest.All, null, CancellationToken.None))
                {
                    read += record.Body.Length;
                    if (stop.IsCancellationRequested)
                        break;
                }
        });
        var watcher = Task.Run(async () =>
        {
            for (; !stop.IsCancellationRequested; await Task.Delay(20))
                longest = Math.Max(longest, new FileInfo(path + "-wal").Length);
        });
        const int Records = 2_000_000;
        var started = Stopwatch.GetTimestamp();
        await Feed(store, log, Records, _ => { });
        var rate = Records / Stopwatch.GetElapsedTime(started).TotalSeconds;
        await stop.CancelAsync();
        await Task.WhenAll(reader, watcher);
        Console.WriteLine(
            $"| one snapshot read from end to end while {Records} records come in | |\n|---|---|\n| longest write-ahead log | {longest >> 20} MB |\n| records/s taken meanwhile | {rate:0} |\n| characters of bodies read meanwhile | {read} |\n"
        );
    }
}
