using CsCheck;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Core.Spans;
using Kumiko.Core.Spans.Figures;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Metrics;
using Kumiko.Core.Storage.Spans;
using Kumiko.Core.Tests.Storage;

namespace Kumiko.Core.Tests.Spans;

/// <summary>What is kept per minute of spans and calls.</summary>
public sealed class FigureTests : StoreTest
{
    private long Now => Instants.FromDateTime(Clock.GetUtcNow());

    /// <summary>A store of spans with its figures, all at one place on disk.</summary>
    private sealed class Kept : IDisposable
    {
        private readonly AppDatabase _database;

        public Kept(FigureTests test, string folder)
        {
            Records = test.Open(path: Path.Combine(folder, "records.db"));
            Metrics = new MetricStore(Records, test.Clock, MetricOptions.Default with { Background = false });
            _database = new AppDatabase(Path.Combine(folder, "kumiko.db"));
            Failures = new FailureRules(new FailureStore(_database, test.Clock));
            Spans = new SpanStore(Records);
            Figures = new SpanFigures(Records, Metrics, Failures, test.Clock, isBackground: false);
        }

        public RecordStore Records { get; }
        public MetricStore Metrics { get; }
        public FailureRules Failures { get; }
        public SpanStore Spans { get; }
        public SpanFigures Figures { get; }

        /// <summary>What a metric adds up to, by minute, service and what its series say.</summary>
        public SortedDictionary<string, double> Sums(string name)
        {
            var sums = new SortedDictionary<string, double>(StringComparer.Ordinal);
            foreach (var metric in Metrics.Read(Ever).Where(m => m.Name == name))
            foreach (var sample in metric.Samples)
            {
                var key =
                    $"{(sample.Time - (sample.Time % Instants.Minute)) / Instants.Minute % 1440} {metric.Resource.Service.ToText()} {metric.Resource.Host.ToText()} {string.Join(' ', Said(sample.Attributes))}";
                sums[key] = sums.GetValueOrDefault(key) + (sample.Distribution is { } d ? d.Count : sample.Value.AsDouble);
            }
            return sums;
        }

        private static IEnumerable<string> Said(Attributes fields) =>
            fields
                .Names.ToArray()
                .Zip(fields.Values.ToArray())
                .OrderBy(f => f.First, StringComparer.Ordinal)
                .Select(f => f.Second.ToText());

        public void Dispose()
        {
            Figures.Dispose();
            Metrics.Dispose();
            Records.Dispose();
            _database.Dispose();
        }
    }

    private Kept Open(string folder) => new(this, Directory.CreateDirectory(Path.Combine(Folder, folder)).FullName);

    private static readonly string[] Services = ["booking", "gate-control", "tide-feed"];

    private static Span SpanOf(
        string id,
        string? parent,
        string service,
        string name,
        SpanKind kind,
        long start,
        long length = 40_000_000,
        bool failed = false,
        string? peer = null,
        string trace = "1",
        string state = "",
        string peerField = "server.address"
    ) =>
        new()
        {
            TraceId = trace.PadLeft(32, '0'),
            SpanId = id.PadLeft(16, '0'),
            ParentId = parent?.PadLeft(16, '0'),
            Name = name,
            Kind = kind,
            Start = start,
            End = start + length,
            Status = failed ? SpanStatus.Error : SpanStatus.Unset,
            TraceState = state,
            Resource = new Resource(
                new Attributes(["service.name", "host.name"], [Value.Of(service), Value.Of("kettle-" + service[0])])
            ),
            Attributes = peer is null ? Attributes.Empty : new Attributes([peerField], [Value.Of(peer)]),
        };

    private static string Joined(IReadOnlyDictionary<string, double> sums) =>
        string.Join(
            "\n",
            sums.Where(s => s.Value != 0).Select(s => FormattableString.Invariant($"{s.Key} = {Math.Round(s.Value, 6)}"))
        );

    /// <summary>A random trace: a tree of spans of some services, some of them missing, with ids as numbers.</summary>
    private static List<Span> Trace(Random random, int number, long start)
    {
        var spans = new List<Span>();
        var next = 1;
        void Within(string? parent, string service, int depth)
        {
            for (var n = random.Next(3); n > 0 && depth < 5; n--)
            {
                var id = next++.ToString("x");
                var at = start + (random.Next(200) * Instants.Second);
                switch (random.Next(5))
                {
                    case 0:
                        Add(SpanOf(id, parent, service, "step", SpanKind.Internal, at));
                        Within(id, service, depth + 1);
                        break;
                    case 1:
                        Add(
                            SpanOf(
                                id,
                                parent,
                                service,
                                "tell",
                                SpanKind.Producer,
                                at,
                                peer: "notices",
                                peerField: "messaging.destination.name"
                            )
                        );
                        for (var takes = random.Next(3); takes > 0; takes--)
                            Enter(id, SpanKind.Consumer, depth);
                        break;
                    case 2:
                        Add(SpanOf(id, parent, service, "read", SpanKind.Client, at, peer: "ledger", peerField: "db.name"));
                        break;
                    default:
                        Add(
                            SpanOf(
                                id,
                                parent,
                                service,
                                "ask",
                                SpanKind.Client,
                                at,
                                failed: random.Next(4) == 0,
                                peer: random.Next(3) == 0 ? null : "pay.example"
                            )
                        );
                        // Now and then nobody answers, or one that was asked again.
                        for (var answers = random.Next(3); answers > 0; answers--)
                            Enter(id, SpanKind.Server, depth);
                        break;
                }
            }
        }
        void Enter(string? parent, SpanKind kind, int depth)
        {
            var (id, service) = (next++.ToString("x"), Services[random.Next(3)]);
            Add(
                SpanOf(
                    id,
                    parent,
                    service,
                    "serve" + (char)('a' + random.Next(2)),
                    kind,
                    start + (random.Next(200) * Instants.Second),
                    failed: random.Next(5) == 0
                )
            );
            Within(id, service, depth + 1);
        }
        void Add(Span span)
        {
            if (random.Next(12) == 0)
                return;
            spans.Add(
                new Span
                {
                    TraceId = number.ToString("x32"),
                    SpanId = span.SpanId,
                    ParentId = span.ParentId,
                    Name = span.Name,
                    Kind = span.Kind,
                    Start = span.Start,
                    End = span.End,
                    Status = span.Status,
                    Resource = span.Resource,
                    Attributes = span.Attributes,
                    TraceState = random.Next(4) == 0 ? "ot=th:8" : "",
                }
            );
        }
        for (var roots = 1 + random.Next(2); roots > 0; roots--)
            Enter(null, SpanKind.Server, 0);
        return spans;
    }

    /// <summary>The calls of spans as they are told in one look at all of them.</summary>
    private static (SortedDictionary<string, double> Calls, SortedDictionary<string, double> Unmatched) Naive(
        IReadOnlyList<Span> came
    )
    {
        var byId = came.ToDictionary(s => s.TraceId + s.SpanId);
        var (calls, unmatched) = (
            new SortedDictionary<string, double>(StringComparer.Ordinal),
            new SortedDictionary<string, double>(StringComparer.Ordinal)
        );
        Span? Parent(Span s) => s.ParentId is { } id ? byId.GetValueOrDefault(s.TraceId + id) : null;
        string Service(Span s) => s.Resource.Service.ToText();
        bool IsEntry(Span s) => s.Kind is SpanKind.Server or SpanKind.Consumer;
        string Within(Span s)
        {
            if (IsEntry(s) || s.ParentId is null)
                return s.Name;
            if (Parent(s) is not { } parent)
                return "";
            return Service(parent) == Service(s) ? Within(parent) : s.Name;
        }
        string Minute(Span s) => $"{(s.Start - (s.Start % Instants.Minute)) / Instants.Minute % 1440}";
        void Add(SortedDictionary<string, double> sums, string key, Span s) =>
            sums[key] = sums.GetValueOrDefault(key) + SamplingWeight.Of(s.TraceState);
        void Call(Span caller, Span seen, string callee, string host, string kind, string queue = "") =>
            Add(
                calls,
                $"{Minute(seen)} {Service(caller)}  "
                    + string.Join(' ', new[] { callee, host, kind, Within(caller), queue }.Where(f => f.Length > 0)),
                seen
            );
        var counted = new HashSet<Span>(ReferenceEqualityComparer.Instance);
        foreach (var database in came.Where(s => s.Attributes.Get("db.name") is { IsMissing: false }))
        {
            counted.Add(database);
            Call(database, database, "ledger", "", "database");
        }
        foreach (var callee in came)
        {
            if (Parent(callee) is not { } caller || (!IsEntry(callee) && Service(caller) == Service(callee)))
                continue;
            if (caller.Kind == SpanKind.Producer || callee.Kind == SpanKind.Consumer)
            {
                counted.Add(caller);
                Call(
                    caller,
                    callee,
                    Service(callee),
                    callee.Resource.Host.ToText(),
                    "queue",
                    caller.Kind == SpanKind.Producer ? "notices" : ""
                );
            }
            else if (caller.Kind != SpanKind.Client)
                Call(caller, callee, Service(callee), callee.Resource.Host.ToText(), "service");
            else if (counted.Add(caller))
                Call(caller, caller, Service(callee), callee.Resource.Host.ToText(), "service");
        }
        foreach (var span in came)
        {
            var waits = span.Kind is SpanKind.Client or SpanKind.Producer && !counted.Contains(span);
            if (waits && span.Kind == SpanKind.Producer)
                Call(span, span, "", "", "queue", "notices");
            else if (waits && span.Attributes.Count > 0)
                Call(span, span, "pay.example", "", "outside");
            else if (waits || (IsEntry(span) && span.ParentId is not null && Parent(span) is null))
                Add(unmatched, $"{Minute(span)} {Service(span)}  ", span);
        }
        return (calls, unmatched);
    }

    [Fact]
    public Task Calls_are_those_of_a_look_at_all_spans_whatever_the_order_they_came_in() =>
        Gen.Int[0, 1_000_000]
            .SampleAsync(
                async seed =>
                {
                    var random = new Random(seed);
                    var start = Now - (Now % Instants.Minute) - Instants.Hour;
                    var spans = Enumerable.Range(1, 1 + random.Next(12)).SelectMany(n => Trace(random, n, start)).ToArray();
                    random.Shuffle(spans);
                    if (spans.Length == 0)
                        return;
                    var folder = Guid.NewGuid().ToString("N");
                    var kept = Open(folder);
                    foreach (var batch in spans.Chunk(1 + random.Next(20)))
                    {
                        await kept.Spans.Append(batch, "quay");
                        if (random.Next(3) == 0)
                            await kept.Figures.Flush();
                        if (random.Next(4) == 0)
                            await kept.Records.Upkeep.SealAll();
                        if (random.Next(6) == 0)
                        {
                            kept.Dispose();
                            kept = Open(folder);
                        }
                    }
                    await kept.Figures.Flush();
                    Clock.Advance(TimeSpan.FromMinutes(11));
                    await kept.Figures.Flush();
                    var (calls, unmatched) = Naive(spans);
                    Assert.Equal(Joined(calls), Joined(kept.Sums("calls")));
                    Assert.Equal(Joined(unmatched), Joined(kept.Sums("spans.unmatched")));
                    Assert.Equal(spans.Sum(s => SamplingWeight.Of(s.TraceState)), kept.Sums("spans").Values.Sum(), 6);
                    Assert.Equal(
                        spans.Where(s => s.Status == SpanStatus.Error).Sum(s => SamplingWeight.Of(s.TraceState)),
                        kept.Sums("spans.failed").Values.Sum(),
                        6
                    );
                    kept.Dispose();
                },
                iter: Cases.Of(40),
                threads: 1
            );

    [Fact]
    public async Task Spans_are_counted_by_service_operation_kind_and_host_and_ids_are_folded()
    {
        using var kept = Open("a");
        var minute = Now - (Now % Instants.Minute) - (5 * Instants.Minute);
        await kept.Spans.Append(
            [
                .. Enumerable
                    .Range(0, 20)
                    .Select(i =>
                        SpanOf(
                            (i + 1).ToString("x"),
                            null,
                            "booking",
                            $"GET /sailings/{8_800 + i}/seats",
                            SpanKind.Server,
                            minute + i,
                            failed: i < 3
                        )
                    ),
                SpanOf("ff", null, "booking", "book seat", SpanKind.Server, minute, trace: "2"),
            ],
            "quay"
        );
        await kept.Figures.Flush();
        var of = minute / Instants.Minute % 1440;
        Assert.Equal(
            $"{of} booking kettle-b server GET /sailings/{{id}}/seats = 20\n{of} booking kettle-b server book seat = 1",
            Joined(kept.Sums("spans"))
        );
        Assert.Equal($"{of} booking kettle-b server GET /sailings/{{id}}/seats = 3", Joined(kept.Sums("spans.failed")));
        Assert.Equal(Joined(kept.Sums("spans")), Joined(kept.Sums("spans.duration")));
        Assert.Equal(21 * Math.Log(0.04), kept.Sums("spans.log_duration").Values.Sum(), 9);
    }

    [Theory]
    [InlineData("GET /sailings/8812/seats", "GET /sailings/{id}/seats")]
    [InlineData("GET /v2/sailings", "GET /v2/sailings")]
    [InlineData("GET /claims/5b8aa5a2-d2c8-72e8-321c-f37308d69df2?x=1", "GET /claims/{id}?x={id}")]
    [InlineData("book SK-20417 seat 12", "book {id} seat {id}")]
    [InlineData("read 5b8aa5a2d2c872e8", "read {id}")]
    [InlineData("gate-t3 open", "gate-t3 open")]
    [InlineData("deadbeef facade", "deadbeef facade")]
    [InlineData("10", "{id}")]
    [InlineData("", "")]
    public void Ids_in_names_are_folded(string name, string folded) => Assert.Equal(folded, OperationNames.Folded(name));

    [Fact]
    public async Task What_comes_late_adds_to_its_minute_and_nothing_is_counted_twice()
    {
        using var kept = Open("a");
        var minute = Now - (Now % Instants.Minute) - (5 * Instants.Minute);
        for (var i = 1; i <= 5; i++)
        {
            await kept.Spans.Append([SpanOf(i.ToString("x"), null, "booking", "book", SpanKind.Server, minute + i)], "quay");
            await kept.Figures.Flush();
            await kept.Figures.Flush();
            Assert.Equal(i, kept.Sums("spans").Values.Sum());
        }
    }

    [Fact]
    public async Task A_parent_that_comes_within_ten_minutes_is_met_and_one_that_comes_later_is_not()
    {
        using var kept = Open("a");
        var start = Now;
        async Task Send(Span span)
        {
            await kept.Spans.Append([span], "quay");
            await kept.Figures.Flush();
        }
        await Send(SpanOf("2", "1", "gate-control", "open", SpanKind.Server, start, trace: "1"));
        await Send(SpanOf("2", "1", "gate-control", "open", SpanKind.Server, start, trace: "2"));
        Clock.Advance(TimeSpan.FromMinutes(9));
        await Send(SpanOf("1", null, "booking", "ask", SpanKind.Client, start, trace: "1", peer: "gate"));
        Clock.Advance(TimeSpan.FromMinutes(2));
        await Send(SpanOf("1", null, "booking", "ask", SpanKind.Client, start, trace: "2", peer: "gate"));
        Assert.Equal(1, kept.Sums("calls").Single(c => c.Key.Contains("gate-control", StringComparison.Ordinal)).Value);
        Assert.Equal(1, kept.Sums("spans.unmatched").Values.Sum());
    }

    [Fact]
    public async Task A_party_that_never_answered_is_an_outside_one_after_two_minutes()
    {
        using var kept = Open("a");
        await kept.Spans.Append([SpanOf("1", null, "booking", "pay", SpanKind.Client, Now, peer: "pay.example")], "quay");
        await kept.Figures.Flush();
        Assert.Empty(kept.Sums("calls"));
        Clock.Advance(TimeSpan.FromMinutes(3));
        await kept.Figures.Flush();
        Assert.Equal("pay.example outside pay", string.Join(' ', kept.Sums("calls").Single().Key.Split(' ')[3..]));
    }

    [Fact]
    public void Chains_of_any_length_and_circles_hold_no_more_than_they_may()
    {
        var figures = new FigureTable();
        var tracer = new CallTracer(figures, most: 50_000);
        SpanFacts Fact(ulong id, ulong parent, SpanKind kind) =>
            new(id, parent, 1, 1, 1, 1, kind, false, 0, 1, 1, 0, CalleeKind.Outside);
        // Backwards, so that all of them wait for the last.
        for (var id = 40_000UL; id >= 1; id--)
            tracer.Add(Fact(id, id - 1, id == 1 ? SpanKind.Server : SpanKind.Internal), 0);
        for (var id = 100_000UL; id < 400_000; id++)
            tracer.Add(Fact(id, id % 2 == 0 ? id + 1 : id - 1, SpanKind.Internal), 0);
        // As many as are held wait for one that never comes.
        for (var id = 1_000_000UL; id < 1_200_000; id++)
            tracer.Add(Fact(id, 7, SpanKind.Server), 0);
        Assert.Equal(50_000, tracer.Count);
        tracer.Expire(Instants.Hour);
        Assert.Equal(0, tracer.Count);
        Assert.Equal(200_000, figures.Unmatched.Values.Sum());
    }

    [Fact]
    public async Task What_counts_as_failed_is_set_for_a_service()
    {
        using var kept = Open("a");
        Span Unknown(string id, string service) =>
            new()
            {
                TraceId = new string('a', 32),
                SpanId = id.PadLeft(16, '0'),
                Name = "find",
                Start = Now,
                End = Now + 5,
                Status = SpanStatus.Error,
                Resource = new Resource(new Attributes(["service.name"], [Value.Of(service)])),
                Attributes = new Attributes(["error.type"], [Value.Of("sailing unknown")]),
            };
        Assert.Contains("failed cannot be told by failed", await kept.Failures.Set("booking", "failed = true", "Ines"));
        Assert.NotNull(await kept.Failures.Set("booking", "status = ", "Ines"));
        Assert.NotNull(await kept.Failures.Set("booking", "status = error | limit 3", "Ines"));
        Assert.Null(await kept.Failures.Set("booking", "status = error and error.type != \"sailing unknown\"", "Ines"));
        await kept.Spans.Append([Unknown("1", "booking"), Unknown("2", "tide-feed")], "quay");
        await kept.Figures.Flush();
        Assert.Contains("tide-feed", Assert.Single(kept.Sums("spans.failed")).Key);
        Assert.Null(await kept.Failures.Set("booking", "", "Ines"));
        Assert.Empty(kept.Failures.All);
    }

    [Fact]
    public async Task Figures_of_spans_that_were_there_before_are_made_at_the_first_start()
    {
        var folder = Directory.CreateDirectory(Path.Combine(Folder, "a")).FullName;
        using (var records = Open(path: Path.Combine(folder, "records.db")))
        {
            for (var i = 1; i <= 30; i++)
                await new SpanStore(records).Append(
                    [SpanOf(i.ToString("x"), null, "booking", "book", SpanKind.Server, Now)],
                    "quay"
                );
            await records.Upkeep.SealAll();
        }
        using var kept = Open("a");
        await kept.Figures.Flush();
        Assert.Equal(30, kept.Sums("spans").Values.Sum());
    }

    [Fact]
    public async Task Spans_of_before_are_counted_once_however_their_move_is_cut_off()
    {
        var folder = Directory.CreateDirectory(Path.Combine(Folder, "a")).FullName;
        var batches = Enumerable
            .Range(1, 4)
            .Select(b =>
                (IReadOnlyList<Span>)
                    [.. Enumerable.Range(1, 5).Select(i => SpanOf($"{b}{i}", null, "booking", "book", SpanKind.Server, Now))]
            )
            .ToList();
        await FormerSpanTests.Put(Path.Combine(folder, "records.db"), Clock, batches);
        for (var moved = 0; moved <= batches.Count; moved++)
        {
            using var kept = Open("a");
            await kept.Figures.Flush();
            Assert.Equal(5 * moved, kept.Sums("spans").Values.Sum());
            await kept.Records.Upkeep.Former.MoveNext();
        }
        using var all = Open("a");
        await all.Figures.Flush();
        Assert.Equal(20, all.Sums("spans").Values.Sum());
    }

    [Fact]
    public async Task A_backup_goes_on_counting_where_its_figures_end()
    {
        using var kept = Open("a");
        await kept.Spans.Append([SpanOf("1", null, "booking", "book", SpanKind.Server, Now)], "quay");
        await kept.Figures.Flush();
        await kept.Spans.Append([SpanOf("2", null, "booking", "book", SpanKind.Server, Now)], "quay");
        using (var database = new AppDatabase(Path.Combine(Folder, "a", "kumiko.db")))
            await Core.Storage.Upkeep.StoreBackup.Run(kept.Records, database, Path.Combine(Folder, "b"), null, default);
        using var copy = Open("b");
        await copy.Figures.Flush();
        Assert.Equal(2, copy.Sums("spans").Values.Sum());
    }

    [Fact]
    public void Durations_come_back_from_a_sketch_within_its_error() =>
        Gen.Select(Gen.Double[-14, 8], Gen.Int[1, 5])
            .Array[1, 200]
            .Sample(
                items =>
                {
                    var figure = new Figure();
                    foreach (var (log, weight) in items)
                        figure.Add((long)(Math.Exp(log) * Instants.Second), false, weight);
                    var all = figure.Durations();
                    Assert.Equal((ulong)items.Sum(i => i.Item2), all.Count);
                    var sorted = items.Order().SelectMany(i => Enumerable.Repeat(Math.Exp(i.Item1), i.Item2)).ToList();
                    var (at, bucket) = (all.Exponential!.ZeroCount, all.Exponential.PositiveOffset);
                    foreach (var count in all.Exponential.Positive)
                    {
                        bucket++;
                        if (count == 0)
                            continue;
                        at += count;
                        Assert.InRange(
                            sorted[(int)at - 1],
                            Math.Pow(2, (bucket - 1) / 16.0) * 0.999,
                            Math.Pow(2, bucket / 16.0) * 1.001
                        );
                    }
                },
                iter: Cases.Of(50)
            );

    [Fact]
    public void A_quantile_of_buckets_that_are_apart_is_that_of_any_buckets() =>
        Gen.Select(Gen.Int[0, 40], Gen.Int[0, 3], Gen.Int[1, 9])
            .Array[1, 20]
            .Select(Gen.Double[0, 1])
            .Sample(
                (items, share) =>
                {
                    var buckets = new List<(double From, double To, double Count)>();
                    foreach (var (from, length, count) in items.OrderBy(i => i.Item1).ThenBy(i => i.Item2))
                        if (buckets.Count == 0 || from >= buckets[^1].To)
                            buckets.Add((from, from + length, count));
                    var open = items[0].Item3 > 5 ? buckets[^1].From : double.PositiveInfinity;
                    var (apart, any) = (
                        DistributionSum.AtApart(buckets, share, open),
                        DistributionSum.AtAny(buckets, share, open)
                    );
                    Assert.Equal(any.Value, apart.Value, 1e-9);
                    Assert.Equal(any.IsBeyond, apart.IsBeyond);
                },
                iter: Cases.Of(200)
            );
}
