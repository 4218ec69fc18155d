using CsCheck;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Tests.Evaluation;
using Kumiko.Core.Tests.Language;
using Kumiko.Core.Tests.Storage;
using NodaTime;

namespace Kumiko.Core.Tests.Query;

/// <summary>Whatever is asked of whatever records: the answer from columns is that of the row evaluator.</summary>
public sealed class ExecutorLaws : StoreTest
{
    private static readonly long Start = Sample.At("2026-10-24T22:00:00Z");

    private static readonly Gen<string> Word = Gen.OneOf(
        "refused",
        "refus*",
        "*efus*",
        "*e*d*",
        "gate",
        "Tarnhead",
        "orra",
        "seat",
        "*t*",
        "7",
        "*1*",
        "409",
        "812ms",
        "gate-control",
        "\"at the\"",
        "\"seat 12\"",
        "kra",
        "*k*",
        "x",
        "*",
        "wait",
        "*ms",
        "\"ticket SK\"",
        "ı",
        "*naïve*",
        "00f1",
        "*5be8*",
        "e",
        "SK-1*",
        "*-*",
        "*5m*",
        "*ms*",
        "*t1*",
        "ticket*after",
        "\"a b\"",
        "\"\\u{1}\"",
        "deep",
        "true"
    );

    private static readonly Gen<string> Condition = Gen.OneOf(
        Word,
        Gen.Select(
            Gen.OneOf(
                "terminal",
                "wait",
                "x",
                "http.status",
                "body",
                "service",
                "host",
                "level",
                "trace_id",
                "span_id",
                "source",
                "severity_text",
                "inner",
                "x.inner",
                "attributes.terminal",
                "resource.terminal",
                "status",
                "x.y",
                "nothing",
                "_a1",
                "observed",
                "time",
                "deployment.environment.name",
                "service.name"
            ),
            Gen.OneOf("=", "!=", "<", "<=", ">", ">="),
            Gen.OneOf(
                "Tarnhead",
                "409",
                "7",
                "2.5",
                "400ms",
                "warn",
                "error",
                "gate*",
                "*a*",
                "\"7\"",
                "true",
                "import",
                "0",
                "-3",
                "\"refused at the gate\"",
                "deep",
                "10MiB",
                "2026-10-25T01:30:00Z"
            ),
            (f, o, v) => $"{f} {o} {v}"
        ),
        Gen.OneOf(
            "status in (7, 409)",
            "x in 1..5",
            "wait in ..450",
            "ip in 10.20.0.0/16",
            "x in 10.20.0.0/16",
            "level in (warn, fatal)",
            "level >= warn",
            "exists(trace_id)",
            "exists(x.inner)",
            "exists(nothing)",
            "terminal in (Orra, \"Tarnhead\")",
            "body ~ /ticket \\w+-\\d+/",
            "body ~ /SEAT \\d/i",
            "body !~ /seat 1/",
            "body ~ /e/",
            "body = \"refused at the gate\"",
            "body ~ /after \\d+ms$/",
            "terminal ~ /^T/",
            "trace_id ~ /^5/",
            "body ~ /refused: seat/",
            "body != \"\""
        )
    );

    private static readonly Gen<string> Match = Gen.Frequency(
        (1, Gen.Const("")),
        (5, Condition),
        (4, Gen.Select(Condition, Gen.OneOf(" and ", " or ", " and not ", " "), Condition, (a, o, b) => a + o + b)),
        (2, Gen.Select(Condition, Condition, Condition, (a, b, c) => $"({a} or {b}) and not ({c} or {a})"))
    );

    private static readonly Gen<string> Key = Gen.OneOf(
        "terminal",
        "level",
        "service",
        "host",
        "x",
        "wait",
        "source",
        "status",
        "trace_id",
        "severity_text",
        "lower(terminal)",
        "hour(time)",
        "http.status",
        "nothing",
        "pattern",
        "x.inner",
        "floor_to(x, 2)",
        "date(time)",
        "if(level >= warn, \"bad\", \"good\")",
        "body"
    );

    private static readonly Gen<string> Aggregate = Gen.OneOf(
        "count()",
        "count(wait)",
        "count(level >= error)",
        "distinct(terminal)",
        "distinct(x)",
        "sum(x)",
        "avg(x)",
        "min(x)",
        "max(wait)",
        "median(x)",
        "p95(x)",
        "percentile(x, 12.5)",
        "stddev(http.status)",
        "first(terminal)",
        "last(x)",
        "per_second()",
        "share()",
        "correlate(x, http.status)",
        "growth(http.status)",
        "per_second(x)",
        "p90(wait)",
        "count(body)",
        "max(time)",
        "last(level)"
    );

    private static readonly Gen<string> Group = Gen.Select(
        Aggregate.Array[1, 2],
        Key.Array[0, 2],
        Gen.OneOf("", "", " per 1h", " per 30m", " per 1d", " per auto"),
        (a, k, e) =>
            $" | group {string.Join(", ", a.Distinct())}{(k.Length > 0 ? " by " + string.Join(", ", k.Distinct()) : "")}{e}"
    );

    private static readonly Gen<string> RecordStage = Gen.OneOf(
        " | where x > 2",
        " | where length(body) > 10 and level >= info",
        " | where starts(body, \"ticket\")",
        " | set y = x * 2",
        " | set terminal = upper(terminal), y = length(body)",
        " | where y > 3",
        " | parse body as \"ticket {t} refused: {reason} after {took:duration}\"",
        " | parse only body as \"seat {n:integer}\"",
        " | parse body as /(?<first>\\w+)/",
        " | parse only body as json",
        " | parse body as logfmt",
        " | where took > 400ms",
        " | where n > 12 or exists(reason)",
        " | select all except terminal",
        " | where terminal = \"Orra\""
    );

    private static readonly Gen<string> LateStage = Gen.OneOf(
        " | order by count() desc",
        " | limit 3",
        " | where count() > 1",
        " | set z = 1",
        " | order by terminal",
        " | limit 1 for each terminal",
        " | select all except terminal",
        " | union others",
        " | join all others on terminal",
        " | join others on terminal",
        " | gaps as last",
        " | gaps as line up to 2 steps",
        " | gaps as 0"
    );

    private static readonly Gen<string> Query = Gen.OneOf(
        Match,
        Gen.Select(Match, RecordStage.Array[0, 3], (m, s) => m + string.Concat(s)),
        Gen.Select(
            Match,
            RecordStage.Array[0, 2],
            Gen.OneOf(
                " | order by x desc, terminal | limit 5",
                " | limit 7",
                " | limit 2 for each level",
                " | order by body",
                " | select time, body, x",
                " | order by time | limit 3 | select x, terminal as t"
            ),
            (m, s, o) => m + string.Concat(s) + o
        ),
        Gen.Select(Match, Group, (m, g) => m + g),
        Gen.Select(
            Match,
            RecordStage,
            Group,
            Gen.OneOf("", "", " | order by time", " | limit 4", " | where time > 2026-10-25T00:00:00Z"),
            (m, s, g, l) => m + s + g + l
        ),
        Gen.Select(Match, Aggregate, Gen.Bool, Gen.OneOf("", " per 1h"), (m, a, rest, every) =>
            $"{m} | group {a} as n by terminal, level{every} | highest 2 terminal by n{(rest ? " with rest" : "")}"
        ),
        Gen.Select(Match, Match, Gen.OneOf("", " per 1h"), LateStage.Array[0, 2], (m, o, every, l) =>
            $"with others = ({o} | group count() as c by terminal{every}) {m} | group count() by terminal{every}{string.Concat(l)}"
        ),
        Gen.Select(
            Match,
            Match,
            Gen.OneOf(
                " | union others",
                " | join others on terminal",
                " | join all others on x",
                " | join others nearest time within 5m on terminal"
            ),
            (m, o, s) => $"with others = ({o} | where level >= error | set y = 1) {m}{s}"
        ),
        Gen.Select(
            Match,
            Gen.OneOf("over 90m", "earlier 1h", "over 1h earlier 30m"),
            Gen.OneOf("", " | group count() per 1h", " | where time > 2026-10-25T00:30:00Z"),
            (m, s, g) => $"from logs {s} {m}{g}"
        )
    );

    private static readonly Gen<LogRecord> Templated = Gen.Select(Gen.Int[0, 100_000], Gen.Int[0, 5], (seed, shape) =>
    {
        var record = Sample.Random(seed, Start + (seed % 18_000L * Instants.Second));
        var random = new Random(seed);
        var body = shape switch
        {
            0 => $"ticket SK-{random.Next(40)}-B refused: seat already claimed after {random.Next(900)}ms",
            1 => $"seat {random.Next(20)}",
            2 =>
                $"gate {new[] { "Tarnhead", "Orra", "kraken" }[random.Next(3)]}-{random.Next(9)} opened by user=ines wait={random.Next(5)}.{random.Next(9)}",
            3 => $"{{\"x\": {random.Next(9)}, \"y\": \"deep\", \"n\": null}}",
            _ => record.Body,
        };
        return new LogRecord
        {
            Time = record.Time,
            Observed = record.Observed,
            SeverityNumber = record.SeverityNumber,
            SeverityText = record.SeverityText,
            Body = body,
            TraceId = record.TraceId,
            SpanId = record.SpanId,
            Resource = record.Resource,
            Attributes = Sane(record.Attributes),
            Source = record.Source,
        };
    });

    // Sums of decimals with numbers near the end of int64 depend on the order of adding.
    private static Attributes Sane(Attributes fields) =>
        new(
            fields.Names.ToArray(),
            [
                .. fields
                    .Values.ToArray()
                    .Select(v => v.Kind == ValueKind.Integer && v.AsLong > 1_000_000 ? Value.Of(v.AsLong % 1_000) : v),
            ]
        );

    private static readonly Gen<string> Zone = Gen.OneOf(
        "UTC",
        "Europe/Dublin",
        "Australia/Lord_Howe",
        "Asia/Kathmandu",
        "America/St_Johns"
    );

    private static string Stream(Run run)
    {
        try
        {
            return string.Join('\n', run.Rows().Select(row => string.Join(" | ", row.Select(Oracle.Shown))));
        }
        catch (QueryRefusedException e)
        {
            return "refused: " + e.Message;
        }
    }

    private static string Plain(
        string text,
        Window window,
        DateTimeZone zone,
        IReadOnlyList<LogRecord> all,
        Func<LogRecord, Value> pattern
    )
    {
        try
        {
            return string.Join(
                '\n',
                Oracle.Of(text, window, new EvaluationContext(window.To, zone), pattern: pattern).Lines(all)
            );
        }
        catch (QueryRefusedException e)
        {
            return "refused: " + e.Message;
        }
    }

    /// <summary>In pieces of any size, some sealed, some merged, some recent.</summary>
    private async Task<RecordStore> Stored(IReadOnlyList<LogRecord> records, int shape)
    {
        var path = Path.Combine(Folder, Guid.NewGuid().ToString("N"), "records.db");
        Directory.CreateDirectory(Path.GetDirectoryName(path)!);
        var store = Open(path: path);
        var piece = 1 + (shape % 40);
        for (var i = 0; i < records.Count; i += piece)
        {
            await store.Append([.. records.Skip(i).Take(piece)], records[i].Source);
            if (shape % 3 > 0 && i / piece % 2 == 0)
                await store.Upkeep.SealAll();
        }
        if (shape % 3 == 2)
        {
            Clock.Advance(TimeSpan.FromDays(60));
            await store.Upkeep.SealAll();
            while (await store.Upkeep.Merge()) { }
        }
        return store;
    }

    /// <summary>As one program writes: the same fields in each record, numbers and words beside units in the body.</summary>
    private static readonly Gen<LogRecord> Uniform = Gen.Int[0, 100_000]
        .Select(seed =>
        {
            var random = new Random(seed);
            var record = Sample.Random(seed, Start + (seed % 18_000L * Instants.Second));
            string[] terminals = ["Tarnhead", "Orra", "orra", "Skerry", ""];
            return new LogRecord
            {
                Time = record.Time,
                Observed = record.Observed,
                SeverityNumber = record.SeverityNumber,
                TraceId = record.TraceId,
                SpanId = record.SpanId,
                Resource = record.Resource,
                Body =
                    $"seat {random.Next(30)} at gate-t{random.Next(4)} after {random.Next(900)}ms{(seed % 3 == 0 ? $" ref {random.Next():x8}" : "")}",
                Attributes = new(
                    ["terminal", "x", "wait", "http.status"],
                    [
                        Value.Of(terminals[random.Next(5)]),
                        Value.Of((long)random.Next(9)),
                        Value.Duration(random.Next(900) * 1_000_000L),
                        Value.Of(random.Next(4) * 100L),
                    ]
                ),
                Source = "quay",
            };
        });

    [Fact]
    public Task Any_query_over_any_records_is_answered_as_row_by_row() =>
        AnsweredAsRowByRow(Gen.Frequency((4, Templated), (1, SegmentTests.AnyRecord)).Array[0, 150], iterations: 60);

    [Fact]
    public Task So_is_any_over_records_that_all_have_the_same_fields() =>
        AnsweredAsRowByRow(Uniform.Array[100, 400], iterations: 12);

    private Task AnsweredAsRowByRow(Gen<LogRecord[]> some, int iterations) =>
        Gen.Select(Query.Array[1, 40], some, Gen.Int[0, 1000], Zone)
            .SampleAsync(
                async (queries, records, shape, zoneName) =>
                {
                    using var store = await Stored(records, shape);
                    var all = All(store);
                    // Patterns grow as records that wait to be sealed are met, so all are met before both sides are asked.
                    foreach (var record in all)
                        store.Patterns.Of(record);
                    var zone = DateTimeZoneProviders.Tzdb[zoneName];
                    foreach (var text in queries)
                    {
                        var parsed = QueryParser.Parse(text);
                        if (!parsed.Ok)
                            continue;
                        foreach (
                            var window in new[]
                            {
                                new Window(Start - Instants.Hour, Start + (6 * Instants.Hour)),
                                new Window(Start + (17 * Instants.Minute), Start + (3 * Instants.Hour)),
                            }
                        )
                        {
                            using var run = new Run(
                                new Question("test", parsed, window, window.To, zone, Limits.Default),
                                store.Current
                            );
                            var expected = Plain(text, window, zone, all, store.Patterns.Of);
                            Assert.True(expected == Stream(run), $"{text}\n\nexpected\n{expected}\n\nactual\n{Stream(run)}");
                        }
                    }
                },
                iter: iterations,
                threads: 1
            );

    [Fact]
    public Task Mutilated_queries_are_answered_or_refused_with_a_place() =>
        Gen.Select(
                Gen.Select(
                    Query,
                    Gen.Int[0, 200],
                    Gen.OneOf("", "|", "(", ")", "\"", " ", "=", "0", "{", "}", "by", "/", "~", ",", "\0", "\ud800", "-"),
                    Gen.Int[0, 3]
                ).Array[1, 60],
                Templated.Array[1, 40],
                Gen.Int[0, 1000]
            )
            .SampleAsync(
                async (mutations, records, shape) =>
                {
                    using var store = await Stored(records, shape);
                    var window = new Window(Start, Start + (3 * Instants.Hour));
                    foreach (var (query, place, put, cut) in mutations)
                    {
                        var at = Math.Min(place, query.Length);
                        var text = query[..at] + put + query[Math.Min(at + cut, query.Length)..];
                        var parsed = QueryParser.Parse(text);
                        foreach (var error in parsed.Errors)
                            Assert.InRange(error.Span.Start, 0, text.Length);
                        if (!parsed.Ok)
                            continue;
                        using var run = new Run(
                            new Question("test", parsed, window, window.To, DateTimeZone.Utc, Limits.Default),
                            store.Current
                        );
                        Assert.NotNull(Stream(run));
                        try
                        {
                            Assert.True((await run.Counts()).IsDone);
                        }
                        catch (QueryRefusedException e)
                        {
                            Assert.NotEmpty(e.Message);
                        }
                    }
                },
                iter: Cases.Of(30),
                threads: 1
            );

    [Fact]
    public Task Counts_of_conditions_add_up() =>
        Gen.Select(Condition.Array[1, 4], Templated.Array[1, 120], Gen.Int[0, 1000])
            .SampleAsync(
                async (conditions, records, shape) =>
                {
                    using var store = await Stored(records, shape);
                    var all = All(store);
                    var window = new Window(Start, Start + (3 * Instants.Hour));
                    var text = string.Join(
                        " and ",
                        conditions.Select(c => c.Contains(" or ", StringComparison.Ordinal) ? $"({c})" : c)
                    );
                    var parsed = QueryParser.Parse(text);
                    if (!parsed.Ok)
                        return;
                    long Of(string query) => Oracle.Of(query, window).Records(all).Count();
                    async Task<StageCounts> Count(string query)
                    {
                        using var run = new Run(
                            new Question("test", QueryParser.Parse(query), window, window.To, DateTimeZone.Utc, Limits.Default),
                            store.Current
                        );
                        return await run.Counts();
                    }
                    var counts = await Count(text);
                    Assert.True(counts.IsDone);
                    Assert.Equal(Of(""), counts.All);
                    Assert.Equal(Of(text), counts.Left[^1]);
                    foreach (var condition in counts.Conditions)
                    {
                        var alone = QueryPrinter.PrintMatch(condition.Condition);
                        Assert.Equal(Of(alone), condition.Alone);
                        // A condition and its opposite are everything.
                        Assert.Equal(counts.All, condition.Alone + (await Count($"not ({alone})")).Left[^1]);
                        if (condition.Missing is { } missing)
                            Assert.Equal(
                                Of($"({alone}) and not exists({QueryPrinter.PrintMatch(((Compare)condition.Condition).Left)})"),
                                missing
                            );
                    }
                    for (var i = 0; i < counts.Conditions.Count; i++)
                        Assert.Equal(
                            Of(
                                string.Join(
                                    " and ",
                                    counts
                                        .Conditions.Take(i + 1)
                                        .Select(c =>
                                            c.Condition is Or
                                                ? $"({QueryPrinter.PrintMatch(c.Condition)})"
                                                : QueryPrinter.PrintMatch(c.Condition)
                                        )
                                )
                            ),
                            counts.Conditions[i].Left
                        );
                },
                iter: Cases.Of(60),
                threads: 1
            );
}
