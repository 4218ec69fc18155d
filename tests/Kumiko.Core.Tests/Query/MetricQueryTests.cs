using CsCheck;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Query;
using Kumiko.Core.Query.Metrics;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Metrics;
using Kumiko.Core.Tests.Storage.Metrics;
using NodaTime;
using static Kumiko.Core.Records.Instants;

namespace Kumiko.Core.Tests.Query;

/// <summary><c>from metrics</c>: what it answers, against the naive evaluation of all samples.</summary>
public sealed class MetricQueryTests : MetricTest
{
    private sealed record Given(
        string Host,
        MetricKind Kind,
        Temporality Temporality,
        long Start,
        List<(long Time, double Value)> Samples
    );

    /// <summary>Two days of some series: steady ones with gaps, restarts, repeats and late samples.</summary>
    private static readonly Gen<List<Given>> Series =
        from kinds in Gen.OneOf(
            Gen.Const((MetricKind.Gauge, Temporality.Unspecified)),
            Gen.Const((MetricKind.Sum, Temporality.Cumulative)),
            Gen.Const((MetricKind.Sum, Temporality.Delta))
        )
        from hosts in Gen.Int[1, 3]
        from series in (
            from step in Gen.OneOf(Gen.Const(10 * Second), Gen.Const(61 * Second), Gen.Const(7 * Minute))
            from begin in Gen.Long[0, Day]
            from count in Gen.Int[1, 400]
            from values in Gen.OneOf(
                Gen.Int[0, 9_999].Select(i => i / 100.0),
                Gen.Int[-50, 50].Select(i => (double)i),
                Gen.Double[0, 1]
            ).Array[count]
            from skips in Gen.Int[0, 60].Array[count]
            from odd in Gen.Int[0, 20].Array[count]
            select Samples(kinds.Item1, kinds.Item2, step, begin, values, skips, odd)
        ).List[hosts]
        select series.Select((s, i) => new Given("gate-" + i, kinds.Item1, kinds.Item2, 0, s)).ToList();

    private static List<(long, double)> Samples(
        MetricKind kind,
        Temporality temporality,
        long step,
        long from,
        double[] values,
        int[] skips,
        int[] odd
    )
    {
        var samples = new List<(long, double)>();
        var (time, level) = (Today - Day + from, 0.0);
        for (var i = 0; i < values.Length; i++)
        {
            // Now and then an hour is missing, or a counter begins anew.
            time += skips[i] == 0 ? Hour : step;
            // The store refuses what is more than a day ahead of its clock, which stands at 18:00.
            if (time > Today + (18 * Hour) + Day)
                break;
            if (odd[i] == 0)
                level = 0;
            level += Math.Abs(values[i]);
            double value;
            if (odd[i] == 1)
                value = double.NaN;
            else if (kind == MetricKind.Gauge)
                value = values[i];
            else if (temporality == Temporality.Delta)
                value = Math.Abs(values[i]);
            else
                value = Math.Round(level, 2);
            samples.Add((time, value));
            if (odd[i] == 2)
                samples.Add((time - (3 * step), value));
            if (odd[i] == 3)
                samples.Add((time, value + 1));
        }
        return samples;
    }

    /// <summary>What the naive evaluation knows of a series: sorted, the later of two at one time, values only.</summary>
    private static List<(long Time, double Value)> Settled(Given series) =>
        [
            .. series
                .Samples.Select((s, i) => (s.Time, s.Value, i))
                .GroupBy(s => s.Time)
                .Select(g => g.MaxBy(s => s.i))
                .Where(s => !double.IsNaN(s.Value))
                .OrderBy(s => s.Time)
                .Select(s => (s.Time, s.Value)),
        ];

    private static (double Growth, double Rate)? Growth(Given series, Window window, long from, long to)
    {
        double growth = 0;
        long covered = 0;
        var any = false;
        (long Time, double Value)? before = null;
        foreach (var sample in Settled(series).Where(s => s.Time >= window.From - (5 * Minute) && s.Time < window.To))
        {
            if (
                sample.Time >= from
                && sample.Time < to
                && sample.Time >= window.From
                && (before is not null || series.Temporality == Temporality.Delta)
            )
            {
                any = true;
                growth +=
                    series.Temporality == Temporality.Delta || sample.Value < before!.Value.Value
                        ? sample.Value
                        : sample.Value - before.Value.Value;
                covered += before is { } b ? sample.Time - b.Time : 0;
            }
            before = sample;
        }
        return any ? (growth, covered > 0 ? growth / (covered / 1e9) : double.NaN) : null;
    }

    private static string Naive(IReadOnlyList<Given> series, Window window, long step)
    {
        var rows = new List<string>();
        for (var start = window.From; start < window.To; start += step)
            foreach (var one in series)
            {
                var values = Settled(one).Where(s => s.Time >= start && s.Time < start + step && s.Time < window.To).ToList();
                var growth = Growth(one, window, start, start + step);
                double[] sorted = [.. values.Select(v => v.Value).Order()];
                double? At(double share)
                {
                    if (sorted.Length == 0)
                        return null;
                    if (
                        sorted[(int)Math.Floor((sorted.Length - 1) * share)] is var below
                        && Math.Min((int)Math.Floor((sorted.Length - 1) * share) + 1, sorted.Length - 1) is var above
                    )
                        return below
                            + (
                                (((sorted.Length - 1) * share) - Math.Floor((sorted.Length - 1) * share))
                                * (sorted[above] - below)
                            );
                    return null;
                }
                double?[] figures =
                [
                    values.Count,
                    values.Count == 0 ? null : values.Sum(v => v.Value),
                    values.Count == 0 ? null : values.Average(v => v.Value),
                    values.Count == 0 ? null : sorted[0],
                    values.Count == 0 ? null : sorted[^1],
                    values.Count == 0 ? null : values[0].Value,
                    values.Count == 0 ? null : values[^1].Value,
                    growth?.Growth,
                    growth is { Rate: var rate } && !double.IsNaN(rate) ? rate : null,
                    At(0.95),
                ];
                rows.Add(
                    FormattableString.Invariant($"{(start - Today) / (double)Minute}m {one.Host} ")
                        + string.Join(
                            ' ',
                            figures.Select(f =>
                                f is { } figure ? FormattableString.Invariant($"{Math.Round(figure, 6) + 0.0:G9}") : "–"
                            )
                        )
                );
            }
        return string.Join("; ", rows);
    }

    private static string Rounded(Frame frame) =>
        Told(
            frame with
            {
                Rows =
                [
                    .. frame.Rows.Select(row =>
                        Array.ConvertAll(row, v => v.Kind == ValueKind.Decimal ? Value.Of(Math.Round(v.AsDouble, 6) + 0.0) : v)
                    ),
                ],
            }
        );

    [Fact]
    public void Figures_equal_the_naive_ones_from_memory_segments_and_levels() =>
        Gen.Select(
                Series,
                Gen.OneOf(
                    Gen.Const(Minute),
                    Gen.Const(10 * Minute),
                    Gen.Const(Hour),
                    Gen.Const(6 * Hour),
                    Gen.Const(Day),
                    Gen.Const(17 * Minute)
                ),
                Gen.Int[0, 1_440],
                Gen.Int[30, 2_900]
            )
            .Sample(
                (series, step, offset, length) =>
                {
                    var window = new Window(Today - Day + (offset * Minute), 0);
                    // Whole steps from midnight, so that the naive one need not cut them in a zone; few enough to answer.
                    window = window with { From = window.From - ((window.From - Today) % step + step) % step };
                    if (Day % step != 0)
                        window = window with { From = Today - Day };
                    window = window with
                    {
                        To = Math.Min(
                            window.From + Math.Min(length * Minute, 300 * step),
                            Day % step == 0 ? long.MaxValue : Today
                        ),
                    };
                    window = window with { To = window.From + Math.Max(step, (window.To - window.From) / step * step) };
                    Tried(series, window, step);
                },
                iter: Cases.Of(60),
                threads: 1
            );

    private void Tried(List<Given> series, Window window, long step)
    {
        var folder = Directory.CreateTempSubdirectory("kumiko-test-").FullName;
        try
        {
            using var records = Open(path: Path.Combine(folder, "records.db"));
            using var metrics = Metrics(records);
            var query =
                $"from metrics name = depth | group count() as n, sum(value) as s, avg(value) as a, min(value) as lo, max(value) as hi, first(value) as f, last(value) as l, growth(value) as i, per_second(value) as r, p95(value) as p by host per {step / Minute}m | order by time, host";
            var expected = Naive(series, window, step);
            // In three parts, sealed and closed between them, so that every way of lying about is met.
            for (var part = 0; part < 3; part++)
            {
                foreach (var one in series)
                    metrics
                        .Append(
                            [
                                Of(
                                    "depth",
                                    one.Samples.Where((_, i) => i * 3 / one.Samples.Count == part),
                                    one.Host,
                                    one.Kind,
                                    one.Temporality
                                ),
                            ],
                            "quay"
                        )
                        .GetAwaiter()
                        .GetResult();
                if (part == 2)
                    Same(expected, Hosts(Rounded(Ask(records, metrics, query, window)), expected));
                metrics.Upkeep.Seal().GetAwaiter().GetResult();
                if (part == 1)
                    metrics.Upkeep.CloseDays().GetAwaiter().GetResult();
            }
            Same(expected, Hosts(Rounded(Ask(records, metrics, query, window)), expected));
            metrics.Upkeep.CloseDays().GetAwaiter().GetResult();
            Same(expected, Hosts(Rounded(Ask(records, metrics, query, window)), expected));
        }
        finally
        {
            Directory.Delete(folder, true);
        }
    }

    /// <summary>Hosts without a sample in the window are no groups of the answer; the naive rows have them.</summary>
    private static string Hosts(string told, string expected)
    {
        var there = told.Split("; ").Where(r => r.Length > 0).Select(r => r.Split(' ')[1]).ToHashSet();
        return string.Join(
            "; ",
            expected
                .Split("; ")
                .Where(r => !there.Contains(r.Split(' ')[1]) && r.EndsWith(" 0 – – – – – – – – –", StringComparison.Ordinal))
                .Concat(told.Split("; "))
                .Where(r => r.Length > 0)
                .OrderBy(r => double.Parse(r.Split('m')[0], System.Globalization.CultureInfo.InvariantCulture))
                .ThenBy(r => r.Split(' ')[1], StringComparer.Ordinal)
        );
    }

    /// <summary>Equal but for the last digit, where a figure lies in the middle between two.</summary>
    private static void Same(string expected, string told)
    {
        var (wanted, had) = (expected.Split(' '), told.Split(' '));
        var differs =
            wanted.Length != had.Length ? 0 : Enumerable.Range(0, had.Length).FirstOrDefault(i => !IsSame(wanted[i], had[i]), -1);
        if (differs >= 0)
            Assert.Equal(expected, told);
    }

    private static bool IsSame(string wanted, string had) =>
        wanted == had
        || (Number(wanted) is { } a && Number(had) is { } b && Math.Abs(a - b) <= 2e-9 * Math.Max(Math.Abs(a), 1_000));

    private static double? Number(string text) =>
        double.TryParse(
            text.TrimEnd(';'),
            System.Globalization.NumberStyles.Float,
            System.Globalization.CultureInfo.InvariantCulture,
            out var number
        )
            ? number
            : null;

    private static Distribution Took(params ulong[] counts) =>
        new(counts.Aggregate(0UL, (a, b) => a + b), counts.Select((c, i) => c * (i + 0.5)).Sum())
        {
            Bounds = [1, 2, 3],
            Counts = counts,
        };

    private static Metric Histogram(Temporality temporality, string host, params (long Time, Distribution Value)[] samples) =>
        new(
            "took",
            "s",
            "",
            MetricKind.Histogram,
            Resource.Unknown,
            InstrumentationScope.None,
            [
                .. samples.Select(s => new Core.Records.Sample
                {
                    Time = s.Time,
                    Distribution = s.Value,
                    Attributes = new Attributes(["host"], [Value.Of(host)]),
                }),
            ]
        )
        {
            Temporality = temporality,
        };

    [Fact]
    public async Task Quantiles_of_histograms_are_read_after_their_series_are_merged()
    {
        using var records = Open();
        using var metrics = Metrics(records);
        var at = Today - Day;
        // One host is quick a hundred times, the other slow ten times: the mean of their medians would be 2.
        await metrics.Append(
            [
                Histogram(Temporality.Cumulative, "a", (at, Took(50, 0, 0, 0)), (at + Minute, Took(150, 0, 0, 0))),
                Histogram(
                    Temporality.Cumulative,
                    "b",
                    (at, Took(0, 0, 0, 0)),
                    (at + Minute, Took(0, 0, 0, 10)),
                    (at + (2 * Minute), Took(0, 0, 4, 0))
                ),
            ],
            "quay"
        );
        var query =
            "from metrics name = took | group p50(value) as half, avg(value) as mean, growth(value) as n, count() as samples per 1m";
        const string Expected = "-1440m – – – 2; -1439m 0.55 0.772727273 110 2; -1438m 2.5 2.5 4 1";
        var window = new Window(at, at + (3 * Minute));
        Assert.Equal(Expected, Told(Ask(records, metrics, query, window)));
        await metrics.Upkeep.Seal();
        await metrics.Upkeep.CloseDays();
        Assert.Equal(Expected, Told(Ask(records, metrics, query, window)));
        Assert.Equal(
            "-1440m 114",
            Told(Ask(records, metrics, "from metrics name = took | group growth(value) per 1d", new Window(at, Today)))
        );
        Assert.Equal(
            ["time", "name", "value", "count", "sum"],
            Ask(records, metrics, "from metrics", window).Schema.Columns.Take(5).Select(c => c.Name)
        );
    }

    [Fact]
    public void Percentiles_of_a_histogram_never_lie_beyond_its_known_extremes()
    {
        // One value of .00038 in a bucket that goes to .005.
        var one = new DistributionSum();
        one.Add(
            new Distribution(1, 0.00038)
            {
                Bounds = [0.005, 0.01],
                Counts = [1, 0, 0],
                Min = 0.00038,
                Max = 0.00038,
            },
            null
        );
        foreach (var share in new[] { 0, 0.5, 0.999, 1 })
            Assert.Equal((0.00038, false), one.At(share));
        // Cumulative: what it says of all that it counted holds for a part of it too.
        var part = new DistributionSum();
        part.Add(
            new Distribution(5, 9)
            {
                Bounds = [1, 2],
                Counts = [0, 0, 5],
                Min = 2.5,
                Max = 4,
            },
            new Distribution(3, 5)
            {
                Bounds = [1, 2],
                Counts = [0, 0, 3],
                Min = 2.5,
                Max = 4,
            }
        );
        Assert.InRange(part.At(0.01).Value, 2.5, 4);
        Assert.Equal((4, false), part.At(1));
    }

    [Fact]
    public void Percentiles_of_a_histogram_never_lie_outside_what_all_its_parts_tell() =>
        Gen.Select(Gen.Double[0.01, 9].Array[1, 40], Gen.Double[0.01, 9].Array[1, 40], Gen.Bool)
            .Sample(
                (a, b, told) =>
                {
                    var sum = new DistributionSum();
                    foreach (var values in new[] { a, b })
                    {
                        var counts = new ulong[4];
                        foreach (var v in values)
                            counts[
                                v switch
                                {
                                    <= 1 => 0,
                                    <= 2 => 1,
                                    <= 4 => 2,
                                    _ => 3,
                                }
                            ]++;
                        sum.Add(
                            new Distribution((ulong)values.Length, values.Sum())
                            {
                                Bounds = [1, 2, 4],
                                Counts = counts,
                                Min = values.Min(),
                                Max = told || ReferenceEquals(values, a) ? values.Max() : null,
                            },
                            null
                        );
                    }
                    foreach (var share in new[] { 0.01, 0.5, 0.99 })
                    {
                        var (value, isBeyond) = sum.At(share);
                        Assert.InRange(value, Math.Min(a.Min(), b.Min()), told ? Math.Max(a.Max(), b.Max()) : 9);
                        if (told)
                            Assert.False(isBeyond);
                        if (isBeyond)
                            Assert.Equal(4, value);
                    }
                    // Kept and read again it knows as much.
                    using var bytes = new Core.Storage.Columns.ByteWriter(256);
                    sum.Write(bytes);
                    var from = new Core.Storage.Columns.ByteReader(bytes.Written);
                    Assert.Equal(sum.At(0.9), DistributionSum.Read(ref from).At(0.9));
                }
            );

    [Fact]
    public async Task A_percentile_in_the_last_bucket_says_beyond_which_value_it_lies()
    {
        using var records = Open();
        using var metrics = Metrics(records);
        await metrics.Append([Histogram(Temporality.Delta, "a", (Today, Took(1, 0, 0, 9)))], "quay");
        var row = Ask(
            records,
            metrics,
            "from metrics name = took | group p50(value) as half, percentile(value, 5) as low",
            new Window(Today, Today + Hour)
        ).Rows[0];
        Assert.Equal((3.0, ValueMarks.Beyond), (row[0].AsDouble, row[0].Marks));
        Assert.Equal(ValueMarks.Approximate, row[1].Marks);
    }

    [Theory]
    [InlineData(0, 40)]
    [InlineData(-1, 40)]
    [InlineData(5, 100)]
    public async Task A_cumulative_counter_counts_from_its_start_where_that_lies_in_the_window(int start, double growth)
    {
        using var records = Open();
        using var metrics = Metrics(records);
        var began = start == 0 ? 0 : Today + (start * Second);
        await metrics.Append(
            [
                new Metric(
                    "tickets",
                    "",
                    "",
                    MetricKind.Sum,
                    Resource.Unknown,
                    InstrumentationScope.None,
                    [
                        .. new[] { (10, 60.0), (20, 100.0) }.Select(s => new Core.Records.Sample
                        {
                            Time = Today + (s.Item1 * Second),
                            Start = began,
                            Value = Value.Of(s.Item2),
                        }),
                    ]
                )
                {
                    Temporality = Temporality.Cumulative,
                    IsMonotonic = true,
                },
            ],
            "quay"
        );
        var window = new Window(Today, Today + Hour);
        for (var closed = 0; closed < 2; closed++)
        {
            var row = Ask(
                records,
                metrics,
                "from metrics name = tickets | group growth(value) as n, per_second(value) as r",
                window
            ).Rows[0];
            Assert.Equal((growth, start == 5 ? growth / 15 : growth / 10), (row[0].AsDouble, row[1].AsDouble));
            await metrics.Upkeep.Seal();
        }
    }

    [Fact]
    public async Task A_cumulative_histogram_counts_from_its_start_too()
    {
        using var records = Open();
        using var metrics = Metrics(records);
        var took = Histogram(
            Temporality.Cumulative,
            "a",
            (Today + Minute, Took(6, 0, 0, 0)),
            (Today + (2 * Minute), Took(10, 0, 0, 0))
        );
        await metrics.Append(
            [
                took with
                {
                    Samples =
                    [
                        .. took.Samples.Select(s => new Core.Records.Sample
                        {
                            Time = s.Time,
                            Start = Today + Second,
                            Distribution = s.Distribution,
                            Attributes = s.Attributes,
                        }),
                    ],
                },
            ],
            "quay"
        );
        Assert.Equal(
            10,
            Ask(records, metrics, "from metrics name = took | group growth(value) as n", new Window(Today, Today + Hour))
                .Rows[0][0]
                .AsDouble
        );
    }

    [Fact]
    public async Task Scope_start_temporality_and_exemplars_can_be_asked_for()
    {
        using var records = Open();
        using var metrics = Metrics(records);
        var exemplar = new Exemplar(
            Today + Second,
            Value.Of(1.5),
            "5b8aa5a2d2c872e8321cf37308d69df2",
            "051581bf3cb55c13",
            new Attributes(["lane"], [Value.Of("2")])
        );
        await metrics.Append(
            [
                new Metric(
                    "tickets",
                    "1",
                    "",
                    MetricKind.Sum,
                    Resource.Unknown,
                    new InstrumentationScope("gate.counter", "7.3", Attributes.Empty),
                    [
                        new Core.Records.Sample
                        {
                            Time = Today + (5 * Second),
                            Start = Today + Second,
                            Value = Value.Of(4.0),
                            Exemplars = [exemplar],
                            Attributes = new Attributes(["terminal"], [Value.Of("Tarnhead")]),
                        },
                    ]
                )
                {
                    Temporality = Temporality.Delta,
                    IsMonotonic = true,
                },
            ],
            "quay"
        );
        await metrics.Append([Of("tide.height", [(Today, 2.5)], "mast")], "radio");
        var window = new Window(Today, Today + Hour);
        var row = Ask(
            records,
            metrics,
            "from metrics scope = gate.counter | select name, scope, scope.version, temporality, start, terminal",
            window
        )
            .Rows.Single();
        Assert.Equal(["tickets", "gate.counter", "7.3", "delta"], row[..4].Select(v => v.AsText));
        Assert.Equal((Today + Second, "Tarnhead"), (row[4].AsLong, row[5].AsText));
        Assert.Equal("1", Told(Ask(records, metrics, "from metrics temporality = delta | group count()", window)));
        var found = Ask(
            records,
            metrics,
            "from exemplars trace_id = 5b8aa5a2d2c872e8321cf37308d69df2 | select time, name, value, span_id, lane, terminal, sample_time, source",
            window
        )
            .Rows.Single();
        Assert.Equal(
            (Today + Second, "tickets", 1.5, "051581bf3cb55c13", "2", "Tarnhead", Today + (5 * Second), "quay"),
            (
                found[0].AsLong,
                found[1].AsText,
                found[2].AsDouble,
                found[3].AsText,
                found[4].AsText,
                found[5].AsText,
                found[6].AsLong,
                found[7].AsText
            )
        );
        Assert.Empty(Ask(records, metrics, "from exemplars", window.Shift(Hour)).Rows);
    }

    [Fact]
    public void Exponential_histograms_of_unlike_scales_merge_within_their_buckets() =>
        Gen.Select(Gen.Double[0.01, 1_000].Array[1, 200], Gen.Double[0.01, 1_000].Array[1, 200], Gen.Int[0, 5], Gen.Int[0, 5])
            .Sample(
                (a, b, scaleA, scaleB) =>
                {
                    var sum = new DistributionSum();
                    foreach (var (values, scale) in new[] { (a, scaleA), (b, scaleB) })
                    {
                        var buckets = values.Select(v => (int)Math.Ceiling(Math.Log2(v) * Math.Pow(2, scale)) - 1).ToList();
                        var counts = new ulong[buckets.Max() - buckets.Min() + 1];
                        foreach (var bucket in buckets)
                            counts[bucket - buckets.Min()]++;
                        sum.Add(
                            new Distribution((ulong)values.Length, values.Sum())
                            {
                                Exponential = new ExponentialBuckets(scale, 0, 0, buckets.Min(), counts, 0, []),
                            },
                            null
                        );
                    }
                    double[] all = [.. a.Concat(b).Order()];
                    var width = Math.Pow(2, Math.Pow(2, -Math.Min(scaleA, scaleB)));
                    foreach (var share in new[] { 0.1, 0.5, 0.99 })
                    {
                        var exact = all[Math.Max(0, (int)Math.Ceiling(share * all.Length) - 1)];
                        Assert.InRange(sum.At(share).Value, exact / width * 0.999, exact * width * 1.001);
                    }
                }
            );

    [Fact]
    public async Task Names_and_attributes_are_fields_with_wildcards_and_rows_are_samples()
    {
        using var records = Open();
        using var metrics = Metrics(records);
        await metrics.Append(
            [
                Of("db.connections.used", [(Today, 3), (Today + Minute, 5)], "seat-1", unit: "{connection}"),
                Of("db.connections.limit", [(Today, 10)], "seat-1"),
                Of("tide.height", [(Today, 2.5)], "mast"),
            ],
            "quay"
        );
        var window = new Window(Today, Today + Hour);
        Assert.Equal(
            "1m db.connections.used 5 seat-1; 0m db.connections.used 3 seat-1",
            Told(Ask(records, metrics, "from metrics name = db.*.used | select time, name, value, host", window))
        );
        Assert.Equal(
            "limit 1; used 2",
            Told(
                Ask(
                    records,
                    metrics,
                    "from metrics name = db.* and host = seat-* | group count() as n by replace(name, \"db.connections.\", \"\") as part | order by part",
                    window
                )
            )
        );
        Assert.Equal(
            "0m 7",
            Told(
                Ask(
                    records,
                    metrics,
                    """
                    with used = (from metrics name = db.connections.used | group avg(value) as v by host per 1m),
                         cap = (from metrics name = db.connections.limit | group max(value) as v by host per 1m)
                    from used | join cap on host, time | set left = cap.v - v | select time, left | where left > 0
                    """,
                    window
                )
            )
        );
        Assert.Equal("0", Told(Ask(records, metrics, "from metrics name = nothing | group count()", window)));
        Assert.Equal("2", Told(Ask(records, metrics, "from metrics value > 4 | group count()", window)));
        Assert.Equal("tide.height", Told(Ask(records, metrics, "from metrics mast | select name", window)));
        Assert.Equal(
            "{connection}",
            Ask(
                records,
                metrics,
                "from metrics name = db.connections.used | group avg(value) as v, per_second(value) as r per 1m",
                window
            )
                .Schema.Columns[1]
                .Unit
        );
        Assert.Equal(
            "60m 5; 61m 3",
            Told(
                Ask(
                    records,
                    metrics,
                    "from metrics over 1h earlier 1h name = db.connections.used | group sum(value) as s per 1m | where s > 0 | order by s desc | set time = if(s > 4, time - 1m, time + 1m)",
                    window.Shift(Hour)
                )
            )
        );
    }

    [Fact]
    public async Task Completion_knows_metrics_their_attributes_and_values()
    {
        using var records = Open();
        using var metrics = Metrics(records);
        await metrics.Append(
            [
                Of("db.connections.used", [(Today, 3)], "seat-1"),
                Of("db.connections.used", [(Today, 3)], "seat-2"),
                Of("tide.height", [(Today, 2.5)], "mast"),
            ],
            "quay"
        );
        using var run = new Kumiko.Core.Query.Run(
            new Kumiko.Core.Query.Question(
                "Ines",
                Kumiko.Core.Language.QueryParser.Parse(""),
                new Window(Today, Today + Hour),
                Today + Hour,
                DateTimeZone.Utc,
                Limits.Default
            ),
            records.Current
        );
        async Task<string> At(string marked)
        {
            var (text, caret) = (marked.Replace("¦", ""), marked.IndexOf('¦'));
            var found = await Kumiko.Core.Query.Completions.At(
                Kumiko.Core.Language.CompletionPlace.At(text, caret),
                run,
                new RowSetBook([new MetricSet(metrics)]),
                text[..caret]
            );
            return string.Join(
                ", ",
                found
                    .Where(c =>
                        c.Kind
                            is Kumiko.Core.Query.CompletionKind.Field
                                or Kumiko.Core.Query.CompletionKind.Value
                                or Kumiko.Core.Query.CompletionKind.Set
                    )
                    .Select(c => c.Label + (c.Count is { } n ? $" {n}" : ""))
            );
        }
        Assert.Contains("metrics", await At("from me¦"));
        Assert.Equal("db.connections.used 2, tide.height 1", await At("from metrics name = ¦"));
        Assert.Equal("seat-1 1, seat-2 1", await At("from metrics name = db.* and host = ¦"));
        Assert.Contains(
            "value, time, name 2, unit 2, kind 2, source 2, service 2, host 2",
            await At("from metrics name = db.connections.used | group avg(value) by ¦")
        );
        Assert.Equal(
            "v, host",
            await At("from metrics name = db.* | group avg(value) as v by host | where ¦") is var after
                ? string.Join(", ", after.Split(", ").OrderDescending())
                : ""
        );
        Assert.DoesNotContain("tide", await At("from logs name = ¦"));
    }

    [Fact]
    public async Task A_catalogue_tells_kinds_attributes_and_a_query_that_draws()
    {
        using var records = Open();
        using var metrics = Metrics(records);
        await metrics.Append(
            [
                Of("db.connections.used", [(Today, 3)], "seat-1", unit: "{connection}"),
                Of("db.connections.used", [(Today, 4)], "seat-2", unit: "{connection}"),
                Of("scans", [(Today, 4)], "gate-1", MetricKind.Sum, Temporality.Cumulative),
                Histogram(Temporality.Delta, "a", (Today, Took(1))),
            ],
            "quay"
        );
        var catalogue = new Kumiko.Core.Query.Metrics.MetricCatalogue(metrics);
        Assert.Equal(
            ["db.connections.used gauge {connection} 2", "scans counter  1", "took histogram s 1"],
            catalogue.All().Select(e => $"{e.Name} {e.Kind} {e.Unit} {e.Series}")
        );
        Assert.Equal(
            (Today, 3.0, "quay"),
            catalogue.All()[0] is var first ? (first.LastTime, first.LastValue, first.Sources.Single()) : default
        );
        Assert.Equal(
            ["host 2: seat-1 1, seat-2 1", "service 1: seat-ledger 2"],
            catalogue
                .Details("db.connections.used")!
                .Attributes.Select(a =>
                    $"{a.Name} {a.Distinct}: {string.Join(", ", a.Values.Select(v => $"{v.Value} {v.Series}"))}"
                )
        );
        Assert.Null(catalogue.Details("nothing"));
        Assert.Equal(
            "from metrics name = db.connections.used\n| group avg(value) as mean by host per auto",
            catalogue.QueryFor("db.connections.used")
        );
        Assert.Equal("from metrics name = scans\n| group per_second(value) as rate per auto", catalogue.QueryFor("scans"));
        Assert.Contains("p95(value) as slow", catalogue.QueryFor("took"));
        Assert.Equal("scans", Assert.Single(catalogue.All(), e => e.Has("COUNTER quay")).Name);
        foreach (var entry in catalogue.All())
            Assert.NotEmpty(Ask(records, metrics, catalogue.QueryFor(entry.Name), new Window(Today, Today + Hour)).Rows);
    }

    [Fact]
    public async Task Counters_behind_conditions_on_samples_are_refused_with_a_way_out()
    {
        using var records = Open();
        using var metrics = Metrics(records);
        await metrics.Append([Of("scans", [(Today, 3)], "gate-1", MetricKind.Sum, Temporality.Cumulative)], "quay");
        var e = Assert.Throws<QueryRefusedException>(() =>
            Ask(
                records,
                metrics,
                "from metrics name = scans | where value > 2 | group growth(value) per 1m",
                new Window(Today, Today + Hour)
            )
        );
        Assert.Contains("put conditions on value or time behind the group", e.Message);
        var many = Assert.Throws<QueryRefusedException>(() =>
            Ask(
                records,
                metrics,
                "from metrics | group avg(value) by host per 1s",
                new Window(Today, Today + Hour),
                limits: Limits.Default with
                {
                    Rows = 100,
                }
            )
        );
        Assert.Contains("more than 100 rows", many.Message);
    }

    [Fact]
    public async Task A_restart_that_is_said_counts_though_the_value_did_not_fall()
    {
        using var records = Open();
        using var metrics = Metrics(records);
        await metrics.Append(
            [
                Of("scans", [(Today, 3)], "g", MetricKind.Sum, Temporality.Cumulative, Today - Hour),
                Of("scans", [(Today + Minute, 7)], "g", MetricKind.Sum, Temporality.Cumulative, Today + 1),
            ],
            "quay"
        );
        Assert.Equal(
            "7",
            Told(Ask(records, metrics, "from metrics name = scans | group growth(value)", new Window(Today, Today + Hour)))
        );
    }

    [Fact]
    public async Task Days_are_cut_in_the_zone_of_the_question_and_levels_only_where_they_fit()
    {
        using var records = Open();
        using var metrics = Metrics(records);
        await metrics.Append(
            [Of("depth", Enumerable.Range(0, 8_640).Select(i => (Today - Day + (i * 10 * Second), 1.0)), "a")],
            "quay"
        );
        await metrics.Upkeep.Seal();
        await metrics.Upkeep.CloseDays();
        foreach (
            var zone in new[]
            {
                DateTimeZone.ForOffset(Offset.FromHoursAndMinutes(5, 45)),
                DateTimeZone.ForOffset(Offset.FromHours(-3)),
                DateTimeZoneProviders.Tzdb["Europe/Berlin"],
            }
        )
        {
            var frame = Ask(
                records,
                metrics,
                "from metrics name = depth | group count() as n per 1d",
                new Window(Today - (2 * Day), Today + Day),
                zone
            );
            Assert.Equal(8_640, frame.Rows.Sum(r => r[1].AsLong));
            foreach (var row in frame.Rows)
            {
                var (from, to) = (row[0].AsLong, row[0].AsLong + Day);
                Assert.Equal(Math.Max(0, Math.Min(to, Today) - Math.Max(from, Today - Day)) / (10 * Second), row[1].AsLong);
            }
        }
    }
}
