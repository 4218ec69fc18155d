using System.Globalization;
using CsCheck;
using Kumiko.Core.Analysis;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Query.Baselines;
using Kumiko.Core.Query.Gathering;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Upkeep;
using Kumiko.Core.Tests.Storage;
using NodaTime;

namespace Kumiko.Core.Tests.Query;

/// <summary>The records of a query by their patterns.</summary>
public sealed class GatherTests : StoreTest
{
    private static readonly Window Hours = new(Sample.At("2026-11-23T16:00:00Z"), Sample.At("2026-11-23T18:00:00Z"));

    private static Run Ask(RecordStore store, string text, Window? window = null) =>
        new(
            new Question("test", QueryParser.Parse(text), window ?? Hours, Hours.To, DateTimeZone.Utc, Limits.Default),
            store.Current
        );

    private static LogRecord Line(
        double second,
        string body,
        string service = "gate-control",
        int severity = 9,
        string? gate = null
    ) =>
        new()
        {
            Time = Hours.From + (long)(second * Instants.Second),
            Observed = Hours.From,
            Body = body,
            Source = "quay",
            SeverityNumber = severity,
            Resource = new Resource(
                new Attributes(["service.name", "host.name"], [Value.Of(service), Value.Of(gate ?? "gate-t1")])
            ),
        };

    /// <summary>A line of one of six kinds.</summary>
    private static LogRecord Random(int seed)
    {
        var random = new Random(seed);
        var second = random.Next(-7_200, 7_200);
        var n = random.Next(1, 900);
        return random.Next(6) switch
        {
            0 => Line(second, $"gate {n} opened"),
            1 => Line(second, $"ticket SK-{n} refused: seat already claimed after {n}ms", severity: 17),
            2 => Line(second, $"claimed seat {n}A for SK-{n}", "seat-ledger"),
            3 => Line(second, $"tide reading {n / 10.0} m at quay {n % 4}", "tide-feed", severity: 5),
            4 => Line(second, new string('x', 9_000) + n, "manifest"),
            _ => Line(second, $"ticket SK-{n} accepted", severity: random.Next(1, 24)),
        };
    }

    [Fact]
    public void Gathering_is_gathering_row_by_row() =>
        Gen.Select(
                Gen.Int[0, 10_000],
                Gen.Int[1, 300],
                Gen.Int[0, 3],
                Gen.OneOf("", "ticket", "level >= warn", "service = seat-ledger", "gate or tide | where level < error"),
                Gen.OneOf("", "before", "set:service = tide-feed", "none")
            )
            .Sample(
                (seed, count, sealing, text, against) =>
                {
                    using var store = Open(path: Path.Combine(Folder, Guid.NewGuid().ToString("N")));
                    foreach (var part in Enumerable.Range(seed, count).Select(Random).Chunk(70))
                    {
                        store.Append(part, "quay").GetAwaiter().GetResult();
                        if (sealing-- > 0)
                            store.Upkeep.SealAll().GetAwaiter().GetResult();
                    }
                    using var run = Ask(store, text);
                    var baseline = run.BaselineOf(BaselineChoice.Parse(against)!, new BaselineFinder(_ => 0));
                    var gathered = run.Gather(baseline).GetAwaiter().GetResult();
                    var here = Oracle(store, run, text, Hours);
                    Assert.Equal(here.Values.Sum(v => (long)v.Count), gathered.Records);
                    var then = baseline.Windows.Select(w => Oracle(store, run, baseline.Query ?? text, w)).ToList();
                    Assert.Equal(
                        here.Keys.Union(then.SelectMany(t => t.Keys)).Order(StringComparer.Ordinal),
                        gathered.Patterns.Select(p => p.Pattern?.Name ?? "").Order(StringComparer.Ordinal)
                    );
                    foreach (var pattern in gathered.Patterns)
                    {
                        var records = here.GetValueOrDefault(pattern.Pattern?.Name ?? "", []);
                        Assert.Equal(records.Count, pattern.Count);
                        Assert.Equal(records.Count, pattern.Line.Sum());
                        if (records.Count == 0)
                            continue;
                        Assert.Equal((records.Min(r => r.Time), records.Max(r => r.Time)), (pattern.First, pattern.Last));
                        for (var band = 0; band < pattern.Bands.Count; band++)
                            Assert.Equal(records.Count(r => Severity.Band(r.SeverityNumber) == band), pattern.Bands[band]);
                        if (pattern.Shift is not { } shift)
                            continue;
                        var before = then.Sum(t => t.GetValueOrDefault(pattern.Pattern?.Name ?? "", []).Count);
                        var all = then.Sum(t => t.Values.Sum(v => v.Count));
                        var usual = baseline.Query is null
                            ? (double)before / baseline.Windows.Count
                            : (double)before * gathered.Records / all;
                        Assert.Equal(usual, shift.Usual, 6);
                    }
                },
                iter: Cases.Of(60)
            );

    private static Dictionary<string, List<LogRecord>> Oracle(RecordStore store, Run run, string text, Window window)
    {
        using var other = Ask(store, text, window);
        return other
            .Passing(null)
            .GroupBy(r => run.Snapshot.Patterns!.Of(r) is { IsMissing: false } name ? name.AsText : "")
            .ToDictionary(g => g.Key, g => g.ToList());
    }

    private async Task<RecordStore> Filled(params IEnumerable<LogRecord>[] records)
    {
        var store = Open();
        foreach (var some in records)
            await store.Append([.. some], "quay");
        return store;
    }

    private static IEnumerable<LogRecord> Every(
        double seconds,
        Func<int, double, LogRecord> line,
        double from = 0,
        double to = 7_200
    ) => Enumerable.Range(0, (int)((to - from) / seconds)).Select(i => line(i, from + (i * seconds)));

    [Fact]
    public async Task What_came_up_is_told_from_what_is_as_usual()
    {
        using var store = await Filled(
            Every(10, (i, s) => Line(s, $"gate {i} opened"), from: -7_200),
            Every(30, (i, s) => Line(s, $"ticket SK-{i} refused: seat already claimed after {i}ms", severity: 17), from: -7_200),
            Every(8, (i, s) => Line(s, $"ticket SK-{i} refused: seat already claimed after {i}ms", severity: 17), from: 0),
            Every(20, (i, s) => Line(s, $"lamp of lane {i} lit"), from: 100),
            Every(60, (i, s) => Line(s, $"door {i} closed"), from: -7_200, to: 0)
        );
        using var run = Ask(store, "");
        var gathered = await run.Gather(run.BaselineOf(BaselineChoice.Before, new BaselineFinder(_ => 0)));
        var of = gathered.Patterns.ToDictionary(p => p.Pattern!.Text.Split(' ')[0], p => p);
        Assert.Equal(RateDifference.AsUsual, of["gate"].Shift!.Difference);
        Assert.Equal(RateDifference.More, of["ticket"].Shift!.Difference);
        Assert.InRange(of["ticket"].Shift!.Factor, 4, 5.5);
        Assert.True(of["ticket"].Shift!.IsSure);
        Assert.Equal(6 - 1, of["ticket"].Band);
        Assert.True(of["lamp"].IsNew);
        Assert.Equal(RateDifference.UsuallyNone, of["lamp"].Shift!.Difference);
        Assert.Equal((0L, RateDifference.Gone), (of["door"].Count, of["door"].Shift!.Difference));
        Assert.Equal(4, gathered.Patterns.Count);
        Assert.Equal(3, gathered.Here);
        Assert.Equal("lamp", gathered.Patterns.In(PatternOrder.Change).First().Pattern!.Text.Split(' ')[0]);
        Assert.Equal("lamp", gathered.Patterns.In(PatternOrder.Newness).First().Pattern!.Text.Split(' ')[0]);
        Assert.Equal("lamp", gathered.Patterns.In(PatternOrder.Rarity).First().Pattern!.Text.Split(' ')[0]);
        Assert.Equal("door", gathered.Patterns.In(PatternOrder.Rarity).Last().Pattern!.Text.Split(' ')[0]);
    }

    [Fact]
    public async Task Gaps_say_what_they_contain()
    {
        using var store = await Filled(
            Every(1, (i, s) =>
                Line(s, $"ticket SK-{i} refused: {(i % 4 == 0 ? "seat already claimed" : "not found")} after {i % 100}ms")
            )
        );
        using var run = Ask(store, "");
        var pattern = (await run.Gather(null)).Patterns.Single().Pattern!;
        var gaps = (await run.Gaps(pattern.Name))!;
        Assert.Equal(7_200, gaps.Records);
        Assert.Equal(gaps.Looked, gaps.Fit);
        Assert.Equal(pattern.Variables.Select(v => v.Name), gaps.Gaps.Select(g => g.Name));
        var reason = gaps.Gaps[1];
        Assert.Equal(["not found", "seat already claimed"], reason.Top.Select(v => v.Value.ToText()));
        Assert.Equal(0.25, reason.Top[1].Share, 3);
        Assert.InRange(gaps.Gaps[2].Numbers!.Median, 45_000_000, 55_000_000);
        Assert.InRange(gaps.Examples.Count, 1, 3);
        Assert.All(gaps.Examples, id => Assert.NotNull(run.Find(id)));
    }

    [Fact]
    public async Task Of_many_records_an_even_part_is_looked_at()
    {
        using var store = await Filled(Every(0.1, (i, s) => Line(s, $"gate {i % 7} opened")));
        await store.Upkeep.SealAll();
        using var run = Ask(store, "");
        var name = (await run.Gather(null)).Patterns.Single().Pattern!.Name;
        var gaps = (await run.Gaps(name))!;
        Assert.Equal(72_000, gaps.Records);
        Assert.InRange(gaps.Looked, 8_000, 10_000);
        Assert.Equal(7, gaps.Gaps.Single().Distinct);
    }

    [Fact]
    public async Task Gaps_follow_the_query_and_a_header_before_the_line_does_not_hinder()
    {
        using var store = await Filled(
            Every(60, (i, s) =>
                Line(
                    s,
                    string.Create(
                        CultureInfo.InvariantCulture,
                        $"2026-11-23 16:00:{i % 60:00} INFO [lane-{i % 3}] gate {i} opened"
                    ),
                    gate: i % 2 == 0 ? "gate-t1" : "gate-t2"
                )
            )
        );
        using var run = Ask(store, "host = gate-t1 | group count() by host");
        var gathered = await run.Gather(null);
        var pattern = Assert.Single(gathered.Patterns);
        Assert.Equal(60, pattern.Count);
        var gaps = (await run.Gaps(pattern.Pattern!.Name))!;
        Assert.Equal((60L, 60), (gaps.Records, gaps.Fit));
        Assert.Null(await run.Gaps("#00000000"));
    }

    [Fact]
    public async Task Rows_of_other_sets_have_no_patterns()
    {
        using var store = await Filled(Every(60, (i, s) => Line(s, $"gate {i} opened")));
        using var run = new Run(
            new Question("test", QueryParser.Parse("from patterns"), Hours, Hours.To, DateTimeZone.Utc, Limits.Default),
            store.Current,
            new QuerySources(new RowSetBook([new Kumiko.Core.Patterns.PatternSet()]))
        );
        await Assert.ThrowsAsync<QueryRefusedException>(() => run.Gather(null));
    }

    [Fact]
    public async Task The_list_of_patterns_has_what_is_usual_on_like_days()
    {
        using var store = await Filled(
            Enumerable
                .Range(0, 15)
                .SelectMany(day =>
                    Every(60, (i, s) => Line(s - (day * 86_400), $"gate {i} opened"), to: day == 0 ? 7_200 : 3_600)
                ),
            // The days are collected from their beginning.
            [Line(-15 * 86_400, "door 1 closed")]
        );
        using var run = new Run(
            new Question(
                "test",
                QueryParser.Parse("from patterns | where starts(text, \"gate\")"),
                Hours,
                Hours.To,
                DateTimeZone.Utc,
                Limits.Default
            ),
            store.Current,
            new QuerySources(new RowSetBook([new Kumiko.Core.Patterns.PatternSet()]))
        );
        var frame = await run.Frame();
        var row = Assert.Single(frame.Rows);
        Value Of(string name) => row[frame.Schema.IndexOf(name)];
        Assert.Equal(120, Of("records").AsLong);
        Assert.Equal(60, Of("usual").AsDouble, 1);
        Assert.Equal(2, Of("usual_factor").AsDouble, 2);
        Assert.Equal("more", Of("differs").AsText);
    }
}
