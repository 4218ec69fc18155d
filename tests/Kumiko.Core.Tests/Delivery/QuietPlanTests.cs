using CsCheck;
using Kumiko.Core.Delivery;
using Kumiko.Core.Records;

namespace Kumiko.Core.Tests.Delivery;

public class QuietPlanTests
{
    private const long Now = 1_000 * Instants.Hour;
    private static readonly ChannelQuiet Six = ChannelQuiet.Default;

    private static WaitingBundle Bundle(string name, long? last = null, bool critical = false, long? since = null) =>
        new(name, since ?? Now, last, critical);

    private static IReadOnlyList<WaitingBundle> Many(int count) =>
        [.. Enumerable.Range(0, count).Select(i => Bundle("rule " + i))];

    [Fact]
    public void The_first_message_goes_at_once() =>
        Assert.Equal(
            [
                ["rule 1"],
            ],
            QuietPlan.Decide(Six, [], [Bundle("rule 1")], Now)
        );

    [Fact]
    public void What_follows_is_gathered_for_a_minute()
    {
        Assert.Empty(QuietPlan.Decide(Six, [Now - Instants.Second], [Bundle("rule 1", Now - Instants.Second)], Now));
        Assert.Equal(
            [
                ["rule 1"],
            ],
            QuietPlan.Decide(Six, [Now - Instants.Minute], [Bundle("rule 1", Now - Instants.Minute)], Now)
        );
    }

    [Fact]
    public void A_flood_makes_a_handful_of_messages_and_the_last_takes_all_along()
    {
        var messages = QuietPlan.Decide(Six, [], Many(50), Now);
        Assert.Equal(6, messages.Count);
        Assert.Equal(45, messages[5].Count);
        Assert.Empty(QuietPlan.Decide(Six, Enumerable.Repeat(Now, 6), Many(50), Now + Instants.Minute));
        Assert.Equal(Now + Six.Per, QuietPlan.FullUntil(Six, Enumerable.Repeat(Now, 6), Now));
    }

    [Fact]
    public void A_digest_waits_for_its_time_and_what_is_critical_does_not()
    {
        var hourly = Six with { Digest = Instants.Hour };
        IReadOnlyList<WaitingBundle> waiting = [Bundle("a", since: Now + 1), Bundle("b", critical: true, since: Now + 1)];
        Assert.Equal(
            [
                ["b"],
            ],
            QuietPlan.Decide(hourly, [], waiting, Now + Instants.Minute)
        );
        Assert.Empty(QuietPlan.Decide(hourly with { CriticalAtOnce = false }, [], waiting, Now + Instants.Minute));
        Assert.Equal(
            [
                ["a", "b"],
            ],
            QuietPlan.Decide(hourly, [], waiting, Now + Instants.Hour)
        );
    }

    [Fact]
    public void Never_more_than_the_limit_in_any_stretch_and_nothing_is_told_twice_or_forgotten() =>
        Gen.Select(Gen.Int[1, 8], Gen.Int[0, 120], Gen.Int[0, 6].Array[1, 120])
            .Sample(
                (most, gather, arrivals) =>
                {
                    var quiet = new ChannelQuiet { Most = most, Gather = gather * Instants.Second };
                    var (sent, last, waiting, told, added) = (
                        new List<long>(),
                        new Dictionary<string, long>(),
                        new Dictionary<string, long>(),
                        0,
                        0
                    );
                    for (var second = 0; second < 1_500; second++)
                    {
                        var now = Now + (second * Instants.Second);
                        for (var a = 0; second < arrivals.Length && a < arrivals[second]; a++)
                            if (waiting.TryAdd("rule " + (a + second) % 9, now))
                                added++;
                        var messages = QuietPlan.Decide(
                            quiet,
                            sent,
                            [
                                .. waiting
                                    .OrderBy(w => w.Value)
                                    .Select(w => new WaitingBundle(
                                        w.Key,
                                        w.Value,
                                        last.TryGetValue(w.Key, out var at) ? at : null,
                                        false
                                    )),
                            ],
                            now
                        );
                        foreach (var message in messages)
                        {
                            sent.Add(now);
                            foreach (var name in message)
                            {
                                Assert.True(waiting.Remove(name));
                                last[name] = now;
                                told++;
                            }
                        }
                        Assert.InRange(sent.Count(t => t > now - quiet.Per), 0, most);
                    }
                    Assert.Equal(added, told);
                },
                iter: Cases.Of(60)
            );
}
