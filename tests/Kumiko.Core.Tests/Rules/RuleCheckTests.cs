using Kumiko.Core.Delivery;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using Kumiko.Core.Rules.Briefs;
using static Kumiko.Core.Records.Instants;

namespace Kumiko.Core.Tests.Rules;

/// <summary>Rules checked by a clock that moves.</summary>
public sealed class RuleCheckTests : RuleTest
{
    private RuleState StateOf(Rule rule) => Store.Find(rule.Id)!.State;

    [Fact]
    public async Task An_alert_starts_rises_and_ends_with_a_mail_at_each()
    {
        var rule = await Add(Counting());
        Assert.Equal(RuleState.NotChecked, rule.State);
        await Pass(1);
        Assert.Equal(RuleState.Well, StateOf(rule));
        await Send(3);
        await Pass(10);
        Assert.Equal(RuleState.Warning, StateOf(rule));
        await Send(4);
        await Pass(10);
        Assert.Equal(RuleState.Critical, StateOf(rule));
        await Pass(70);
        Assert.Equal(RuleState.Well, StateOf(rule));
        Assert.Equal(["Started Warning 3", "Rose Critical 7", "Ended Critical 0"], Subjects());
        var alert = Assert.Single(Store.Alerts.All(10));
        Assert.Equal((AlertLevel.Critical, 7.0, false), (alert.Level, alert.Worst, alert.IsOpen));
        Assert.Equal(["started", "rose", "ended"], Store.Alerts.Events(alert.Id).Select(t => t.Kind));
    }

    [Fact]
    public async Task Straight_to_critical_is_one_mail()
    {
        await Add(Counting());
        await Send(9);
        await Pass(30);
        Assert.Equal(["Started Critical 9"], Subjects());
    }

    [Fact]
    public async Task Exactly_the_limit_is_not_beyond_it()
    {
        await Add(Counting(warning: 3, critical: null));
        await Send(3);
        await Pass(20);
        Assert.Empty(Subjects());
    }

    [Fact]
    public async Task Windows_are_half_open_and_end_at_whole_intervals()
    {
        Clock.Advance(TimeSpan.FromSeconds(3));
        var rule = await Add(Counting(warning: 0, critical: null) with { InTheLast = 10 * Second });
        await Pass(8);
        // At the very end of the window of 18:00:10, which is the start of the next.
        await Records.Append([Record(Now - Now % (10 * Second))], "quay");
        Assert.Equal(10, Now / Second % 60 - 1);
        Assert.Equal(RuleState.Well, StateOf(rule));
        await Pass(9);
        Assert.Equal(RuleState.Warning, StateOf(rule));
        Assert.Equal(0, Store.Find(rule.Id)!.Checked!.Value % (10 * Second));
    }

    [Fact]
    public async Task A_restart_neither_loses_nor_repeats()
    {
        await Add(Counting());
        await Pass(1);
        await Send(3);
        await Pass(10);
        Stop();
        Start();
        await Pass(10);
        Assert.Equal(["Started Warning 3"], Subjects());
        await Send(9);
        Stop();
        // It rises and settles while the process is down; both are told when it is back.
        Clock.Advance(TimeSpan.FromMinutes(5));
        Start();
        await Pass(1);
        Assert.Equal(["Started Warning 3", "Rose Critical 12", "Ended Critical 0"], Subjects());
        Assert.Equal(12, Assert.Single(Store.Alerts.All(10)).Worst);
        await Pass(30);
        Assert.Equal(3, Subjects().Count);
    }

    [Fact]
    public async Task After_a_very_long_stop_the_oldest_checks_are_skipped_and_said()
    {
        var rule = await Add(Counting());
        await Pass(1);
        Clock.Advance(TimeSpan.FromDays(2));
        await Pass(1);
        Assert.Equal((2 * 8_640) - RuleChecker.MostMissed, Store.Find(rule.Id)!.Skipped);
    }

    [Fact]
    public async Task What_is_asked_check_by_check_never_piles_up()
    {
        var rule = await Add(Counting("refused | where time > now() - 30s"));
        await Pass(1);
        Clock.Advance(TimeSpan.FromMinutes(5));
        await Pass(1);
        Assert.Equal(29, Store.Find(rule.Id)!.Skipped);
        await Pass(10);
        Assert.Equal(29, Store.Find(rule.Id)!.Skipped);
    }

    [Fact]
    public async Task A_clock_that_goes_back_does_not_stop_checking()
    {
        var rule = await Add(Counting());
        await Pass(20);
        Assert.NotNull(Store.Find(rule.Id)!.Checked);
        var earlier = Now - Hour;
        await Checker.CheckDue(earlier, default);
        Assert.Equal(earlier, Store.Find(rule.Id)!.Checked);
        Assert.Equal(1, await Checker.CheckDue(earlier + (10 * Second), default));
    }

    [Fact]
    public async Task What_comes_late_is_waited_for()
    {
        await Add(Counting() with { Delay = 30 * Second }, name: "patient");
        await Pass(20);
        // Twenty seconds late, before the window that it belongs to is looked at.
        await Records.Append([.. Enumerable.Range(0, 3).Select(_ => Record(Now - (20 * Second)))], "quay");
        await Pass(40);
        Assert.Equal(["Started Warning 3"], Subjects());
    }

    [Fact]
    public async Task Checking_the_same_instant_twice_does_nothing_new()
    {
        await Add(Counting());
        await Send(3);
        await Pass(10);
        Assert.Equal(0, await Checker.CheckDue(Now, CancellationToken.None));
        Assert.Single(Subjects());
    }

    [Fact]
    public async Task Pausing_ends_open_alerts_and_says_by_whom()
    {
        var rule = await Add(Counting() with { Keys = ["terminal"] });
        await Send(9, attributes: ("terminal", Value.Of("Orra")));
        await Send(9, attributes: ("terminal", Value.Of("Tarnhead")));
        await Pass(10);
        await Store.Pause(rule.Id, true, "Mirek Dane");
        await Pass(30);
        Assert.Equal(RuleState.Paused, StateOf(rule));
        Assert.Equal(["paused by Mirek Dane", "paused by Mirek Dane"], Store.Alerts.All(10).Select(a => a.EndedBy));
        await Store.Pause(rule.Id, false, "Mirek Dane");
        await Pass(1);
        Assert.Equal(4, Store.Alerts.All(10).Count);
    }

    [Fact]
    public async Task A_removed_rule_can_be_brought_back()
    {
        var rule = await Add(Counting());
        await Store.Remove(rule.Id, true, "Ines Halloran");
        Assert.Empty(Store.Rules());
        await Store.Remove(rule.Id, false, "Ines Halloran");
        Assert.Equal(rule.Name, Assert.Single(Store.Rules()).Name);
    }

    [Fact]
    public async Task Another_name_leaves_the_alert_open_and_another_sentence_ends_it()
    {
        var rule = await Add(Counting());
        await Send(3);
        await Pass(10);
        await Store.Change(
            new Rule
            {
                Id = rule.Id,
                Name = "turned away",
                Definition = rule.Definition,
                MailTo = rule.MailTo,
                Author = rule.Author,
            }
        );
        await Pass(10);
        Assert.True(Assert.Single(Store.Alerts.All(10)).IsOpen);
        await Store.Change(
            new Rule
            {
                Id = rule.Id,
                Name = "turned away",
                Definition = Counting(warning: 100),
                MailTo = rule.MailTo,
                Author = rule.Author,
            }
        );
        Assert.Equal("the rule was changed", Assert.Single(Store.Alerts.All(10)).EndedBy);
    }

    [Fact]
    public async Task A_query_that_fails_says_why_and_is_told_after_a_while_once()
    {
        var rule = await Add(
            Counting() with
            {
                Quantity = new ValueOf("from metrics | group avg(host) by host"),
                Condition = new Beyond(false, 1, null),
            }
        );
        await Pass(10);
        // Nothing is found, which is no failure.
        Assert.Equal(RuleState.Well, StateOf(rule));
        var broken = await Add(Counting() with { Quantity = new BudgetBurnt(99) }, name: "broken");
        await Pass(10);
        var found = Store.Find(broken.Id)!;
        Assert.Equal(RuleState.CheckFailed, found.State);
        Assert.Equal("The objective is no longer there. Choose another.", found.Problem);
        Assert.Empty(Subjects());
        await Pass(16 * 60, step: 10);
        Assert.StartsWith("Failed ", Assert.Single(Subjects()), StringComparison.Ordinal);
        await Pass(16 * 60, step: 10);
        Assert.Single(Subjects());
    }

    [Fact]
    public async Task What_is_damaged_fails_one_rule_and_the_others_go_on()
    {
        var broken = await Add(Counting("from changes"), name: "a broken one");
        var rule = await Add(Counting());
        await Send(3);
        await Pass(20);
        Assert.Equal("Batch 7 of changes does not match its checksum.", Store.Find(broken.Id)!.Problem);
        Assert.Equal(RuleState.Warning, StateOf(rule));
    }

    [Fact]
    public async Task A_rule_on_every_record_says_why_it_cannot_be_asked()
    {
        var rule = await Add(
            Counting() with
            {
                Quantity = new EachRecord("from metrics name = x"),
                Condition = new Occurs(AlertLevel.Critical),
            }
        );
        await Pass(20);
        Assert.Contains("Only records come in one by one", Store.Find(rule.Id)!.Problem, StringComparison.Ordinal);
    }

    [Fact]
    public void A_value_that_was_there_under_another_name_is_not_new()
    {
        var definition = new RuleDefinition
        {
            Quantity = new CountOf(""),
            Condition = new NewValue(AlertLevel.Warning, Instants.Day),
            Keys = ["pattern"],
            InTheLast = Instants.Minute,
        };
        var at = Sample.At("2026-11-23T17:00:00Z");
        IEnumerable<string> Turns(long? known) =>
            new RuleEvaluator(definition, new EvaluationState())
                .Check(
                    new RuleMeasurements(
                        [at],
                        [new MeasurementLine("k", ["k"], [Measurement.Of(3, true)]) { KnownSince = known }],
                        0
                    ),
                    0,
                    1
                )
                .Select(t => t.Kind.ToString());
        Assert.Equal(["Started"], Turns(null));
        Assert.Empty(Turns(at - (2 * Instants.Day)));
    }

    [Fact]
    public async Task Each_recipient_has_a_mail_of_their_own()
    {
        await Add(Counting(), "a@skerryline.example, b@skerryline.example");
        await Send(9);
        await Pass(10);
        await Tell();
        Assert.Equal(["a@skerryline.example", "b@skerryline.example"], Sendings.Due(Now, 10).Select(m => m.Recipient));
    }

    [Fact]
    public async Task Each_key_has_an_alert_of_its_own()
    {
        var rule = await Add(Counting() with { Keys = ["terminal"] });
        await Send(3, attributes: ("terminal", Value.Of("Orra")));
        await Send(7, attributes: ("terminal", Value.Of("Tarnhead")));
        await Send(1, attributes: ("terminal", Value.Of("Lindle")));
        await Pass(10);
        Assert.Equal(["Started Critical 7 Tarnhead", "Started Warning 3 Orra"], Subjects().Order());
        Assert.Equal((3, AlertLevel.Critical), (Store.Find(rule.Id)!.KeyCount, Store.Find(rule.Id)!.Level));
        Assert.Equal(["Tarnhead", "Orra", "Lindle"], Store.KeysOf(rule.Id).Select(k => k.Name));
    }

    [Fact]
    public async Task More_keys_than_can_be_judged_are_told()
    {
        var rule = await Add(Counting(warning: 0, critical: null) with { Keys = ["ticket"] });
        await Records.Append(
            [.. Enumerable.Range(0, 230).Select(i => Record(Now - 1, "ticket refused", ("ticket", Value.Of($"SK-{i:000}"))))],
            "quay"
        );
        await Pass(10);
        Assert.Equal((200, 30), (Store.Find(rule.Id)!.KeyCount, Store.Find(rule.Id)!.LeftOut));
        Assert.Equal(200, Store.Alerts.All(500).Count);
    }

    [Fact]
    public async Task A_follow_up_is_asked_for_the_alerts_key_and_kept()
    {
        await Add(Counting() with { Keys = ["terminal"] }, followUp: "refused | group count() by gate");
        await Send(4, attributes: [("terminal", Value.Of("Tarnhead")), ("gate", Value.Of("gate-t3"))]);
        await Send(1, attributes: [("terminal", Value.Of("Orra")), ("gate", Value.Of("gate-o1"))]);
        await Pass(10);
        await Tell();
        var answer = Brief.FromJson(Assert.Single(Store.Alerts.All(10)).Brief)!.FollowUp!;
        Assert.Equal(["gate", "count()"], answer.Columns);
        Assert.Equal(["gate-t3", "4"], Assert.Single(answer.Rows));
        await Send(4, attributes: [("terminal", Value.Of("Tarnhead")), ("gate", Value.Of("gate-t4"))]);
        await Pass(10);
        await Tell();
        Assert.Single(Brief.FromJson(Assert.Single(Store.Alerts.All(10)).Brief)!.FollowUp!.Rows);
    }

    [Fact]
    public async Task A_follow_up_that_fails_says_so_and_the_alert_is_there()
    {
        await Add(Counting(), followUp: "from metrics | where value > 1 | group growth(value)");
        await Send(4);
        await Pass(10);
        await Tell();
        Assert.StartsWith(
            "growth follows each series",
            Brief.FromJson(Assert.Single(Store.Alerts.All(10)).Brief)!.FollowUp!.Problem
        );
    }

    [Fact]
    public async Task Acknowledged_snoozed_and_resolved_by_people()
    {
        await Add(Counting());
        await Send(3);
        await Pass(10);
        await Tell();
        var alert = Assert.Single(Store.Alerts.All(10));
        Assert.True(await Store.Alerts.Acknowledge(alert.Id, "Ines Halloran"));
        Assert.False(await Store.Alerts.Acknowledge(alert.Id, "Tomas Verrall"));
        Assert.Equal("Ines Halloran", Store.Alerts.Find(alert.Id)!.Acknowledger);
        await Store.Alerts.Snooze(alert.Id, "Ines Halloran", Now + Hour);
        await Send(6);
        await Pass(10);
        // It rose, and nobody is told while it is snoozed.
        Assert.Equal(AlertLevel.Critical, Store.Alerts.Find(alert.Id)!.Level);
        await Tell();
        Assert.Single(Sendings.All(new SendingFilter(), 10));
        Assert.True(await Store.Alerts.Resolve(alert.Id, "Ines Halloran", "gate restarted"));
        Assert.False(await Store.Alerts.Resolve(alert.Id, "Ines Halloran", "again"));
        await Pass(20);
        // Still wrong: it is held until it was well once.
        Assert.Equal("resolved by Ines Halloran", Assert.Single(Store.Alerts.All(10)).EndedBy);
        await Pass(60);
        await Send(3);
        await Pass(10);
        Assert.Equal(2, Store.Alerts.All(10).Count);
        Assert.Equal(
            ["started", "acknowledged", "snoozed", "rose", "resolved"],
            Store.Alerts.Events(alert.Id).Select(e => e.Kind)
        );
    }

    [Fact]
    public async Task What_comes_and_goes_is_one_alert_that_says_so()
    {
        await Add(Counting() with { InTheLast = 10 * Second });
        await Pass(1);
        for (var i = 0; i < 8; i++)
        {
            await Send(4);
            await Pass(30);
        }
        var alerts = Store.Alerts.All(20);
        Assert.Equal(4, alerts.Count);
        Assert.True(alerts[0] is { IsOpen: true, IsFlapping: true });
        var told = Subjects().Count;
        Assert.Equal(7, told);
        await Pass(14 * 60, step: 10);
        Assert.True(Store.Alerts.All(20)[0].IsOpen);
        await Pass(2 * 60, step: 10);
        Assert.False(Store.Alerts.All(20)[0].IsOpen);
        Assert.Equal(told + 1, Subjects().Count);
    }

    [Fact]
    public async Task Outside_its_hours_nothing_is_judged_and_open_alerts_end()
    {
        // Monday 18:00 UTC.
        var rule = await Add(Counting() with { Hours = new CheckHours([1, 2, 3, 4, 5], 6 * 60, (18 * 60) + 1) });
        await Send(9);
        await Pass(50);
        Assert.Equal(RuleState.Critical, StateOf(rule));
        await Pass(10);
        Assert.Equal((RuleState.Paused, true), (StateOf(rule), Store.Find(rule.Id)!.IsOutside));
        Assert.Equal("the hours of checking are over", Assert.Single(Store.Alerts.All(10)).EndedBy);
    }

    [Theory]
    [InlineData(NoData.Quiet, RuleState.NoData, 0)]
    [InlineData(NoData.Warn, RuleState.Warning, 1)]
    [InlineData(NoData.Keep, RuleState.Critical, 1)]
    public async Task Without_data_it_is_quiet_or_a_warning_or_as_before(NoData noData, RuleState state, int open)
    {
        var rule = await Add(
            Counting() with
            {
                Quantity = new ValueOf("| group avg(wait)"),
                Condition = new Beyond(false, null, 5),
                NoData = noData,
            }
        );
        await Send(3, attributes: ("wait", Value.Of(9.0)));
        await Pass(20);
        Assert.Equal(RuleState.Critical, StateOf(rule));
        await Pass(120);
        Assert.Equal(state, StateOf(rule));
        Assert.Equal(open, Store.Alerts.All(10).Count(a => a.IsOpen));
    }

    [Fact]
    public async Task The_old_kind_of_rule_is_kept_when_a_data_folder_is_brought_forward()
    {
        var path = Path.Combine(Path.GetTempPath(), $"kumiko-{Guid.NewGuid():N}.db");
        try
        {
            OldFolder.Write(path);
            using var database = new Kumiko.Core.Storage.AppDatabase(path);
            var store = new RuleStore(database, Clock);
            var rule = Assert.Single(store.Rules());
            Assert.Equal(
                new RuleDefinition
                {
                    Quantity = new CountOf("level >= error"),
                    Condition = new Beyond(false, 20, 60),
                    InTheLast = 5 * Minute,
                    CheckedEvery = Minute,
                    Zone = "Europe/Lisbon",
                },
                rule.Definition
            );
            var alert = Assert.Single(store.Alerts.All(10));
            Assert.Equal((rule.Id, 31.0, AlertLevel.Warning, true), (alert.Rule, alert.Worst!.Value, alert.Level, alert.IsOpen));
            Assert.Equal(31, Assert.Single(store.Alerts.Events(alert.Id)).Value);
        }
        finally
        {
            File.Delete(path);
        }
    }

    [Fact]
    public async Task What_cannot_be_sent_waits_longer_each_time()
    {
        await Add(Counting());
        await Send(9);
        await Pass(10);
        await Tell();
        var waiting = Assert.Single(Sendings.Due(Now, 10));
        await Sendings.Failed(waiting, "no route", "", isFinal: false, Now);
        Assert.Empty(Sendings.Due(Now + (9 * Second), 10));
        var again = Assert.Single(Sendings.Due(Now + (10 * Second), 10));
        Assert.Equal((1, "no route"), (again.Attempts, again.Problem));
        await Sendings.Sent(again.Id, Now, "250 taken");
        Assert.Empty(Sendings.Due(long.MaxValue, 10));
    }
}
