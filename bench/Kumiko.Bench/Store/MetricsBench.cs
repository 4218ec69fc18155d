using System.Diagnostics;
using System.Globalization;
using Dapper;
using DuckDB.NET.Data;
using Kumiko.Charts;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Query.Metrics;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Metrics;
using NodaTime;

namespace Kumiko.Bench.Store;

/// <summary>Samples into the store and questions over them, beside DuckDB on the same samples; a chart of many series.</summary>
internal static class MetricsBench
{
    private const int Hosts = 100;
    private const int Names = 20;
    private const int Long = 50;
    private const int Days = 30;
    private const int StepsOfBatch = 30;
    private const int WarmUps = 60;
    private const int Repeats = 15;
    private const int WarmBatches = 48;
    private static readonly long Step = 10 * Instants.Second;

    public static async Task Measure()
    {
        var folder = Directory.CreateTempSubdirectory("kumiko-bench-").FullName;
        try
        {
            await Run(folder);
        }
        finally
        {
            Directory.Delete(folder, true);
        }
    }

    private static async Task Run(string folder)
    {
        var today = MetricSegment.DayOf(Instants.FromDateTime(DateTimeOffset.UtcNow));
        var day = today - Instants.Day;
        using var records = new RecordStore(
            Path.Combine(folder, "records.db"),
            TimeProvider.System,
            RecordStoreOptions.Default with
            {
                Background = false,
            }
        );
        using var metrics = new MetricStore(records, TimeProvider.System, MetricOptions.Default with { Background = false });
        using var duck = new DuckDBConnection("Data Source=" + Path.Combine(folder, "samples.duck"));
        duck.Open();
        duck.Execute("SET threads = 2");
        duck.Execute(
            "CREATE TABLE sample (series INTEGER, time TIMESTAMP_NS, value DOUBLE); CREATE TABLE series (id INTEGER, name VARCHAR, host VARCHAR)"
        );

        var ids = new int[Hosts * Names];
        var worlds = new Series[ids.Length];
        for (var i = 0; i < ids.Length; i++)
            worlds[i] = new Series(i);
        // As a receiver hands them over: what it takes to find the series is part of it.
        var clock = Stopwatch.StartNew();
        var first = worlds.Select((w, i) => w.Metric(day, 1)).ToList();
        clock.Restart();
        await metrics.Append(first, "bench");
        foreach (var series in metrics.Book.All())
            ids[int.Parse(series.Field("place").ToText(), CultureInfo.InvariantCulture)] = series.Id;
        duck.Execute(
            "INSERT INTO series VALUES ($id, $name, $host)",
            ids.Select(
                (id, i) =>
                    new
                    {
                        id,
                        name = worlds[i].Name,
                        host = worlds[i].Host,
                    }
            )
        );

        var (samples, took, resolved, resolvedTook) = (0L, TimeSpan.Zero, 0L, TimeSpan.Zero);
        var steps = (int)(Instants.Day / Step);
        var made = new List<SampleBatch>();
        using (var appender = duck.CreateAppender("sample"))
            for (var from = 1; from < steps; from += StepsOfBatch)
            {
                var count = Math.Min(StepsOfBatch, steps - from);
                // One batch in twenty as metrics, the rest as series that are known.
                var batch = Batch(ids, worlds, day + (from * Step), count);
                for (var i = 0; i < batch.Count; i++)
                    appender
                        .CreateRow()
                        .AppendValue(batch.Series[i])
                        .AppendValue(Instants.ToDateTime(batch.Times[i]).UtcDateTime)
                        .AppendValue(batch.Values[i])
                        .EndRow();
                if (from / StepsOfBatch % 20 == 10)
                {
                    var measured = batch.Metrics(worlds);
                    clock.Restart();
                    await metrics.Append(measured, "bench");
                    resolvedTook += clock.Elapsed;
                    resolved += batch.Count;
                    continue;
                }
                made.Add(batch.Of());
                samples += batch.Count;
            }
        // What a server that has just begun compiles while it works is no part of it.
        var warm = worlds.Select((_, i) => new Series(i)).ToArray();
        for (var round = 0; round < WarmBatches; round++)
        {
            await metrics.Append(
                Batch(ids, warm, day - (40 * Instants.Day) + (round * StepsOfBatch * Step), StepsOfBatch).Of(),
                "bench"
            );
            if (round % 4 == 3)
                await metrics.Upkeep.Seal();
        }
        await metrics.Upkeep.CloseDays();
        // Two senders, as there are two processors; what is full is sealed meanwhile.
        clock.Restart();
        var next = -1;
        await Task.WhenAll(
            Enumerable
                .Range(0, 2)
                .Select(_ =>
                    Task.Run(async () =>
                    {
                        for (var i = Interlocked.Increment(ref next); i < made.Count; i = Interlocked.Increment(ref next))
                        {
                            await metrics.Append(made[i], "bench");
                            if (i % 64 == 63)
                                await metrics.Upkeep.Seal();
                        }
                    })
                )
        );
        await metrics.Upkeep.Seal();
        took = clock.Elapsed;
        made.Clear();
        Tell("into disk, series known", $"{samples / took.TotalSeconds:N0} samples/s, committed and sealed");
        Tell("with finding of series", $"{resolved / resolvedTook.TotalSeconds:N0} samples/s, committed");
        var open = metrics.Segments.Where(s => !s.IsClosed).Sum(s => s.Bytes);
        clock.Restart();
        await metrics.Upkeep.CloseDays();
        var all = samples + resolved + ids.Length + (WarmBatches * StepsOfBatch * ids.Length);
        Tell("closing the day", $"{(samples + resolved) / clock.Elapsed.TotalSeconds:N0} samples/s, with levels");
        await metrics.Upkeep.Sweep();
        await records.Upkeep.Sweep();
        var closed = metrics.Segments.Where(s => s.Day == day).ToList();
        using (var connection = records.Database.Read())
        {
            var parts = connection
                .Query<(long Grain, long Bytes)>("SELECT id % 4, SUM(length(content)) FROM metric_part GROUP BY 1")
                .ToDictionary(p => p.Grain, p => p.Bytes);
            Tell(
                "bytes a sample",
                string.Create(
                    CultureInfo.InvariantCulture,
                    $"{(double)open / (samples + resolved + ids.Length):0.00} open, {parts.Values.Sum() / (double)all:0.00} closed: samples {parts[0] / (double)all:0.00}, 1 m {parts.GetValueOrDefault(1) / (double)all:0.00}, 10 m {parts.GetValueOrDefault(2) / (double)all:0.00}, 1 h {parts.GetValueOrDefault(3) / (double)all:0.00}"
                )
            );
        }
        await records.Database.Checkpoint();
        duck.Execute("CHECKPOINT");
        Tell(
            "in the file",
            string.Create(
                CultureInfo.InvariantCulture,
                $"{new FileInfo(Path.Combine(folder, "records.db")).Length / (double)all:0.00} bytes a sample; DuckDB {new FileInfo(Path.Combine(folder, "samples.duck")).Length / (double)all:0.00}"
            )
        );

        for (var before = 2; before <= Days; before++)
        {
            for (var from = 0; from < steps; from += StepsOfBatch * 40)
                await metrics.Append(
                    Batch(
                            ids[..Long],
                            worlds[..Long],
                            today - (before * Instants.Day) + (from * Step),
                            Math.Min(StepsOfBatch * 40, steps - from)
                        )
                        .Of(),
                    "bench"
                );
            if (metrics.Unsealed > 4 << 20)
                await metrics.Upkeep.Seal();
        }
        await metrics.Upkeep.Seal();
        await metrics.Upkeep.CloseDays();

        var window = new Window(day, today);
        Ask(
            "one host's 20 series, by minute",
            window,
            "from metrics host = host-7 | group avg(value) as v by name per 1m",
            $"SELECT name, time_bucket(INTERVAL 1 minute, time) t, avg(value) v FROM sample JOIN series ON id = series WHERE host = 'host-7' AND {Of(window)} GROUP BY 1, 2"
        );
        Ask(
            "mean by host and minute, 100 series",
            window,
            "from metrics name = measure.3 | group avg(value) as v by host per 1m",
            $"SELECT host, time_bucket(INTERVAL 1 minute, time) t, avg(value) v FROM sample JOIN series ON id = series WHERE name = 'measure.3' AND {Of(window)} GROUP BY 1, 2"
        );
        Ask(
            "mean by host and minute, 2 000 series",
            window,
            "from metrics | group avg(value) as v by host per 1m",
            $"SELECT host, time_bucket(INTERVAL 1 minute, time) t, avg(value) v FROM sample JOIN series ON id = series WHERE {Of(window)} GROUP BY 1, 2"
        );
        Ask(
            "a month of 50 series, by hour",
            new Window(today - (Days * Instants.Day), today),
            "from metrics | where place < 50 | group avg(value) as mean, max(value) as most by place per 1h",
            null
        );
        Ask(
            "p95 by host over the day, 2 000 series",
            window,
            "from metrics | group p95(value) as v by host",
            $"SELECT host, quantile_cont(value, 0.95) v FROM sample JOIN series ON id = series WHERE {Of(window)} GROUP BY 1"
        );
        Drawn();

        static string Of(Window w) =>
            $"time >= TIMESTAMP '{Instants.ToDateTime(w.From).UtcDateTime:yyyy-MM-dd HH:mm:ss}' AND time < TIMESTAMP '{Instants.ToDateTime(w.To).UtcDateTime:yyyy-MM-dd HH:mm:ss}'";

        void Ask(string work, Window asked, string query, string? sql)
        {
            var (best, rows, sum) = (new List<double>(), 0, 0.0);
            for (var i = -WarmUps; i < Repeats; i++)
            {
                var start = Stopwatch.GetTimestamp();
                using var run = new Run(
                    new Question("bench", QueryParser.Parse(query), asked, today, DateTimeZone.Utc, Limits.Default),
                    records.Current,
                    new QuerySources(new RowSetBook([new MetricSet(metrics)]))
                );
                var frame = run.Frame().GetAwaiter().GetResult();
                // Every row is read: rows may be made when they are.
                (rows, sum) = (frame.Rows.Count, frame.Rows.Sum(r => r[^1].AsDouble));
                if (i >= 0)
                    best.Add(Stopwatch.GetElapsedTime(start).TotalMilliseconds);
            }
            var told = $"{best.Order().ElementAt(Repeats / 2):N0} ms ({rows} rows)";
            if (sql is not null)
            {
                var theirs = new List<double>();
                var sumTheirs = 0.0;
                for (var i = 0; i < Repeats; i++)
                {
                    var start = Stopwatch.GetTimestamp();
                    sumTheirs = duck.ExecuteScalar<double>($"SELECT SUM(v) FROM ({sql})");
                    theirs.Add(Stopwatch.GetElapsedTime(start).TotalMilliseconds);
                }
                told +=
                    $", DuckDB {theirs.Order().ElementAt(Repeats / 2):N0} ms"
                    + (Math.Abs(sum - sumTheirs) <= Math.Abs(sumTheirs) * 0.01 ? "" : $" (answers {sumTheirs}, ours {sum})");
            }
            Tell(work, told);
        }
    }

    private static void Drawn()
    {
        var schema = new Schema(
            [
                new Column("time", ColumnRole.Time, ValueKind.Time),
                new Column("host", ColumnRole.Key),
                new Column("v", ColumnRole.Value, ValueKind.Decimal) { Unit = "1" },
            ],
            Instants.Minute,
            new Window(0, 500 * Instants.Minute)
        );
        var random = new Random(1);
        var frame = new Frame(
            schema,
            [
                .. Enumerable
                    .Range(0, 500)
                    .SelectMany(i =>
                        Enumerable
                            .Range(0, 50)
                            .Select(s =>
                                new[]
                                {
                                    Value.Time(i * Instants.Minute),
                                    Value.Of("host-" + s),
                                    Value.Of(
                                        Math.Round(0.5 + (0.3 * Math.Sin((i + (s * 9)) / 30.0)) + (0.05 * random.NextDouble()), 3)
                                    ),
                                }
                            )
                    ),
            ]
        );
        var times = new List<double>();
        var size = 0;
        for (var i = -WarmUps; i < 30; i++)
        {
            var start = Stopwatch.GetTimestamp();
            size = SvgWriter
                .Write(
                    Chart.Draw(
                        frame,
                        new ChartSpec { Form = ChartForms.Line, Most = 50 },
                        new ChartView(1_100, 400, DateTimeZone.Utc, long.MaxValue)
                    )!,
                    "chart-picture"
                )
                .Length;
            if (i >= 0)
                times.Add(Stopwatch.GetElapsedTime(start).TotalMilliseconds);
        }
        Tell("50 series x 500 steps drawn", $"{times.Order().ElementAt(15):N1} ms, {size / 1000.0:N0} kB");
    }

    private static void Tell(string work, string told) => Console.WriteLine(FormattableString.Invariant($"{work, -40} {told}"));

    /// <summary>A made-up series: shares that wander, bytes, counters, temperatures.</summary>
    private sealed class Series(int place)
    {
        private readonly Random _random = new(place);
        private double _value = 50 + (place % 40);

        public string Name { get; } = "measure." + (place % Names).ToString(CultureInfo.InvariantCulture);
        public string Host { get; } = "host-" + (place / Names).ToString(CultureInfo.InvariantCulture);
        public bool IsCounter => place % Names % 4 == 1;

        public double Next()
        {
            switch (place % Names % 4)
            {
                case 0:
                    _value = Math.Clamp(_value + ((_random.NextDouble() - 0.5) * 4), 0, 100);
                    return Math.Round(_value, 2);
                case 1:
                    _value += _random.Next(0, 400);
                    return Math.Round(_value);
                case 2:
                    _value = Math.Clamp(_value + ((_random.NextDouble() - 0.5) * 2), 10, 200);
                    return Math.Round(_value * 1_048_576 / 4_096) * 4_096;
                default:
                    _value += (_random.NextDouble() - 0.5) * 0.4;
                    return Math.Round(_value, 1);
            }
        }

        public Metric Metric(long from, int steps) =>
            Of([
                .. Enumerable
                    .Range(0, steps)
                    .Select(i => new Sample
                    {
                        Time = from + (i * Step),
                        Value = Value.Of(Next()),
                        Attributes = Attributes,
                    }),
            ]);

        public Metric Of(IReadOnlyList<Sample> samples) =>
            new(Name, "", "", IsCounter ? MetricKind.Sum : MetricKind.Gauge, Resource, InstrumentationScope.None, samples)
            {
                IsMonotonic = IsCounter,
                Temporality = IsCounter ? Temporality.Cumulative : Temporality.Unspecified,
            };

        public Attributes Attributes { get; } = new(["place"], [Value.Of((long)place)]);
        private Resource Resource { get; } =
            new(new Attributes(["host.name"], [Value.Of("host-" + (place / Names).ToString(CultureInfo.InvariantCulture))]));
    }

    private sealed record Made(int[] Series, long[] Times, double[] Values, int Width)
    {
        public int Count => Series.Length;

        public SampleBatch Of() => new(Series, Times, Values, null, null);

        public List<Metric> Metrics(Series[] worlds) =>
            [
                .. worlds.Select(
                    (w, s) =>
                        w.Of([
                            .. Enumerable
                                .Range(0, Count / Width)
                                .Select(i => new Sample
                                {
                                    Time = Times[(i * Width) + s],
                                    Value = Value.Of(Values[(i * Width) + s]),
                                    Attributes = w.Attributes,
                                }),
                        ])
                ),
            ];
    }

    private static Made Batch(int[] ids, Series[] worlds, long from, int steps)
    {
        var (series, times, values) = (new int[ids.Length * steps], new long[ids.Length * steps], new double[ids.Length * steps]);
        for (var (step, at) = (0, 0); step < steps; step++)
        for (var s = 0; s < ids.Length; s++, at++)
            (series[at], times[at], values[at]) = (ids[s], from + (step * Step), worlds[s].Next());
        return new Made(series, times, values, ids.Length);
    }
}
