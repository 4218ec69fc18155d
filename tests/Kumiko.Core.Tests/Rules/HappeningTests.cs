using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using static Kumiko.Core.Records.Instants;

namespace Kumiko.Core.Tests.Rules;

/// <summary>What happens at its own times: every record, alerts in order; and objectives.</summary>
public sealed class HappeningTests : RuleTest
{
    private static readonly RuleDefinition Every = new()
    {
        Quantity = new EachRecord("level >= fatal or refused"),
        Condition = new Occurs(AlertLevel.Critical),
        Keys = ["terminal"],
        InTheLast = Minute,
        CheckedEvery = 10 * Second,
    };

    [Fact]
    public async Task Every_record_that_matches_is_told_at_once_and_more_of_them_are_counted()
    {
        await Add(Every);
        await OnRecords.ShowWaiting(default);
        await Send(1, attributes: ("terminal", Value.Of("Orra")));
        Assert.True(OnRecords.HasWaiting);
        Assert.Equal(1, await OnRecords.ShowWaiting(default));
        Assert.Equal(["Started Critical 1 Orra"], Subjects());
        await Send(4, attributes: ("terminal", Value.Of("Orra")));
        await Send(1, attributes: ("terminal", Value.Of("Lindle")));
        await Send(3, "boarded");
        Assert.Equal(5, await OnRecords.ShowWaiting(default));
        Assert.Equal(5, Store.Alerts.All(9).Single(a => a.Of == "Orra").Worst);
        await Pass(50);
        Assert.Equal(2, Store.Alerts.All(9).Count(a => a.IsOpen));
        await Pass(20);
        Assert.All(Store.Alerts.All(9), a => Assert.False(a.IsOpen));
        Assert.Equal(4, Subjects().Count);
    }

    [Fact]
    public async Task What_came_before_a_kill_and_was_not_shown_is_shown_after_it()
    {
        await Add(Every);
        await OnRecords.ShowWaiting(default);
        await Send(1);
        await OnRecords.ShowWaiting(default);
        await Send(2, attributes: ("terminal", Value.Of("Tarnhead")));
        await Records.Upkeep.SealAll();
        await Send(1, attributes: ("terminal", Value.Of("Orra")));
        Stop();
        Start();
        Assert.Equal(3, await OnRecords.ShowWaiting(default));
        Assert.Equal(0, await OnRecords.ShowWaiting(default));
        Assert.Equal(["", "Orra", "Tarnhead"], Store.Alerts.All(9).Select(a => a.Of).Order());
    }

    [Fact]
    public async Task A_flood_is_read_from_the_store_and_told_once()
    {
        await Add(Every with { Keys = [] });
        await OnRecords.ShowWaiting(default);
        for (var i = 0; i < 11; i++)
            await Send(10_000);
        Assert.Equal(110_000, await OnRecords.ShowWaiting(default));
        Assert.Single(Subjects());
        Assert.Equal(110_000, Assert.Single(Store.Alerts.All(9)).Worst);
    }

    [Fact]
    public async Task A_trial_of_every_record_gives_the_same_alerts()
    {
        var rule = await Add(Every);
        var began = Now;
        await OnRecords.ShowWaiting(default);
        foreach (var wait in new[] { 10, 30, 80, 20, 150, 10 })
        {
            await Send(2, attributes: ("terminal", Value.Of(wait > 50 ? "Orra" : "Tarnhead")));
            await Pass(wait);
        }
        await Pass(120);
        var trial = await Try(rule.Definition, new Window(began - Minute, Now));
        Assert.Equal(
            Store.Alerts.All(50).OrderBy(a => a.Started).Select(a => (a.Of, a.Started, a.Ended, a.Worst)),
            trial.Episodes.Select(e => (e.Of, e.From, e.To, (double?)e.Worst))
        );
        Assert.Equal(5, trial.Episodes.Count);
        Assert.Equal(10, trial.Turns);
    }

    private async Task<(Rule First, Rule Then, Rule Order)> InOrder(bool sameKey)
    {
        var first = await Add(Counting("lock", 0, null) with { Keys = ["terminal"], InTheLast = 10 * Second }, name: "locks");
        var then = await Add(
            Counting("refused", 0, null) with
            {
                Keys = ["terminal"],
                InTheLast = 10 * Second,
            },
            name: "refusals"
        );
        var order = await Add(
            new RuleDefinition
            {
                Quantity = new InOrder([first.Id, then.Id], Minute, sameKey),
                Condition = new Occurs(AlertLevel.Critical),
                InTheLast = 2 * Minute,
                CheckedEvery = 10 * Second,
            },
            name: "locks bring refusals"
        );
        return (first, then, order);
    }

    [Theory]
    [InlineData("Orra", true, 1)]
    [InlineData("Lindle", true, 0)]
    [InlineData("Lindle", false, 1)]
    public async Task Two_rules_in_order_within_a_time(string second, bool sameKey, int expected)
    {
        var (_, _, order) = await InOrder(sameKey);
        var began = Now;
        await Pass(1);
        await Send(1, "lock held", ("terminal", Value.Of("Orra")));
        await Pass(30);
        await Send(1, "refused", ("terminal", Value.Of(second)));
        await Pass(30);
        var alerts = Store.Alerts.Of(order.Id, 9);
        Assert.Equal(expected, alerts.Count);
        if (expected > 0)
            Assert.Equal((second, began + (40 * Second)), (alerts[0].Of, alerts[0].Started));
        var trial = await Try(order.Definition, new Window(began - Second, Now));
        Assert.Equal(alerts.Select(a => (a.Of, a.Started)), trial.Episodes.Select(e => (e.Of, e.From)));
    }

    [Fact]
    public async Task The_other_way_round_or_too_late_is_no_sequence()
    {
        var (_, _, order) = await InOrder(true);
        await Pass(1);
        await Send(1, "refused", ("terminal", Value.Of("Orra")));
        await Pass(20);
        await Send(1, "lock held", ("terminal", Value.Of("Orra")));
        await Pass(90);
        await Send(1, "refused", ("terminal", Value.Of("Orra")));
        await Pass(30);
        Assert.Empty(Store.Alerts.Of(order.Id, 9));
    }

    private async Task<Objective> Serving()
    {
        var rule = await Add(Counting());
        var id = await Objectives.Add(
            new Objective
            {
                Name = "Gates open",
                Good = "status < 500",
                All = "exists(status)",
                Target = 0.9,
                Days = 7,
                Author = rule.Author,
            }
        );
        return Objectives.Find(id)!;
    }

    private Task Serve(long at, int good, int bad) =>
        Records.Append(
            [
                .. Enumerable
                    .Range(0, good + bad)
                    .Select(i => Record(at, "GET /gate", ("status", Value.Of(i < good ? 200L : 503L)))),
            ],
            "web"
        );

    [Fact]
    public async Task The_budget_burnt_is_what_failed_of_what_may_fail()
    {
        var objective = await Serving();
        Assert.Empty(objective.Faults());
        // A hundred events each hour for three days; ten of each may fail.
        for (var hour = 1; hour <= 72; hour++)
            await Serve(Now - (hour * Hour), 95, 5);
        var definition = new RuleDefinition
        {
            Quantity = new BudgetBurnt(objective.Id),
            Condition = new Beyond(false, 0.4, 0.9),
            InTheLast = Hour,
            CheckedEvery = Minute,
        };
        var rule = await Add(definition, name: "budget");
        await Pass(60, step: 60);
        Assert.Equal(0.5, Store.Find(rule.Id)!.Figure!.Value, 1e-6);
        Assert.Equal(RuleState.Warning, Store.Find(rule.Id)!.State);
        await Serve(Now - 1, 0, 400);
        await Pass(120, step: 60);
        Assert.Equal((360 + 400) / 0.1 / 7_600, Store.Find(rule.Id)!.Figure!.Value, 1e-6);
        Assert.Equal(RuleState.Critical, Store.Find(rule.Id)!.State);
        // Hours that are over are counted once, and count the same.
        Stop();
        Start();
        await Pass(60, step: 60);
        Assert.Equal((360 + 400) / 0.1 / 7_600, Store.Find(rule.Id)!.Figure!.Value, 1e-6);
    }

    [Fact]
    public async Task A_burn_rate_needs_both_its_windows()
    {
        var objective = await Serving();
        var rule = await Add(
            new RuleDefinition
            {
                Quantity = new BurnRate(objective.Id, 5 * Minute),
                Condition = new Beyond(false, null, 2),
                InTheLast = Hour,
                CheckedEvery = Minute,
            },
            name: "burning"
        );
        for (var minute = 60; minute >= 1; minute--)
            await Serve(Now - (minute * Minute) + Second, minute > 30 ? 5 : 10, minute > 30 ? 5 : 0);
        await Pass(60, step: 60);
        // Over the hour a quarter failed, two and a half times what may; now nothing does.
        Assert.Equal(0, Store.Find(rule.Id)!.Figure);
        for (var minute = 0; minute < 5; minute++)
        {
            await Serve(Now - Second, 2, 8);
            await Pass(60, step: 60);
        }
        Assert.Equal(RuleState.Critical, Store.Find(rule.Id)!.State);
        Assert.InRange(Store.Find(rule.Id)!.Figure!.Value, 2, 4);
    }

    [Theory]
    [InlineData("", 0.9, 7, "Give the objective a name")]
    [InlineData("x", 1.0, 7, "between 0% and 100%")]
    [InlineData("x", double.NaN, 7, "between 0% and 100%")]
    [InlineData("x", 0.9, 9, "7 or 28 days")]
    public void Objectives_that_make_no_sense_are_told(string name, double target, int days, string says) =>
        Assert.Contains(
            new Objective
            {
                Name = name,
                Good = "a",
                All = "",
                Target = target,
                Days = days,
            }.Faults(),
            f => f.Contains(says, StringComparison.Ordinal)
        );

    [Fact]
    public async Task An_objective_that_is_gone_fails_the_check()
    {
        var objective = await Serving();
        var rule = await Add(
            new RuleDefinition
            {
                Quantity = new BudgetBurnt(objective.Id),
                Condition = new Beyond(false, 0.5, null),
                InTheLast = Hour,
                CheckedEvery = Minute,
            }
        );
        await Objectives.Remove(objective.Id, true);
        await Pass(60, step: 60);
        Assert.Contains("no longer there", Store.Find(rule.Id)!.Problem, StringComparison.Ordinal);
        await Objectives.Remove(objective.Id, false);
        await Pass(60, step: 60);
        Assert.Null(Store.Find(rule.Id)!.Problem);
    }
}
