using CsCheck;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Tests.Storage;
using NodaTime;

namespace Kumiko.Core.Tests.Query;

/// <summary>What pointing does is what typing does, and the numbers beside a query are those of the query cut there.</summary>
public sealed class PointingLaws : StoreTest
{
    private static readonly Window Hours = new(Sample.At("2026-11-23T16:00:00Z"), Sample.At("2026-11-23T18:00:00Z"));

    private static readonly Gen<string> Texts = Gen.OneOf(
        "",
        "refused",
        "refused or Tarnhead",
        "(level >= warn or x > 2) and not refused",
        "terminal = Tarnhead | where x > 1",
        "-- a note\nrefused",
        "refused | limit 40",
        "level >= info\n| where exists(terminal) | set y = 1\n| where y = 1",
        "refused or x = 7 | parse body as \"refused at {place}\" | where exists(place)",
        "with a = 3 refused",
        "gate | where terminal = \"a b\" or wait > 1 | group count() by terminal"
    );

    private RecordStore Filled(int seed)
    {
        var store = Open(path: Path.Combine(Folder, Guid.NewGuid().ToString("N")));
        for (var batch = 0; batch < 3; batch++)
        {
            store
                .Append([.. Enumerable.Range(seed + (batch * 50), 50).Select(i => Sample.Random(i))], "quay")
                .GetAwaiter()
                .GetResult();
            if (batch == 0)
                store.Upkeep.SealAll().GetAwaiter().GetResult();
        }
        return store;
    }

    private static Run Ask(RecordStore store, string text) =>
        new(new Question("test", QueryParser.Parse(text), Hours, Hours.To, DateTimeZone.Utc, Limits.Default), store.Current);

    private static HashSet<RecordId> Ids(RecordStore store, string text)
    {
        using var run = Ask(store, text);
        Assert.True(run.Question.Parsed.Ok, text);
        return [.. run.Passing(null).Select(r => r.Id)];
    }

    [Fact]
    public void Only_this_and_without_this_part_the_records_that_were_there() =>
        Gen.Select(Gen.Int[0, 500], Texts, Gen.Int[0, 1_000])
            .Sample(
                (seed, text, pick) =>
                {
                    // A limit would let others in when some are left out.
                    if (text.Contains("limit", StringComparison.Ordinal))
                        return;
                    using var store = Filled(seed);
                    var records = All(store);
                    var record = records[pick % records.Count];
                    for (var i = 0; i < record.Attributes.Count; i++)
                    {
                        var (name, value) = (record.Attributes.Names[i], record.Attributes.Values[i]);
                        if (value.Kind is ValueKind.Object or ValueKind.List)
                            continue;
                        var (all, only, without) = (
                            Ids(store, text),
                            Ids(store, QueryEdits.With(text, name, value, false).Text),
                            Ids(store, QueryEdits.With(text, name, value, true).Text)
                        );
                        Assert.Equal(all.Count, only.Count + without.Count);
                        Assert.Equal(all, [.. only.Concat(without)]);
                        Assert.Equal(all.Contains(record.Id), only.Contains(record.Id));
                        // Typed: the words of the condition in brackets beside what was there.
                        var condition = QueryPrinter.PrintMatch(
                            new Compare(new Field(name), CompareOp.Equal, Literals.For(value))
                        );
                        Assert.Equal(only, [.. Ids(store, condition).Intersect(all)]);
                    }
                },
                iter: Cases.Of(40)
            );

    [Fact]
    public void A_number_beside_a_line_is_the_count_of_the_query_cut_there() =>
        Gen.Select(Gen.Int[0, 500], Texts)
            .Sample(
                (seed, text) =>
                {
                    using var store = Filled(seed);
                    using var run = Ask(store, text);
                    var counts = run.Counts().GetAwaiter().GetResult();
                    for (var stage = 0; stage < counts.RecordStages; stage++)
                    {
                        using var cut = Ask(store, QueryEdits.CutAt(run.Question.Parsed, stage));
                        Assert.True(cut.Question.Parsed.Ok, cut.Question.Parsed.Text);
                        Assert.Equal(counts.Left[stage], cut.Counts().GetAwaiter().GetResult().Records);
                    }
                },
                iter: Cases.Of(60)
            );

    [Fact]
    public void Reading_up_from_any_record_and_down_to_it_is_the_same_list() =>
        Gen.Select(Gen.Int[0, 500], Gen.OneOf("", "refused", "level >= warn | where x > 1"), Gen.Int[0, 1_000])
            .Sample(
                (seed, text, pick) =>
                {
                    using var store = Filled(seed);
                    using var run = Ask(store, text);
                    var down = run.Records(null, 1_000).GetAwaiter().GetResult().Select(r => r.Id).ToList();
                    if (down.Count == 0)
                        return;
                    var at = pick % down.Count;
                    var up = run.Above(down[at], Hours, 1_000).GetAwaiter().GetResult().Select(r => r.Id).Reverse();
                    Assert.Equal(down[..at], up);
                    Assert.All(down, id => Assert.True(run.Meets(run.Find(id)!)));
                },
                iter: Cases.Of(40)
            );

    [Fact]
    public void Work_stops_when_the_last_reader_leaves_and_not_before()
    {
        using var store = Filled(1);
        using var run = Ask(store, "refused");
        using var first = new CancellationTokenSource();
        using var second = new CancellationTokenSource();
        using var a = run.Attach(first.Token);
        using var b = run.Attach(second.Token);
        first.Cancel();
        Assert.False(run.IsStopped);
        second.Cancel();
        Assert.True(run.IsStopped);
    }

    [Fact]
    public void A_reader_who_had_their_answer_stops_nothing_and_a_stopped_run_is_not_handed_out()
    {
        using var store = Filled(2);
        using var registry = new RunRegistry(store, Clock);
        var question = new Question("test", QueryParser.Parse("refused"), Hours, Hours.To, DateTimeZone.Utc, Limits.Default);
        var run = registry.Shared(question);
        Assert.Same(run, registry.Shared(question));
        using (var done = new CancellationTokenSource())
        {
            run.Attach(done.Token).Dispose();
            done.Cancel();
        }
        Assert.False(run.IsStopped);
        using var left = new CancellationTokenSource();
        using var reading = run.Attach(left.Token);
        left.Cancel();
        Assert.NotSame(run, registry.Shared(question));
        Assert.NotSame(run, registry.FindOrOpen(run.Id, question));
    }
}
