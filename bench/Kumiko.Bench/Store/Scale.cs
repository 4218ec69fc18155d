using System.Diagnostics;
using System.Globalization;
using System.Text;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Export;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Web.Api;
using NodaTime;

namespace Kumiko.Bench.Store;

/// <summary>How questions grow with the store, how soon one that nobody wants any more ends, and what an export of everything
/// takes in memory.</summary>
internal static class Scale
{
    private const int Stops = 20;

    /// <summary>Of more records each of the slow questions takes minutes, twenty times over.</summary>
    private const long StoppedAt = 5_000_000;

    private static readonly (string Work, string Query)[] Scans =
    [
        ("substring of a value", "*innie*"),
        ("regex with a literal", "body ~ /refused at \\w+: paid/"),
        ("histogram of quarter hours by level", "| group count() as n by level per 15m"),
        ("percentile by field", "| group p95(wait_ms) as p by terminal"),
        ("patterns", "| group count() as n by pattern"),
    ];

    private static readonly string[] Slow =
    [
        "body ~ /[a-z]+ [a-z]+s/",
        "| set w = lower(body) | where w = 'nothing' | group count() as n by w",
        "| group count() as n by length(body), host",
        "| where length(body) > 10000",
    ];

    public static async Task Measure(long most)
    {
        var folder = Directory.CreateTempSubdirectory("kumiko-bench-").FullName;
        try
        {
            var log = new FerryLog(400_000);
            using var store = new RecordStore(
                Path.Combine(folder, "records.db"),
                TimeProvider.System,
                RecordStoreOptions.Default
            );
            Console.WriteLine(
                $"# Growing: {Environment.ProcessorCount} processors, {DateTime.UtcNow:yyyy-MM-dd}\n\n| milliseconds for a gigabyte of NDJSON, warm | {string.Join(" | ", Scans.Select(s => s.Work))} |\n|---|{string.Concat(Scans.Select(_ => "---|"))}"
            );
            var (taken, perGigabyte, stopped) = (0L, new List<double[]>(), "");
            foreach (var records in new[] { 1_000_000L, 5_000_000, 20_000_000 }.Where(r => r <= most))
            {
                await StoreBench.Feed(store, log, records - taken, _ => { });
                taken = records;
                await store.Upkeep.SealAll();
                while (await store.Upkeep.Merge()) { }
                var times = new List<double>();
                // The first round compiles; four seconds each are not enough for the fewest records.
                if (perGigabyte.Count == 0)
                    foreach (var (_, query) in Scans)
                        await Ask(store, query);
                foreach (var (_, query) in Scans)
                    times.Add(await Ask(store, query) / (records * log.MeanBytes / 1e9));
                perGigabyte.Add([.. times]);
                Console.WriteLine($"| {records} records | {string.Join(" | ", times.Select(t => $"{t:0.0}"))} |");
                if (records == Math.Min(most, StoppedAt))
                    stopped = await Stopped(store);
            }
            Console.WriteLine(
                $"| furthest from their mean | {string.Join(" | ", Scans.Select((_, s) => $"{perGigabyte.Max(t => Math.Abs((t[s] / perGigabyte.Average(p => p[s])) - 1)) * 100:0} %"))} |\n"
            );
            Console.WriteLine(stopped);
            await Exported(store);
        }
        finally
        {
            Directory.Delete(folder, true);
        }
    }

    /// <summary>Exports of a store that another run kept.</summary>
    public static async Task Export(string path)
    {
        using var store = new RecordStore(path, TimeProvider.System, RecordStoreOptions.Default with { Background = false });
        await Exported(store);
    }

    private static Run Start(RecordStore store, string query)
    {
        var parsed = QueryParser.Parse(query);
        if (!parsed.Ok)
            throw new InvalidOperationException(parsed.Errors[0].Describe(query));
        var snapshot = store.Current;
        var ever = new Window(snapshot.Batches.Min(b => b.MinTime), snapshot.Batches.Max(b => b.MaxTime) + 1);
        return new Run(
            new Core.Query.Question(
                "bench",
                parsed,
                ever,
                ever.To,
                DateTimeZone.Utc,
                Limits.Default with
                {
                    Time = TimeSpan.FromMinutes(5),
                    Steps = 100_000,
                    Memory = 8L << 30,
                    Keys = 50_000_000,
                }
            ),
            snapshot
        );
    }

    private static async Task<long> Answer(Run run) =>
        run.IsGrouped ? (await run.Frame()).Rows.Count : (await run.Matches(run.Question.Window)).Count;

    private static async Task<double> Ask(RecordStore store, string query)
    {
        for (var started = Stopwatch.GetTimestamp(); Stopwatch.GetElapsedTime(started).TotalSeconds < 4; )
            await Once();
        return (await Repeated.Milliseconds(5, Once)).Median;

        async Task Once()
        {
            using var run = Start(store, query);
            await Answer(run);
        }
    }

    /// <summary>From the word to stop to the end of the work, each question at moments spread over its time.</summary>
    private static async Task<string> Stopped(RecordStore store)
    {
        var told = new StringBuilder();
        told.AppendLine(
            "| stopped while it reads everything | whole, ms | stops | median, ms | highest, ms |\n|---|---|---|---|---|"
        );
        foreach (var query in Slow)
        {
            var started = Stopwatch.GetTimestamp();
            using (var whole = Start(store, query))
                await Answer(whole);
            var takes = Stopwatch.GetElapsedTime(started);
            var waits = new List<double>();
            for (var i = 0; i < Stops; i++)
            {
                using var run = Start(store, query);
                var answer = Task.Run(() => Answer(run));
                await Task.Delay(takes * ((i + 0.5) / Stops));
                if (answer.IsCompleted)
                    continue;
                started = Stopwatch.GetTimestamp();
                run.Dispose();
                try
                {
                    await answer;
                }
                catch (Exception e) when (e is OperationCanceledException or QueryRefusedException)
                { /* as it should be */
                }
                waits.Add(Stopwatch.GetElapsedTime(started).TotalMilliseconds);
            }
            waits.Sort();
            told.AppendLine(
                CultureInfo.InvariantCulture,
                $"| `{query}` | {takes.TotalMilliseconds:0} | {waits.Count} | {(waits.Count == 0 ? 0 : waits[waits.Count / 2]):0.0} | {waits.LastOrDefault():0.0} |"
            );
        }
        return told.ToString();
    }

    private static async Task Exported(RecordStore store)
    {
        Console.WriteLine(
            "| export of everything as NDJSON | GB written | s | process before, MB | highest, MB |\n|---|---|---|---|---|"
        );
        foreach (var query in new[] { "", "| set late = wait_ms > 500 | select time, body, host, late" })
        {
            GC.Collect();
            using var process = Process.GetCurrentProcess();
            var before = process.WorkingSet64;
            await using var counted = new CountingStream();
            var started = Stopwatch.GetTimestamp();
            using var run = Start(store, query);
            await using var answer = await run.Stream();
            await ExportFormats.Ndjson.Write(answer, counted, null, CancellationToken.None);
            Console.WriteLine(
                $"| {(query.Length == 0 ? "records" : $"`{query}`")} | {counted.Written / 1e9:0.0} | {Stopwatch.GetElapsedTime(started).TotalSeconds:0} | {before >> 20} | {counted.Highest >> 20} |"
            );
        }
        Console.WriteLine();
    }

    /// <summary>Takes bytes and forgets them; looks at the memory of the process on the way.</summary>
    private sealed class CountingStream : Stream
    {
        private long _looked;

        public long Written { get; private set; }
        public long Highest { get; private set; }

        public override void Write(byte[] buffer, int offset, int count) => Write(buffer.AsSpan(offset, count));

        public override void Write(ReadOnlySpan<byte> buffer)
        {
            Written += buffer.Length;
            if (Written - _looked < 64 << 20)
                return;
            _looked = Written;
            using var process = Process.GetCurrentProcess();
            Highest = Math.Max(Highest, process.WorkingSet64);
        }

        public override ValueTask WriteAsync(ReadOnlyMemory<byte> buffer, CancellationToken cancellationToken = default)
        {
            Write(buffer.Span);
            return ValueTask.CompletedTask;
        }

        public override Task WriteAsync(byte[] buffer, int offset, int count, CancellationToken cancellationToken)
        {
            Write(buffer.AsSpan(offset, count));
            return Task.CompletedTask;
        }

        public override bool CanRead => false;
        public override bool CanSeek => false;
        public override bool CanWrite => true;
        public override long Length => Written;
        public override long Position
        {
            get => Written;
            set => throw new NotSupportedException();
        }

        public override void Flush() { }

        public override int Read(byte[] buffer, int offset, int count) => throw new NotSupportedException();

        public override long Seek(long offset, SeekOrigin origin) => throw new NotSupportedException();

        public override void SetLength(long value) => throw new NotSupportedException();
    }
}
