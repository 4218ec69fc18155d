using Kumiko.Core.Delivery;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using Kumiko.Core.Rules.Briefs;
using Kumiko.Core.Tests.Rules;

namespace Kumiko.Core.Tests.Delivery;

public class NotificationPlannerTests : RuleTest
{
    private const long Minute = Instants.Minute;

    private Task<long> AddChannel(string name, ChannelQuiet? quiet = null) =>
        Channels.Add(
            new Channel
            {
                Name = name,
                Settings = new WebhookSettings("http://127.0.0.1/" + name, []),
                Quiet = quiet ?? ChannelQuiet.Default,
                Author = Store.Rules()[0].Author,
            }
        );

    private List<string> Made() =>
        [
            .. Sendings
                .All(new SendingFilter(), 10_000)
                .Reverse()
                .Select(s =>
                    $"{s.ChannelName ?? s.Recipient}: {string.Join(", ", Sendings.Content(s, Store).Counts.Select(c => $"{c.Count} {c.Kind}"))}"
                ),
        ];

    private async Task PassAndTell(int seconds, int step = 10)
    {
        for (var i = 0; i < seconds; i += step)
        {
            await Pass(step, step);
            await Tell();
        }
    }

    [Fact]
    public async Task A_start_and_its_end_go_the_routes_that_hold_and_the_rules_own_addresses()
    {
        await Add(Counting());
        var (quay, office) = (await AddChannel("quay"), await AddChannel("office"));
        await Routes.AddRoute("all", new RouteDefinition { Channels = [quay] });
        await Routes.AddRoute(
            "nobody's team",
            new RouteDefinition
            {
                Channels = [office],
                Match = new AlertMatch { Teams = ["Fleet"] },
            }
        );
        await Send(9);
        await PassAndTell(200);
        Assert.Equal([$"{Ines}: 1 Started", "quay: 1 Started", $"{Ines}: 1 Ended", "quay: 1 Ended"], Made());
        var told = Sendings.Of(Assert.Single(Store.Alerts.All(10)).Id);
        Assert.Equal([null, "all", null, "all"], told.Select(t => t.Route));
    }

    [Fact]
    public async Task A_channel_of_several_routes_is_told_once_and_one_that_wants_no_ends_has_none()
    {
        await Add(Counting(), mail: "");
        var quay = await AddChannel("quay");
        await Routes.AddRoute("a", new RouteDefinition { Channels = [quay], TellsEnd = false });
        await Routes.AddRoute("b", new RouteDefinition { Channels = [quay] });
        await Send(9);
        await PassAndTell(200);
        Assert.Equal(["quay: 1 Started"], Made());
    }

    [Fact]
    public async Task Nobody_acknowledges_and_the_next_is_told_once()
    {
        await Add(Counting() with { InTheLast = 20 * Minute }, mail: "");
        var (quay, pager) = (await AddChannel("quay"), await AddChannel("pager"));
        await Routes.AddRoute("a", new RouteDefinition { Channels = [quay], Steps = [new EscalationStep(5 * Minute, [pager])] });
        await Send(9);
        await PassAndTell(5 * 60);
        Assert.Equal(["quay: 1 Started"], Made());
        await PassAndTell(10 * 60);
        Assert.Equal(["quay: 1 Started", "pager: 1 Escalated"], Made());
    }

    [Fact]
    public async Task Who_acknowledges_in_time_stops_the_escalation()
    {
        await Add(Counting() with { InTheLast = 20 * Minute }, mail: "");
        var (quay, pager) = (await AddChannel("quay"), await AddChannel("pager"));
        await Routes.AddRoute("a", new RouteDefinition { Channels = [quay], Steps = [new EscalationStep(5 * Minute, [pager])] });
        await Send(9);
        await PassAndTell(60);
        await Store.Alerts.Acknowledge(Store.Alerts.All(1)[0].Id, "Ines Halloran");
        await PassAndTell(15 * 60);
        Assert.Equal(["quay: 1 Started"], Made());
    }

    [Fact]
    public async Task A_quiet_time_holds_and_tells_afterwards_what_is_still_wrong()
    {
        var rule = await Add(Counting() with { InTheLast = 20 * Minute }, name: "lasting");
        await Add(Counting("horn"), name: "short");
        await Routes.AddQuiet(
            new QuietDefinition
            {
                From = Now,
                Until = Now + (10 * Minute),
                Reason = "new gates",
            },
            "Ines Halloran"
        );
        await Send(9);
        await Send(9, "the horn sounds");
        await PassAndTell(5 * 60);
        Assert.Empty(Made());
        Assert.Equal("quiet: new gates", Assert.Single(Sendings.Of(Store.Alerts.Of(rule.Id, 1)[0].Id)).Why);
        await PassAndTell(6 * 60);
        Assert.Equal([$"{Ines}: 1 Started"], Made());
        Assert.All(Sendings.Of(Store.Alerts.All(10).Single(a => a.Name == "short").Id), t =>
            Assert.Equal("it ended meanwhile", t.Dropped)
        );
    }

    [Fact]
    public async Task A_quiet_time_that_is_ended_early_tells_what_it_held()
    {
        await Add(Counting() with { InTheLast = 20 * Minute });
        var quiet = await Routes.AddQuiet(
            new QuietDefinition
            {
                From = Now,
                Until = Now + Instants.Hour,
                Reason = "new gates",
            },
            "Ines Halloran"
        );
        await Send(9);
        await PassAndTell(60);
        Assert.Empty(Made());
        await Routes.RemoveQuiet(quiet, true);
        await PassAndTell(10);
        Assert.Equal([$"{Ines}: 1 Started"], Made());
    }

    [Fact]
    public async Task An_end_within_a_quiet_time_is_told_to_those_who_know_of_the_start()
    {
        await Add(Counting());
        await Send(9);
        await PassAndTell(10);
        await Routes.AddQuiet(
            new QuietDefinition
            {
                From = Now,
                Until = Now + (10 * Minute),
                Reason = "new gates",
            },
            "Ines Halloran"
        );
        await PassAndTell(9 * 60);
        Assert.Single(Made());
        await PassAndTell(2 * 60);
        Assert.Equal([$"{Ines}: 1 Started", $"{Ines}: 1 Ended"], Made());
    }

    [Fact]
    public async Task Ten_thousand_alerts_in_a_minute_make_a_handful_of_messages_and_all_are_in_one_of_them()
    {
        for (var i = 0; i < 50; i++)
            await Add(Counting("flood") with { Keys = ["ticket"] }, mail: "", name: "flood " + i);
        var quay = await AddChannel("quay");
        await Routes.AddRoute("all", new RouteDefinition { Channels = [quay] });
        await Records.Append(
            [
                .. Enumerable
                    .Range(0, 200)
                    .SelectMany(k =>
                        Enumerable.Range(0, 6).Select(_ => Record(Now - 1, "flood", ("ticket", Value.Of($"SK-{k:000}"))))
                    ),
            ],
            "quay"
        );
        await PassAndTell(60);
        Assert.Equal(10_000, Store.Alerts.All(20_000).Count);
        Assert.InRange(Made().Count, 1, 6);
        Clock.Advance(TimeSpan.FromMinutes(10));
        await Tell();
        var sendings = Sendings.All(new SendingFilter(), 100);
        Assert.InRange(sendings.Count, 1, 12);
        Assert.Equal(
            10_000,
            sendings.Sum(s => Sendings.Content(s, Store).Counts.Where(c => c.Kind == NotificationKind.Started).Sum(c => c.Count))
        );
        Assert.InRange(Store.Alerts.All(20_000).Count(a => a.Brief is not null), 1, NotificationPlanner.MostBriefs);
    }

    [Fact]
    public async Task What_was_planned_outlives_a_restart_and_is_not_told_twice()
    {
        await Add(Counting());
        await Send(9);
        await Pass(10);
        Stop();
        Start();
        await Tell();
        Stop();
        Start();
        await Tell();
        Assert.Single(Sendings.Due(Now, 10));
    }

    [Fact]
    public async Task Nobody_is_told_of_what_is_snoozed_until_it_wakes()
    {
        await Add(Counting(warning: 2, critical: 5) with { InTheLast = 20 * Minute });
        await Send(3);
        await PassAndTell(10);
        await Store.Alerts.Snooze(Store.Alerts.All(1)[0].Id, "Ines Halloran", Now + (10 * Minute));
        await Send(9);
        await PassAndTell(9 * 60);
        Assert.Equal([$"{Ines}: 1 Started"], Made());
        await PassAndTell(2 * 60);
        Assert.Equal([$"{Ines}: 1 Started", $"{Ines}: 1 Rose"], Made());
    }

    [Fact]
    public async Task Who_wakes_an_alert_is_told_at_once_what_it_was_silent_about()
    {
        await Add(Counting(warning: 2, critical: 5) with { InTheLast = 20 * Minute });
        await Send(3);
        await PassAndTell(10);
        var alert = Store.Alerts.All(1)[0].Id;
        await Store.Alerts.Snooze(alert, "Ines Halloran", Now + Instants.Hour);
        await Send(9);
        await PassAndTell(120);
        await Store.Alerts.Wake(alert, "Ines Halloran");
        await PassAndTell(10);
        Assert.Equal([$"{Ines}: 1 Started", $"{Ines}: 1 Rose"], Made());
    }

    [Fact]
    public async Task Every_result_goes_onward_good_ones_too()
    {
        var rule = await Add(Counting() with { Keys = ["terminal"] }, mail: "");
        var hook = await AddChannel("hook");
        await Store.Change(
            new Rule
            {
                Id = rule.Id,
                Name = "refusals",
                Definition = rule.Definition,
                Onward = $"metric, {hook}",
                Author = rule.Author,
            }
        );
        await Send(1, attributes: ("terminal", Value.Of("Orra")));
        await PassAndTell(30);
        Assert.Equal(3, Sendings.All(new SendingFilter(), 10).Count(s => s.Kind == "result"));
        using var run = new Run(
            new Question(
                "test",
                QueryParser.Parse("from metrics name = kumiko.rule.figure | group max(value) as most by rule, key"),
                new Window(Now - Minute, Now + Minute),
                Now,
                NodaTime.DateTimeZone.Utc,
                Limits.Default
            ),
            Records.Current,
            Around
        );
        Assert.Equal(["refusals", "Orra", "1"], Assert.Single((await run.Frame()).Rows).Select(v => v.ToText()));
    }

    [Fact]
    public async Task What_a_removed_channel_had_to_tell_is_dropped_with_its_reason()
    {
        await Add(Counting(), mail: "");
        var quay = await AddChannel("quay", ChannelQuiet.Default with { Digest = Instants.Hour, CriticalAtOnce = false });
        await Routes.AddRoute("all", new RouteDefinition { Channels = [quay] });
        await Send(9);
        await PassAndTell(20);
        await Channels.Remove(quay, true);
        await PassAndTell(20);
        Assert.Empty(Made());
        Assert.Equal("the channel was removed", Sendings.Of(Store.Alerts.All(1)[0].Id)[0].Dropped);
    }

    [Fact]
    public async Task A_message_is_given_up_after_a_day_and_sent_again_on_demand()
    {
        await Add(Counting());
        await Send(9);
        await PassAndTell(10);
        var first = Assert.Single(Sendings.Due(Now, 10));
        await Sendings.Composed(first.Id, "Critical: refusals", "{}", "");
        for (var tries = 0; Sendings.Find(first.Id)!.State == SendingState.Waiting && tries < 100; tries++)
        {
            Clock.Advance(TimeSpan.FromHours(1));
            await Sendings.Failed(Sendings.Find(first.Id)!, "no answer", "", isFinal: false, Now);
        }
        var givenUp = Sendings.Find(first.Id)!;
        Assert.Equal(SendingState.GivenUp, givenUp.State);
        Assert.InRange(givenUp.Attempts, 20, 30);
        var again = Sendings.Find((await Sendings.Again(first.Id, "Ines Halloran"))!.Value)!;
        Assert.Equal(
            (first.Id, "Critical: refusals", "Ines Halloran", SendingState.Waiting),
            (again.AgainOf, again.Subject, again.Person, again.State)
        );
        Assert.NotEqual(first.Key, again.Key);
        Assert.Equal(1, Sendings.Content(again, Store).Total);
    }

    [Fact]
    public async Task What_turns_critical_is_told_at_once_though_its_warning_was_told_just_before()
    {
        await Add(Counting(warning: 2, critical: 5) with { InTheLast = 20 * Minute });
        await Send(3);
        await PassAndTell(10);
        await Send(9);
        await PassAndTell(10);
        Assert.Equal([$"{Ines}: 1 Started", $"{Ines}: 1 Rose"], Made());
    }

    [Fact]
    public async Task Who_is_named_by_the_rule_and_by_a_route_has_one_mail()
    {
        await Add(Counting());
        var mail = await Channels.Add(
            new Channel
            {
                Name = "Ines",
                Settings = new MailSettings([Ines.ToUpperInvariant(), "quay@skerryline.example"]),
                Author = Store.Rules()[0].Author,
            }
        );
        await Routes.AddRoute("all", new RouteDefinition { Channels = [mail] });
        await Send(9);
        await PassAndTell(10);
        Assert.Equal([Ines, "quay@skerryline.example"], Sendings.Due(Now, 10).Select(s => s.Recipient));
    }

    [Fact]
    public async Task What_is_old_is_forgotten_and_what_is_not_stays()
    {
        await Add(Counting());
        await Send(9);
        await PassAndTell(10);
        var first = Sendings.Due(Now, 10)[0];
        await Sendings.Composed(first.Id, "Critical: refusals", "{}", "");
        await Sendings.Sent(first.Id, Now, "");
        Clock.Advance(TimeSpan.FromDays(89));
        var again = (await Sendings.Again(first.Id, "Ines Halloran"))!.Value;
        Clock.Advance(TimeSpan.FromDays(2));
        await Tell();
        Assert.Null(Sendings.Find(first.Id));
        Assert.Null(Sendings.Find(again)!.AgainOf);
        Assert.Empty(Sendings.Of(Store.Alerts.All(1)[0].Id));
        Assert.NotNull(Store.Alerts.All(1)[0].Brief);
    }

    [Fact]
    public async Task A_channel_with_very_many_messages_starves_no_other()
    {
        var rule = await Add(Counting(), mail: "");
        var (dead, live) = (await AddChannel("dead"), await AddChannel("live"));
        await Store.Change(
            new Rule
            {
                Id = rule.Id,
                Name = "refusals",
                Definition = rule.Definition,
                Onward = $"{dead}",
                Author = rule.Author,
            }
        );
        await PassAndTell(200);
        await Store.Change(
            new Rule
            {
                Id = rule.Id,
                Name = "refusals",
                Definition = rule.Definition,
                Onward = $"{live}",
                Author = rule.Author,
            }
        );
        await PassAndTell(10);
        var due = Sendings.Due(Now, 5);
        Assert.Equal((5, 1), (due.Count(d => d.Channel == dead), due.Count(d => d.Channel == live)));
    }

    [Fact]
    public async Task A_link_is_used_once()
    {
        Assert.False(Sendings.IsUsed("x"));
        Assert.True(await Sendings.Use("x"));
        Assert.False(await Sendings.Use("x"));
        Assert.True(Sendings.IsUsed("x"));
    }
}
