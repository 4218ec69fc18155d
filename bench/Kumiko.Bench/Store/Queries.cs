using System.Diagnostics;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using NodaTime;

namespace Kumiko.Bench.Store;

/// <summary>Questions to the store beside the same questions to others, in one run over the same records, answers
/// compared.</summary>
internal static class Queries
{
    /// <param name="Work">What is asked.</param>
    /// <param name="Ours">The query.</param>
    /// <param name="Text">Arguments of ripgrep, or null.</param>
    /// <param name="Table">The question in DuckDB's words, its last column summed; or null.</param>
    /// <param name="Rows">The question to rows with FTS5, or null.</param>
    /// <param name="Bar">How many times faster than the first of the others it has to be.</param>
    private sealed record Question(string Work, string Ours, string[]? Text, string? Table, string? Rows, double Bar);

    private static readonly Question[] All =
    [
        new("substring anywhere", "*eue*", ["-F", "eue"], null, null, 3),
        new("substring of a value", "*innie*", ["-F", "innie"], null, null, 3),
        new(
            "word over everything, common",
            "queue",
            ["-F", "-w", "queue"],
            "SELECT count(*) FROM record WHERE body LIKE '%queue%'",
            "SELECT count(*) FROM words WHERE words MATCH 'queue'",
            3
        ),
        new("rare term", "{rare}", ["-F", "-w", "{rare}"], null, "SELECT count(*) FROM words WHERE words MATCH '\"{rare}\"'", 50),
        new(
            "regex with a literal",
            "body ~ /refused at \\w+: paid/",
            ["refused at \\w+: paid"],
            "SELECT count(*) FROM record WHERE regexp_matches(body, 'refused at \\w+: paid')",
            null,
            1
        ),
        new(
            "histogram of quarter hours by level",
            "| group count() as n by level per 15m",
            null,
            "SELECT time_bucket(INTERVAL 15 minute, time::TIMESTAMP) t, level, count(*) FROM record GROUP BY ALL",
            "SELECT time / 900000000000, severity, count(*) FROM record GROUP BY 1, 2",
            2
        ),
        new(
            "percentile by field",
            "| group p95(wait_ms) as p by terminal",
            null,
            "SELECT terminal, quantile_cont(wait_ms, 0.95) FROM record GROUP BY ALL",
            null,
            2
        ),
        new(
            "top by filtered field",
            "level >= error and wait_ms > 1000 | group count() as n by host | order by n desc | limit 10",
            null,
            "SELECT host, count(*) n FROM record WHERE level >= 17 AND wait_ms > 1000 GROUP BY host ORDER BY n DESC LIMIT 10",
            null,
            2
        ),
        new(
            "patterns",
            "| group count() as n by pattern",
            null,
            "SELECT regexp_replace(body, '[0-9]+', '#', 'g') p, count(*) FROM record GROUP BY p",
            null,
            10
        ),
        new(
            "newest 200 matching",
            "level >= warn and terminal = Tarnhead | limit 200",
            null,
            "SELECT time, level, service, host, body, terminal, wait_ms FROM record WHERE level >= 13 AND terminal = 'Tarnhead' ORDER BY time DESC LIMIT 200",
            null,
            4
        ),
    ];

    public static async Task Measure(long records)
    {
        var folder = Directory.CreateTempSubdirectory("kumiko-bench-").FullName;
        var path = Path.Combine(folder, "records.db");
        try
        {
            var log = new FerryLog(400_000);
            Console.WriteLine(
                $"# Queries: {records} records, {Environment.ProcessorCount} processors, {DateTime.UtcNow:yyyy-MM-dd}\n"
            );
            using (var store = new RecordStore(path, TimeProvider.System))
            {
                await StoreBench.Feed(store, log, records, _ => { });
                await store.Upkeep.SealAll();
            }
            using var yardsticks = Yardsticks.Make(folder, log, records);
            await Compare(path, yardsticks, "hot");
            ParseBench.Measure();
        }
        finally
        {
            if (Environment.GetEnvironmentVariable("KEEP") is null)
                Directory.Delete(folder, true);
            else
                Console.WriteLine(folder);
        }
    }

    /// <summary>Asks again what an earlier run with KEEP in its environment left, as it is and then merged.</summary>
    public static async Task CompareKept(string folder)
    {
        var path = Path.Combine(folder, "records.db");
        using var yardsticks = Yardsticks.Kept(folder, Count(path));
        await Compare(path, yardsticks, "hot");
        using (var store = new RecordStore(path, TimeProvider.System, RecordStoreOptions.Default with { Background = false }))
        {
            var started = Stopwatch.GetTimestamp();
            while (await store.Upkeep.Merge()) { }
            Console.WriteLine($"merged in {Stopwatch.GetElapsedTime(started).TotalSeconds:0} s\n");
            await store.Upkeep.Sweep();
        }
        await Compare(path, yardsticks, "merged");
    }

    private static long Count(string path)
    {
        using var store = new RecordStore(path, TimeProvider.System, RecordStoreOptions.Default with { Background = false });
        return store.Count;
    }

    public static async Task Compare(string path, Yardsticks yardsticks, string state)
    {
        using var store = new RecordStore(path, TimeProvider.System, RecordStoreOptions.Default with { Background = false });
        Console.WriteLine(
            $"| {state}: warm medians of 5, {store.Count} records, text {yardsticks.TextBytes >> 20} MB | ms | against | ms | times faster | bar |\n|---|---|---|---|---|---|"
        );
        var rare = Rare(store);
        foreach (var question in All.Where(Asked))
        {
            var ours = await Ask(store, question.Ours.Replace("{rare}", rare, StringComparison.Ordinal));
            var first = true;
            void Tell(string other, double milliseconds, string note)
            {
                Console.WriteLine(
                    $"| {(first ? question.Work : "")} | {(first ? $"{ours.Milliseconds:0.0}" : "")} | {other}{note} | {milliseconds:0.0} | {milliseconds / ours.Milliseconds:0.0} | {(first ? $"{question.Bar}" : "")} |"
                );
                first = false;
            }
            if (question.Text is { } arguments)
            {
                var (milliseconds, count) = await yardsticks.Text([
                    .. arguments.Select(a => a.Replace("{rare}", rare, StringComparison.Ordinal)),
                ]);
                Tell("ripgrep", milliseconds, count == ours.Records ? "" : $" (answers {count}, ours {ours.Records})");
            }
            if (question.Table is { } sql)
            {
                var (milliseconds, sum) = await yardsticks.Table(sql);
                // Rounded percentiles and the sum of newest rows' last column are compared by size.
                Tell(
                    "DuckDB",
                    milliseconds,
                    question.Work == "newest 200 matching"
                    || Math.Abs(sum - ours.Sum) <= Math.Abs(sum) * 0.01
                    || sum == ours.Records
                        ? ""
                        : $" (answers {sum}, ours {ours.Sum})"
                );
            }
            if (question.Rows is { } rows)
                Tell("FTS5", await yardsticks.Rows(rows.Replace("{rare}", rare, StringComparison.Ordinal)), "");
        }
        Console.WriteLine();
    }

    private static bool Asked(Question question) =>
        Environment.GetEnvironmentVariable("ONLY") is not { } only || question.Work.Contains(only, StringComparison.Ordinal);

    /// <summary>The same questions to the store by itself.</summary>
    public static async Task Alone(string path, string state)
    {
        using var store = new RecordStore(path, TimeProvider.System, RecordStoreOptions.Default with { Background = false });
        Console.WriteLine($"| {state}: warm medians of 5, {store.Count} records | ms |\n|---|---|");
        var rare = Rare(store);
        foreach (var question in All.Where(Asked))
            for (var again = 0; again < (Environment.GetEnvironmentVariable("ONLY") is null ? 1 : 10); again++)
                Console.WriteLine(
                    $"| {question.Work} | {(await Ask(store, question.Ours.Replace("{rare}", rare, StringComparison.Ordinal))).Milliseconds:0.0} |"
                );
        Console.WriteLine();
    }

    /// <summary>The token of one record out of the middle that no other has.</summary>
    internal static string Rare(RecordStore store)
    {
        using var snapshot = store.Current;
        var middle = new Window(
            snapshot.Batches.Min(b => b.MinTime),
            (snapshot.Batches.Min(b => b.MinTime) + snapshot.Batches.Max(b => b.MaxTime)) / 2
        );
        var body = snapshot
            .NewestFirst(middle, BatchTest.All, null, CancellationToken.None)
            .First(r => r.Body.Contains(" ref ", StringComparison.Ordinal))
            .Body;
        return body[(body.LastIndexOf(' ') + 1)..];
    }

    private static async Task<(double Milliseconds, long Records, double Sum)> Ask(RecordStore store, string text)
    {
        Window ever;
        using (var all = store.Current)
            ever = new Window(all.Batches.Min(b => b.MinTime), all.Batches.Max(b => b.MaxTime) + 1);
        var parsed = QueryParser.Parse(text);
        if (!parsed.Ok)
            throw new InvalidOperationException(parsed.Errors[0].Describe(text));
        var (records, sum) = (0L, 0.0);
        // Warm means that the code is compiled as it is in a server that has run for a while.
        for (var started = Stopwatch.GetTimestamp(); Stopwatch.GetElapsedTime(started).TotalSeconds < 4; )
            await Once();
        if (Environment.GetEnvironmentVariable("ALLOCATED") is not null)
        {
            var before = GC.GetTotalAllocatedBytes(true);
            await Once();
            Console.WriteLine($"{(GC.GetTotalAllocatedBytes(true) - before) / 1024:N0} kB");
        }
        return ((await Repeated.Milliseconds(5, Once)).Median, records, sum);

        async Task Once()
        {
            using var run = new Run(
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
                    }
                ),
                store.Current
            );
            if (run.IsGrouped)
            {
                var frame = await run.Frame();
                (records, sum) = (frame.Rows.Count, frame.Rows.Sum(r => r[^1].IsMissing ? 0 : r[^1].AsDouble));
            }
            else if (text.Contains("limit", StringComparison.Ordinal))
                records = (await run.Records(null, 200)).Count;
            else
                records = (await run.Matches(ever)).Count;
        }
    }
}
