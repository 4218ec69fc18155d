using CsCheck;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Spans;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Spans;
using Kumiko.Core.Tests.Evaluation;
using Kumiko.Core.Tests.Storage;
using NodaTime;

namespace Kumiko.Core.Tests.Query;

/// <summary>Whatever is asked of whatever spans: the answer from segments is that of the row evaluator.</summary>
public sealed class SpanLaws : StoreTest
{
    private static readonly long Start = Sample.At("2026-10-24T22:00:00Z");
    private static readonly Window Focus = new(Start + (17 * Instants.Minute), Start + (3 * Instants.Hour));

    private static readonly string[] Services = ["booking", "gate-control", "tide-feed", ""];
    private static readonly string[] Names = ["GET /sailings", "book seat 12", "book seat 7", "read tide", "ask gate-t3", ""];

    internal static readonly Gen<Span> AnySpan = Gen.Int[0, 1_000_000].Select(seed => SpanOf(new Random(seed)));

    private static Span SpanOf(Random random)
    {
        var start = Start + (random.Next(14_400) * Instants.Second) + random.Next(3);
        var names = new List<string>();
        var values = new List<Value>();
        void Field(string name, Value value, int oneIn)
        {
            if (random.Next(oneIn) != 0)
                return;
            names.Add(name);
            values.Add(value);
        }
        Field("http.response.status_code", Value.Of(random.Next(4) * 100L), 2);
        Field("terminal", Value.Of(random.Next(2) == 0 ? "Tarnhead" : "Orra"), 2);
        Field("kind", Value.Of("freight"), 5);
        Field("body", Value.Of("a body"), 9);
        Field("exception.type", Value.Of("TimeOut"), 12);
        Field("wait", Value.Duration(random.Next(900) * 1_000_000L), 3);
        Field("nested", Value.Of(new Attributes(["inner"], [Value.Of((long)random.Next(5))])), 6);
        var failed = random.Next(5) == 0;
        return new Span
        {
            TraceId = random.Next(40).ToString("x32"),
            SpanId = (random.Next(400) + 1).ToString("x16"),
            ParentId = random.Next(4) == 0 ? null : (random.Next(400) + 1).ToString("x16"),
            Name = Names[random.Next(Names.Length)],
            Kind = (SpanKind)random.Next(6),
            Start = start,
            End = start + (random.Next(12) == 0 ? -7 : random.Next(2_000) * 1_000_000L),
            Status = failed ? SpanStatus.Error : (SpanStatus)random.Next(2),
            StatusMessage = failed ? "no tide for berth 3" : "",
            TraceState = random.Next(3) == 0 ? "ferry=1,ot=th:c;rv:8" : "",
            Flags = (uint)random.Next(2) * 0x101,
            Resource =
                random.Next(5) == 0
                    ? Resource.Unknown
                    : new Resource(
                        new Attributes(
                            ["service.name", "host.name", "terminal"],
                            [Value.Of(Services[random.Next(4)]), Value.Of("kettle-0" + random.Next(3)), Value.Of("Skerry")]
                        )
                    ),
            Scope = random.Next(2) == 0 ? InstrumentationScope.None : new InstrumentationScope("ferry", "1.2", Attributes.Empty),
            Attributes = names.Count == 0 ? Attributes.Empty : new Attributes([.. names], [.. values]),
            Events = failed
                ?
                [
                    new SpanEvent(
                        start + 5,
                        "exception",
                        new Attributes(["exception.type", "exception.message"], [Value.Of("TideMissing"), Value.Of("berth 3")])
                    ),
                    new SpanEvent(start + 9, "retry", Attributes.Empty),
                ]
                : [],
            Links = random.Next(8) == 0 ? [new SpanLink(new string('d', 32), new string('e', 16), "", Attributes.Empty, 1)] : [],
        };
    }

    private static readonly Gen<string> Field = Gen.OneOf(
        "operation",
        "duration",
        "failed",
        "status",
        "kind",
        "parent_id",
        "message",
        "weight",
        "exception.type",
        "scope",
        "trace_id",
        "span_id",
        "service",
        "host",
        "source",
        "end",
        "terminal",
        "resource.terminal",
        "attributes.kind",
        "body",
        "level",
        "http.response.status_code",
        "wait",
        "nested.inner",
        "events",
        "links",
        "trace_state",
        "flags",
        "nothing",
        "pattern"
    );

    private static readonly Gen<string> Condition = Gen.OneOf(
        Gen.OneOf(
            "tide",
            "seat",
            "*eat*",
            "TideMissing",
            "server",
            "\"book seat\"",
            "Tarnhead",
            "ferry",
            "00000000000000000000000000000007",
            "400",
            "4"
        ),
        Gen.Select(
            Field,
            Gen.OneOf("=", "!=", "<", "<=", ">", ">="),
            Gen.OneOf(
                "error",
                "true",
                "unset",
                "server",
                "booking",
                "400ms",
                "0s",
                "4",
                "1",
                "200",
                "TideMissing",
                "TimeOut",
                "\"book seat 12\"",
                "book*",
                "freight",
                "Skerry",
                "quay",
                "0000000000000007",
                "2026-10-24T23:30:00Z"
            ),
            (f, o, v) => $"{f} {o} {v}"
        ),
        Field.Select(f => $"exists({f})"),
        Gen.OneOf("duration in 100ms..900ms", "status in (error, ok)", "kind in (server, client)", "operation ~ /seat \\d+/")
    );

    private static readonly Gen<string> Match = Gen.Frequency(
        (2, Gen.Const("")),
        (3, Condition),
        (2, Gen.Select(Condition, Condition, (a, b) => $"{a} {b}")),
        (1, Gen.Select(Condition, Condition, (a, b) => $"({a} or {b})")),
        (1, Condition.Select(c => $"not ({c})"))
    );

    private static readonly Gen<string> Stages = Gen.OneOf(
        Gen.Const(""),
        Gen.Select(Field, f => $" | group count(), p95(duration), max(duration) by {f}"),
        Gen.Select(Field, Field, (a, b) => $" | group count(), sum(weight), distinct({b}) by {a}, service"),
        Gen.Select(Field, f => $" | group count({f}) as n, avg(duration) by status per 10m"),
        Gen.Select(Condition, c => $" | group count(), count({c}) as some by kind"),
        Gen.Select(Field, f => $" | set slow = duration > 500ms | group count() by slow, {f}"),
        Gen.Select(Field, f => $" | select time, {f}, operation, attributes"),
        Gen.Select(Condition, c => $" | where {c} | limit 7"),
        Gen.Const(" | parse operation \"book seat {seat}\" | group count() by seat"),
        Gen.Const(" | order by duration desc, span_id, parent_id, time | limit 9"),
        Gen.Const(" | order by duration desc | limit 3"),
        Gen.Const(" | order by wait | limit 5"),
        Gen.Const(" | set twice = duration * 2 | order by twice desc | limit 4"),
        Gen.Const(" | without attributes, message")
    );

    private static readonly Gen<string> Asked = Gen.Select(
        Gen.OneOf("from spans", "from spans", "from spans earlier 20m", "from spans over 1h"),
        Match,
        Stages,
        (from, match, stages) => $"{from} {match}{stages}"
    );

    private static readonly QuerySources Sources = new(new RowSetBook([new SpanSet()]));

    private static Question Question(string text) =>
        new("test", QueryParser.Parse(text, Sources.Sets.Names()), Focus, Focus.To, DateTimeZone.Utc, Limits.Default);

    /// <summary>The spans in a store, some in memory, some in small segments, some merged.</summary>
    private async Task<RecordStore> Stored(Span[] spans, int shape)
    {
        var store = Open(
            path: Path.Combine(
                Directory.CreateDirectory(Path.Combine(Folder, Guid.NewGuid().ToString("N"))).FullName,
                "records.db"
            )
        );
        var all = new SpanStore(store);
        var size = Math.Max(1, spans.Length / 5);
        foreach (var (batch, i) in spans.Chunk(size).Select((b, i) => (b, i)))
        {
            // Records between them are never met by what is asked of spans.
            await store.Append([Sample.Random(i, Start + Instants.Hour)], "quay");
            await all.Append(batch, i % 2 == 0 ? "quay" : "office");
            if ((shape >> i) % 2 == 1)
                await store.Upkeep.SealAll();
        }
        if (shape % 3 == 0)
        {
            await store.Upkeep.SealAll();
            Clock.Advance(TimeSpan.FromDays(60));
            while (await store.Upkeep.Merge()) { }
        }
        return store;
    }

    private static List<LogRecord> Rows(RecordStore store)
    {
        using var snapshot = store.Current;
        return
        [
            .. snapshot
                .Of(Signal.Spans)
                .OldestFirst(new Window(long.MinValue, long.MaxValue), BatchTest.All, null, CancellationToken.None),
        ];
    }

    [Fact]
    public Task Any_query_over_any_spans_is_answered_as_row_by_row() =>
        Gen.Select(Asked.Array[1, 40], AnySpan.Array[0, 200], Gen.Int[0, 1000])
            .SampleAsync(
                async (queries, spans, shape) =>
                {
                    using var store = await Stored(spans, shape);
                    var rows = Rows(store);
                    foreach (var row in rows)
                        store.Patterns.Of(row);
                    foreach (var text in queries)
                    {
                        // A star has no order.
                        if (!QueryParser.Parse(text).Ok)
                            continue;
                        using var run = new Run(Question(text), store.Current, Sources);
                        var expected = Told(() =>
                            string.Join("\n", Oracle.Of(text, Focus, pattern: store.Patterns.Of).Lines(rows))
                        );
                        var actual = Told(() =>
                            string.Join(
                                "\n",
                                run.Frame().GetAwaiter().GetResult().Rows.Select(r => string.Join(" | ", r.Select(Oracle.Shown)))
                            )
                        );
                        Assert.True(expected == actual, $"{text}\n\nexpected\n{expected}\n\nactual\n{actual}");
                    }
                },
                iter: Cases.Of(40),
                threads: 1
            );

    private static string Told(Func<string> ask)
    {
        try
        {
            return ask();
        }
        catch (QueryRefusedException e)
        {
            return e.Message;
        }
    }

    [Fact]
    public Task Spans_come_back_as_they_were_sent() =>
        AnySpan
            .Array[1, 120]
            .SampleAsync(
                async spans =>
                {
                    using var store = await Stored(spans, spans.Length);
                    string Shown(IEnumerable<Span> all) => string.Join("\n", all.Select(Text).Order(StringComparer.Ordinal));
                    Assert.Equal(Shown(spans), Shown(Rows(store).Select(SpanRows.Of)));
                },
                iter: Cases.Of(20),
                threads: 1
            );

    private static string Text(Span s) =>
        FormattableString.Invariant(
            $"{s.TraceId} {s.SpanId} {s.ParentId} {s.Name} {s.Kind} {s.Start} {s.End} {s.Status} {s.StatusMessage} {s.TraceState} {s.Flags} {s.Scope.Name} {s.Scope.Version} {Value.Of(s.Attributes).ToText()} {Value.Of(s.Resource.Attributes).ToText()}"
        )
        + string.Join(",", s.Events.Select(e => $"{e.Time} {e.Name} {Value.Of(e.Attributes).ToText()}"))
        + string.Join(",", s.Links.Select(l => $"{l.TraceId} {l.SpanId} {l.Flags}"));

    [Fact]
    public Task Their_fields_are_counted_as_they_are_read() =>
        Gen.Select(Match, AnySpan.Array[1, 150], Gen.Int[0, 1000])
            .SampleAsync(
                async (match, spans, shape) =>
                {
                    using var store = await Stored(spans, shape);
                    var text = "from spans " + match;
                    if (!QueryParser.Parse(text).Ok)
                        return;
                    using var run = new Run(Question(text), store.Current, Sources);
                    var pipeline = Oracle.Of(text, Focus, pattern: store.Patterns.Of).Build(Rows(store));
                    var passing = Rows(store)
                        .Where(r => Focus.Contains(r.Time))
                        .Select(pipeline.RowOf)
                        .Where(pipeline.Passes)
                        .ToList();
                    foreach (var field in await run.Fields(null))
                    {
                        var read = pipeline.Scope.Bind(field.Name);
                        // What a resource says stands behind what the span says itself.
                        if (field.Name is not "terminal")
                            Assert.Equal((field.Name, passing.Count(r => !read(r).IsMissing)), (field.Name, (int)field.Present));
                    }
                    foreach (var field in await run.Presence())
                        Assert.True(
                            field.Name is "terminal"
                                || field.Present == passing.Count(r => !pipeline.Scope.Bind(field.Name)(r).IsMissing),
                            field.Name
                        );
                    Assert.Equal(passing.Count, (await run.Counts()).Left[^1]);
                    Assert.Equal(passing.Count, (await run.Histogram(Focus, Instants.Minute)).Counts.Sum());
                },
                iter: Cases.Of(30),
                threads: 1
            );

    [Fact]
    public async Task Shares_and_quantiles_of_a_sample_are_those_of_the_world_within_their_error()
    {
        const int World = 20_000;
        var random = new Random(7);
        var (kept, all) = (new List<Span>(), new List<(bool Failed, double Seconds, bool IsLook)>());
        for (var i = 0; i < World; i++)
        {
            // Looks are many and quick, and one in eight is kept; all bookings are, which are slow and fail more often.
            var isLook = random.Next(5) > 0;
            var failed = random.NextDouble() < (isLook ? 0.02 : 0.2);
            var seconds = Math.Exp((random.NextDouble() * 2) + (isLook ? -3 : 0));
            all.Add((failed, seconds, isLook));
            if (isLook && random.Next(8) > 0)
                continue;
            kept.Add(
                new Span
                {
                    TraceId = (i + 1).ToString("x32"),
                    SpanId = (i + 1).ToString("x16"),
                    Name = isLook ? "look" : "book",
                    Start = Focus.From + (i * 10_000_000L),
                    End = Focus.From + (i * 10_000_000L) + (long)(seconds * Instants.Second),
                    Status = failed ? SpanStatus.Error : SpanStatus.Unset,
                    TraceState = isLook ? "ot=th:e" : "",
                }
            );
        }
        using var store = Open();
        await new SpanStore(store).Append(kept, "quay");
        foreach (var isSealed in new[] { false, true })
        {
            if (isSealed)
                await store.Upkeep.SealAll();
            Value[] Ask(string text)
            {
                using var run = new Run(Question("from spans | " + text), store.Current, Sources);
                return run.Frame().GetAwaiter().GetResult().Rows[0];
            }
            var counted = Ask("group count(), avg(duration), p50(duration)");
            Assert.Equal(ValueMarks.Approximate, counted[0].Marks);
            // Four standard errors of what one in eight of 16 000 tells.
            Assert.InRange(counted[0].AsLong, World - 1_400, World + 1_400);
            Assert.InRange(counted[1].AsDouble / 1e9, all.Average(s => s.Seconds) * 0.9, all.Average(s => s.Seconds) * 1.1);
            var median = all.Select(s => s.Seconds).Order().ElementAt(World / 2);
            Assert.InRange(counted[2].AsDouble / 1e9, median * 0.9, median * 1.1);
            var share = Ask("group share() by operation | where operation = \"book\"")[1].AsDouble;
            Assert.InRange(share, 0.2 * 0.85, 0.2 * 1.15);
            Assert.Equal(
                (ValueMarks.None, (long)kept.Count),
                (Ask("group count(weight)")[0].Marks, Ask("group count(weight)")[0].AsLong)
            );
            Assert.Equal(counted[0].AsLong, (long)Ask("group sum(weight)")[0].AsDouble);
        }
    }
}
