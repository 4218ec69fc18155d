using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Tests.Storage;
using Microsoft.Extensions.Time.Testing;
using NodaTime;

namespace Kumiko.Core.Tests.Query;

/// <summary>Queries work in turn, nobody takes all of it, and all of them together hold no more than they may.</summary>
public sealed class WorkGateTests : StoreTest
{
    private static readonly WorkLimits Small = new(
        AtOnce: 3,
        OfOne: 2,
        Waiting: 4,
        WaitingOfOne: 3,
        TimeSpan.FromSeconds(20),
        Answers: 3,
        AnswersOfOne: 2
    );

    private readonly FakeTimeProvider _time = new();
    private readonly WorkGate _gate;

    public WorkGateTests() => _gate = new WorkGate(Small, _time);

    private Task<IDisposable> Enter(string person) => _gate.Enter(person, CancellationToken.None);

    [Fact]
    public async Task One_has_two_turns_and_another_gets_the_third()
    {
        var (first, second, third) = (await Enter("ines"), await Enter("ines"), Enter("ines"));
        Assert.False(third.IsCompleted);
        using var other = await Enter("tomas");
        Assert.Equal((3, 1), _gate.Now);
        first.Dispose();
        first.Dispose();
        (await third).Dispose();
        second.Dispose();
        other.Dispose();
        Assert.Equal((0, 0), _gate.Now);
    }

    [Fact]
    public async Task A_free_turn_goes_to_who_has_the_least()
    {
        var (a, b, c) = (await Enter("ines"), await Enter("ines"), await Enter("tomas"));
        var (mine, theirs) = (Enter("ines"), Enter("sunniva"));
        a.Dispose();
        using var got = await theirs;
        Assert.False(mine.IsCompleted);
        b.Dispose();
        (await mine).Dispose();
        c.Dispose();
    }

    [Fact]
    public async Task Too_many_come_later_and_are_told_whose_doing_it_is()
    {
        using var a = await Enter("ines");
        using var b = await Enter("ines");
        var waiting = Enumerable.Range(0, 3).Select(_ => Enter("ines")).ToList();
        Assert.True((await Assert.ThrowsAsync<QueryBusyException>(() => Enter("ines"))).IsOwn);
        using var c = await Enter("tomas");
        waiting.Add(Enter("tomas"));
        Assert.False((await Assert.ThrowsAsync<QueryBusyException>(() => Enter("sunniva"))).IsOwn);
        // Whose turn does not come is told so after a while, and takes no turn later.
        _time.Advance(TimeSpan.FromSeconds(20));
        foreach (var one in waiting)
            Assert.False((await Assert.ThrowsAsync<QueryBusyException>(() => one)).IsOwn);
        Assert.Equal((3, 0), _gate.Now);
    }

    [Fact]
    public async Task Whoever_leaves_waits_no_more()
    {
        var (a, b) = (await Enter("ines"), await Enter("ines"));
        using var leaves = new CancellationTokenSource();
        var third = _gate.Enter("ines", leaves.Token);
        await leaves.CancelAsync();
        await Assert.ThrowsAnyAsync<OperationCanceledException>(() => third);
        a.Dispose();
        b.Dispose();
        Assert.Equal((0, 0), _gate.Now);
    }

    [Fact]
    public async Task Under_any_order_of_coming_and_going_the_limits_hold_and_nothing_is_left()
    {
        var (working, most) = (0, 0);
        var byPerson = new int[5];
        await Parallel.ForEachAsync(
            Enumerable.Range(0, 400),
            new ParallelOptions { MaxDegreeOfParallelism = 6 },
            async (i, cancel) =>
            {
                try
                {
                    using var turn = await Enter("p" + (i % 5));
                    InterlockedMax(ref most, Interlocked.Increment(ref working));
                    Assert.InRange(Interlocked.Increment(ref byPerson[i % 5]), 1, Small.OfOne);
                    await Task.Yield();
                    Interlocked.Decrement(ref byPerson[i % 5]);
                    Interlocked.Decrement(ref working);
                }
                catch (QueryBusyException)
                { /* told to come later */
                }
            }
        );
        Assert.InRange(most, 1, Small.AtOnce);
        Assert.Equal((0, 0), _gate.Now);
    }

    private static void InterlockedMax(ref int most, int value)
    {
        for (var seen = most; value > seen; seen = most)
            if (Interlocked.CompareExchange(ref most, value, seen) == seen)
                return;
    }

    [Fact]
    public void Answers_that_are_read_slowly_are_bounded_too()
    {
        var (a, b) = (_gate.BeginAnswer("ines"), _gate.BeginAnswer("ines"));
        Assert.True(Assert.Throws<QueryBusyException>(() => _gate.BeginAnswer("ines")).IsOwn);
        using var c = _gate.BeginAnswer("tomas");
        Assert.False(Assert.Throws<QueryBusyException>(() => _gate.BeginAnswer("sunniva")).IsOwn);
        a.Dispose();
        a.Dispose();
        using var d = _gate.BeginAnswer("sunniva");
        b.Dispose();
    }

    private Core.Query.Question Ask(string text, string person = "ines", long memory = 1L << 30) =>
        new(
            person,
            QueryParser.Parse(text),
            new Window(0, long.MaxValue / 4),
            long.MaxValue / 4,
            DateTimeZone.Utc,
            Limits.Default with
            {
                Memory = memory,
            }
        );

    private async Task<RecordStore> Filled()
    {
        var store = Open();
        await store.Append(
            [
                .. Enumerable
                    .Range(0, 3_000)
                    .Select(i => new LogRecord
                    {
                        Time = 1_000_000L * i,
                        Observed = 1_000_000L * i,
                        Body = $"ticket {i} refused",
                    }),
            ],
            "quay"
        );
        return store;
    }

    [Fact]
    public async Task A_run_takes_one_turn_for_all_its_pieces_and_a_busy_piece_can_be_asked_again()
    {
        using var store = await Filled();
        using var run = new Run(Ask("refused"), store.Current, QuerySources.None with { Gate = _gate });
        var (a, b) = (await Enter("ines"), await Enter("ines"));
        var fields = run.Fields(null);
        var counts = run.Counts();
        Assert.Equal((2, 1), _gate.Now);
        // What segments tell by heart needs no turn, so a strip stands also now.
        using var all = new Run(Ask(""), store.Current, QuerySources.None with { Gate = _gate });
        Assert.Equal(3_000, (await all.Histogram(new Window(0, 60_000_000_000L * 60), 60_000_000_000L)).Total(0));
        _time.Advance(TimeSpan.FromSeconds(21));
        await Assert.ThrowsAsync<QueryBusyException>(() => fields);
        await Assert.ThrowsAsync<QueryBusyException>(() => counts);
        a.Dispose();
        b.Dispose();
        Assert.Equal(3_000, (await run.Counts()).Left[^1]);
        Assert.Equal(10, (await run.Records(null, 10)).Count);
        Assert.Equal((0, 0), _gate.Now);
    }

    [Fact]
    public async Task A_group_that_is_streamed_is_gathered_within_a_turn()
    {
        using var store = await Filled();
        var seen = new List<int>();
        // What a look-up is asked for says how many work at that moment.
        var around = QuerySources.None with
        {
            Gate = _gate,
            Lookup = (_, _) =>
                key =>
                {
                    lock (seen)
                        seen.Add(_gate.Now.Working);
                    return key;
                },
        };
        using var run = new Run(
            Ask("| group count() as n by lookup(\"tickets\", body, \"x\") as b | group count() as n"),
            store.Current,
            around
        );
        await using var answer = await run.Stream();
        Assert.Equal(3_000, answer.Rows()[0][0].AsLong);
        Assert.All(seen, working => Assert.Equal(1, working));
        Assert.NotEmpty(seen);
    }

    [Fact]
    public async Task A_slow_reader_of_an_answer_holds_no_turn()
    {
        using var store = await Filled();
        using var run = new Run(Ask("refused"), store.Current, QuerySources.None with { Gate = _gate });
        await using (var answer = await run.Stream())
        {
            var rows = 0;
            await foreach (var part in answer.Chunks())
            {
                rows += part.Count;
                Assert.True(SpinWait.SpinUntil(() => _gate.Now == (0, 0), TimeSpan.FromSeconds(30)));
            }
            Assert.Equal(3_000, rows);
        }
        using var again = _gate.BeginAnswer("ines");
        using var twice = _gate.BeginAnswer("ines");
    }

    [Fact]
    public async Task What_all_hold_together_is_bounded_and_comes_back_with_the_end_of_a_run()
    {
        using var store = await Filled();
        var budget = new MemoryBudget(3 << 20);
        var around = QuerySources.None with { Memory = budget };
        const string Distinct = "| group distinct(body) as n";
        var held = new List<Run>();
        for (var i = 0; i < 3; i++)
        {
            held.Add(new Run(Ask(Distinct), store.Current, around));
            Assert.Equal(3_000, (await held[^1].Frame()).Rows[0][0].AsLong);
        }
        Assert.InRange(budget.BytesHeld, 1 << 20, 3 << 20);
        using var refused = new Run(Ask(Distinct), store.Current, around);
        Assert.IsType<QueryBusyException>(await Record.ExceptionAsync(() => refused.Frame()));
        foreach (var run in held)
            run.Dispose();
        Assert.Equal(0, budget.BytesHeld);
        Assert.Equal(3_000, (await refused.Frame()).Rows[0][0].AsLong);
    }

    [Fact]
    public async Task Out_of_time_is_told_as_such_before_the_first_row()
    {
        using var store = await Filled();
        using var run = new Run(Ask("refused") with { Limits = Limits.Default with { Time = TimeSpan.Zero } }, store.Current);
        await Assert.ThrowsAsync<QueryTimedOutException>(() => run.Stream());
    }
}
