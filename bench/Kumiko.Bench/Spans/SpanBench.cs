using System.Diagnostics;
using System.Net.Http.Headers;
using Dapper;
using DuckDB.NET.Data;
using Kumiko.Bench.Receivers;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Query.Metrics;
using Kumiko.Core.Records;
using Kumiko.Core.Spans;
using Kumiko.Core.Spans.Figures;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Metrics;
using Kumiko.Core.Storage.Segments;
using Kumiko.Core.Storage.Spans;
using NodaTime;

namespace Kumiko.Bench.Spans;

/// <summary>How fast spans are taken in, what they take on disk, and how fast they are asked.</summary>
internal static class SpanBench
{
    private static readonly long From = Instants.FromDateTime(new DateTimeOffset(2026, 10, 5, 0, 0, 0, TimeSpan.Zero));
    private const long Week = 7 * Instants.Day;
    private const int Senders = 2;

    public static async Task Measure(long spans)
    {
        Console.WriteLine(
            $"# Spans: {spans} in traces of {FerrySpans.PerTrace}, {Environment.ProcessorCount} processors, {DateTime.UtcNow:yyyy-MM-dd}\n"
        );
        Console.WriteLine(
            "| received, committed, acknowledged, with figures; the sender on the same machine | spans/s | bar | memory of the server, MB |\n|---|---|---|---|"
        );
        await Received(Math.Min(spans, 4_000_000));
        Console.WriteLine();
        var folder = Directory.CreateTempSubdirectory("kumiko-bench-spans-").FullName;
        try
        {
            await Kept(new FerrySpans(spans, From, Week), folder);
        }
        finally
        {
            Directory.Delete(folder, true);
        }
    }

    /// <summary>Over HTTP, by two senders that do nothing else.</summary>
    private static async Task Received(long spans)
    {
        using var server = new ServerProcess();
        var now = Instants.FromDateTime(DateTimeOffset.UtcNow);
        List<byte[]> requests =
        [
            .. new FerrySpans(spans, now - (10 * Instants.Minute), 10 * Instants.Minute).Batches().Select(FerrySpans.Request),
        ];
        var warm = Math.Max(1, requests.Count / 8);
        await Send(requests[..warm]);
        server.HighestMegabytes();
        var started = Stopwatch.GetTimestamp();
        await Send(requests[warm..]);
        Console.WriteLine(
            $"| OTLP, protobuf over HTTP, batches of {FerrySpans.PerBatch} | {(requests.Count - warm) * (double)FerrySpans.PerBatch / Stopwatch.GetElapsedTime(started).TotalSeconds:0} | 80000 | {server.HighestMegabytes()} |"
        );

        async Task Send(List<byte[]> all)
        {
            var next = -1;
            await Task.WhenAll(
                Enumerable
                    .Range(0, Senders)
                    .Select(_ =>
                        Task.Run(async () =>
                        {
                            for (var i = Interlocked.Increment(ref next); i < all.Count; i = Interlocked.Increment(ref next))
                            {
                                var content = new ByteArrayContent(all[i]);
                                content.Headers.ContentType = new MediaTypeHeaderValue("application/x-protobuf");
                                using var answer = await server.Client.PostAsync("/v1/traces?source=otlp", content);
                                answer.EnsureSuccessStatusCode();
                            }
                        })
                    )
            );
        }
    }

    private static async Task Kept(FerrySpans all, string folder)
    {
        var path = Path.Combine(folder, "records.db");
        using var database = new AppDatabase(Path.Combine(folder, "kumiko.db"));
        using var store = new RecordStore(path, TimeProvider.System);
        using var metrics = new MetricStore(store, TimeProvider.System);
        var spans = new SpanStore(store);
        using var duck = new DuckDBConnection("Data Source=" + Path.Combine(folder, "spans.duck"));
        duck.Open();
        duck.Execute("SET threads = 2");
        duck.Execute(
            "CREATE TABLE span (start TIMESTAMP_NS, duration BIGINT, trace VARCHAR, id VARCHAR, parent VARCHAR, name VARCHAR, service VARCHAR, host VARCHAR, kind UTINYINT, status UTINYINT, fields VARCHAR)"
        );
        var clock = new Stopwatch();
        using (
            var figures = new SpanFigures(
                store,
                metrics,
                new FailureRules(new FailureStore(database, TimeProvider.System)),
                TimeProvider.System
            )
        )
        {
            using var appender = duck.CreateAppender("span");
            foreach (var batch in all.Batches())
            {
                clock.Start();
                await spans.Append(batch, "otlp");
                clock.Stop();
                foreach (var s in batch)
                    appender
                        .CreateRow()
                        .AppendValue(Instants.ToDateTime(s.Start).UtcDateTime)
                        .AppendValue(s.End - s.Start)
                        .AppendValue(s.TraceId)
                        .AppendValue(s.SpanId)
                        .AppendValue(s.ParentId)
                        .AppendValue(s.Name)
                        .AppendValue(s.Resource.Service.ToText())
                        .AppendValue(s.Resource.Host.ToText())
                        .AppendValue((byte)s.Kind)
                        .AppendValue((byte)s.Status)
                        .AppendValue(Value.Of(s.Attributes).ToText())
                        .EndRow();
            }
            await store.Upkeep.SealAll();
            await figures.Flush();
        }
        duck.Execute("CHECKPOINT");
        await metrics.Upkeep.Seal();
        await metrics.Upkeep.CloseDays();
        var sources = new QuerySources(new RowSetBook([new SpanSet(), new MetricSet(metrics)]));
        var id = FerrySpans.TraceId(all.Spans / FerrySpans.PerTrace / 2);
        var day = new Window(From + (3 * Instants.Day), From + (4 * Instants.Day));
        Console.WriteLine("| question, warm, median | ms | bar | DuckDB, ms |\n|---|---|---|---|");
        await Asked(
            "a trace by id, before merging is over",
            $"from spans trace_id = {id}",
            all.Window,
            10,
            $"SELECT count(*) FROM span WHERE trace = '{id}'"
        );
        await Questions();
        while (await store.Upkeep.Merge()) { }
        await store.Upkeep.Sweep();
        await Asked(
            "a trace by id, merged",
            $"from spans trace_id = {id}",
            all.Window,
            25,
            $"SELECT count(*) FROM span WHERE trace = '{id}'"
        );
        await Questions();
        Disk(store, all.Spans, new FileInfo(Path.Combine(folder, "spans.duck")).Length);
        foreach (var notice in store.Notices)
            Console.WriteLine("Notice: " + notice);

        async Task Questions()
        {
            await Asked(
                "p95 by service and minute over a day, from spans",
                "from spans | group p95(duration) by service per 1m",
                day,
                500,
                $"SELECT service, time_bucket(INTERVAL 1 MINUTE, start::TIMESTAMP) m, approx_quantile(duration, 0.95) FROM span WHERE start >= '{Instants.Format(day.From)[..19]}' AND start < '{Instants.Format(day.To)[..19]}' GROUP BY 1, 2"
            );
            await Asked(
                "the same from figures",
                "from metrics name = spans.duration | group p95(value) by service per 1m",
                day,
                50,
                null
            );
            await Asked(
                "slowest 100 of an operation in a week",
                "from spans operation = gate.Reserve | order by duration desc | limit 100",
                all.Window,
                200,
                "SELECT * FROM span WHERE name = 'gate.Reserve' ORDER BY duration DESC LIMIT 100"
            );
        }

        async Task Asked(string name, string query, Window window, int bar, string? sql)
        {
            var parsed = QueryParser.Parse(query, sources.Sets.Names());
            var rows = 0;
            var times = await Repeated.Milliseconds(5, async () =>
            {
                using var run = new Run(
                    new Question("bench", parsed, window, window.To, DateTimeZone.Utc, Limits.Default),
                    store.Current,
                    sources
                );
                rows = (await run.Frame()).Rows.Count;
            });
            var beside = sql is null ? "–" : (await Repeated.Milliseconds(3, () =>
                    {
                        duck.Query(sql).AsList();
                        return Task.CompletedTask;
                    })).Median.ToString("0.0", System.Globalization.CultureInfo.InvariantCulture);
            Console.WriteLine($"| {name} ({rows} rows) | {times.Median:0.0} | {bar} | {beside} |");
        }
    }

    private static void Disk(RecordStore store, long spans, long duck)
    {
        using var snapshot = store.Current;
        using var connection = store.Database.Read();
        var bytes = connection
            .Query<(long Column, long Bytes)>(
                "SELECT key & 4095, SUM(LENGTH(content)) FROM segment_column GROUP BY 1 ORDER BY 2 DESC"
            )
            .ToDictionary(c => c.Column, c => c.Bytes);
        var total = bytes.Values.Sum();
        Console.WriteLine(
            $"\n| disk, merged, {snapshot.Of(Signal.Spans).Segments.Count()} segments | bytes a span |\n|---|---|\n| all | {total / (double)spans:0.0} |\n| DuckDB, the file | {duck / (double)spans:0.0} |"
        );
        foreach (var (column, size) in bytes.OrderByDescending(b => b.Value).Take(12))
            Console.WriteLine($"| of which {(SegmentColumn)column} | {size / (double)spans:0.00} |");
        var figures = connection.ExecuteScalar<long>("SELECT COALESCE(SUM(bytes), 0) FROM metric_segment WHERE gone = 0");
        Console.WriteLine($"| figures by minute, beside | {figures / (double)spans:0.00} |\n");
    }
}
