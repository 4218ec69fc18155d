using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Query.Baselines;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Tests.Storage;
using NodaTime;

namespace Kumiko.Core.Tests.Query;

/// <summary>A question has one answer, whether its records are recent, sealed, merged, or some of each.</summary>
public sealed class SealedRunTests : StoreTest
{
    private static readonly string[] Texts =
    [
        "",
        "refused",
        "refus*",
        "\"at the gate\"",
        "level >= warn",
        "terminal = Tarnhead and not refused",
        "x > 3",
        "wait in (400ms, 7)",
        "exists(trace_id)",
        "body ~ /gate-\\w+/",
        "nothing",
        "refused | where wait > 1",
        "| group count() by terminal",
        "level >= info | group count() as n, avg(x) by service per 10m | order by n desc",
        "| group count() per 5m",
        "Tarnhead | order by time | limit 5",
        "| limit 2 for each terminal",
    ];

    private static readonly Window Hours = new(Sample.At("2026-11-23T16:00:00Z"), Sample.At("2026-11-23T18:00:00Z"));

    private static Run Ask(RecordStore store, string text, Window window) =>
        new(new Question("test", QueryParser.Parse(text), window, window.To, DateTimeZone.Utc, Limits.Default), store.Current);

    private static async Task<string> Answer(RecordStore store, string text, Window window)
    {
        using var run = Ask(store, text, window);
        var counts = await run.Counts();
        var histogram = await run.Histogram(window, 5 * Instants.Minute);
        var fields = await run.Fields(
            new Baseline(BaselineChoice.Before, [new Window(Hours.From, Hours.From + (Hours.Length / 2))], "a half")
        );
        var rows = run.IsGrouped
            ? (await run.Frame()).Rows.Select(r => string.Join(' ', r.Select(v => v.ToText())))
            : run.Passing(null).Select(r => r.Id + " " + r.Body);
        return string.Join(
            '\n',
            [
                $"{counts.All}: {string.Join(' ', counts.Left)}",
                string.Join(' ', histogram.Counts),
                .. fields
                    .Select(f =>
                        $"{f.Name} {f.Present} {f.Distinct} {string.Join(' ', f.Top.Select(t => $"{t.Value.ToText()}={t.Count}/{t.Baseline:0.0000}"))}"
                    )
                    .Order(StringComparer.Ordinal),
                .. rows,
            ]
        );
    }

    [Fact]
    public async Task Every_part_of_an_answer_is_the_same_from_recent_sealed_and_merged()
    {
        using var store = Open();
        for (var batch = 0; batch < 12; batch++)
            await store.Append(
                [.. Enumerable.Range(0, 60).Select(i => Sample.Random((batch * 100) + i))],
                batch % 3 == 0 ? "import" : "quay"
            );
        var windows = new[] { Hours, new Window(Hours.From + (17 * Instants.Minute), Hours.To - (23 * Instants.Minute)) };
        var expected = new Dictionary<(string, Window), string>();
        foreach (var text in Texts)
        foreach (var window in windows)
            expected[(text, window)] = await Answer(store, text, window);
        Assert.Contains(expected.Values, a => a.Split('\n').Length > 100);

        for (var step = 0; step < 3; step++)
        {
            await store.Upkeep.SealAll();
            if (step == 1)
                Clock.Advance(TimeSpan.FromDays(2));
            while (step > 0 && await store.Upkeep.Merge()) { }
            foreach (var ((text, window), answer) in expected)
                Assert.Equal(answer, await Answer(store, text, window));
        }
    }

    [Fact]
    public async Task Pages_of_rows_join_without_gap_or_overlap_across_segments_and_what_is_recent()
    {
        using var store = Open();
        // Equal times on both sides of a page's end are told apart by their sequence.
        for (var batch = 0; batch < 6; batch++)
        {
            await store.Append(
                [.. Enumerable.Range(0, 50).Select(i => Sample.Random(i, Hours.From + (i / 10 * Instants.Minute)))],
                "quay"
            );
            if (batch < 5)
                await store.Upkeep.SealAll();
        }
        using var run = Ask(store, "", Hours);
        var all = run.Passing(null).Select(r => r.Id).ToList();
        Assert.Equal(300, all.Count);
        var paged = new List<RecordId>();
        while (await run.Records(paged.Count == 0 ? null : paged[^1], 7) is { Count: > 0 } page)
            paged.AddRange(page.Select(r => r.Id));
        Assert.Equal(all, paged);
        foreach (var id in all.Where((_, i) => i % 17 == 0))
            Assert.Equal(id, run.Find(id)?.Id);
        Assert.Null(run.Find(new RecordId(all[0].Time, 1_000_000)));
    }

    [Fact]
    public async Task A_run_keeps_its_records_whatever_becomes_of_them()
    {
        using var store = Open(new Retention(Age: Instants.Hour));
        await store.Append(
            [
                .. Enumerable
                    .Range(0, 200)
                    .Select(i => new LogRecord
                    {
                        Time = Hours.From + i,
                        Observed = Hours.From,
                        Body = $"gate {i} opened",
                    }),
            ],
            "quay"
        );
        await store.Upkeep.SealAll();
        var run = Ask(store, "opened", Hours);
        Clock.Advance(TimeSpan.FromDays(1));
        Assert.Equal(1, await store.Upkeep.Retain());
        Assert.Equal(0, await store.Upkeep.Sweep());
        Assert.Equal(200, run.Passing(null).Count());
        using (var export = new Run(run.Question, run.Snapshot.Share()))
        {
            run.Dispose();
            Assert.Equal(0, await store.Upkeep.Sweep());
            Assert.Equal(200, export.Passing(null).Count());
        }
        Assert.Equal(1, await store.Upkeep.Sweep());
        Assert.Equal(0, store.Count);
    }
}
