using Kumiko.Core.Changes;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using Kumiko.Core.Rules.Briefs;

namespace Kumiko.Core.Tests.Rules;

public class BriefTests : RuleTest
{
    private async Task<Brief> BriefOf(RuleDefinition definition, string followUp = "", int seconds = 10)
    {
        await Add(definition, followUp: followUp);
        await Pass(seconds, 10);
        await Tell();
        return Brief.FromJson(Store.Alerts.All(1)[0].Brief)!;
    }

    private Task At(TimeSpan earlier, int count, params (string, Value)[] attributes) =>
        Records.Append(
            [
                .. Enumerable
                    .Range(0, count)
                    .Select(i =>
                        Record(
                            Now - (long)(earlier.TotalSeconds * Instants.Second) - (i * Instants.Second / 10) - 1,
                            "ticket refused",
                            attributes
                        )
                    ),
            ],
            "quay"
        );

    private static readonly RuleDefinition Refusals = Counting(warning: 20, critical: 30);

    [Fact]
    public async Task The_firmware_that_is_new_is_told_first_with_n()
    {
        foreach (var day in new[] { 7, 14 })
            for (var minute = 0; minute < 2; minute++)
                await At(
                    TimeSpan.FromDays(day) + TimeSpan.FromSeconds(10 * minute),
                    20,
                    ("firmware", Value.Of("7.2")),
                    ("build", Value.Of("a")),
                    ("terminal", Value.Of(minute == 0 ? "Orra" : "Tarnhead"))
                );
        await At(TimeSpan.Zero, 30, ("firmware", Value.Of("7.3")), ("build", Value.Of("b")), ("terminal", Value.Of("Orra")));
        await At(TimeSpan.Zero, 30, ("firmware", Value.Of("7.3")), ("build", Value.Of("b")), ("terminal", Value.Of("Tarnhead")));
        var brief = await BriefOf(Refusals);
        var first = brief.Differences.Items[0];
        Assert.Contains(
            (first.Field, first.Value),
            new[] { ("build", "b"), ("firmware", "7.3"), ("build", "a"), ("firmware", "7.2") }
        );
        Assert.Equal((60, 80), (brief.Differences.Now, brief.Differences.Then));
        // What is the same by another name, and what did not move, is not told beside it.
        Assert.Single(brief.Differences.Items);
        Assert.Single(first.Alike);
        Assert.Equal("2 Mondays, same time", brief.Differences.Against);
        Assert.Equal(60, brief.Value);
        Assert.Equal(60, brief.Figures!.Values[^1]);
    }

    [Fact]
    public async Task What_never_happened_before_is_set_apart_from_what_else_happens()
    {
        await Records.Append(
            [
                .. Enumerable
                    .Range(0, 60)
                    .Select(i =>
                        Record(
                            Now - (i * Instants.Second / 2) - 1,
                            "ticket scanned",
                            ("terminal", Value.Of(i % 2 == 0 ? "Orra" : "Tarnhead"))
                        )
                    ),
            ],
            "quay"
        );
        await At(TimeSpan.Zero, 40, ("terminal", Value.Of("Tarnhead")));
        var brief = await BriefOf(Refusals);
        Assert.Equal("other records at the same time", brief.Differences.Against);
        Assert.Contains(brief.Differences.Items, d =>
            d is { Field: "terminal", Value: "Tarnhead", Now: 40 } or { Field: "terminal", Value: "Orra", Now: 0 }
        );
    }

    [Fact]
    public async Task What_is_rare_is_held_against_the_day_before_without_the_rules_own_alerts()
    {
        // Twenty-five of an ordinary day, and a first episode of the new firmware in the morning.
        for (var hour = 2; hour < 7; hour++)
            await At(TimeSpan.FromHours(hour), 5, ("firmware", Value.Of("7.2")));
        await Add(Refusals with { InTheLast = Instants.Minute });
        await Pass(1);
        await At(TimeSpan.Zero, 40, ("firmware", Value.Of("7.3")));
        await Pass(200, 10);
        Assert.NotNull(Store.Alerts.All(1)[0].Ended);
        Clock.Advance(TimeSpan.FromHours(1));
        await At(TimeSpan.Zero, 40, ("firmware", Value.Of("7.3")));
        await Pass(20, 10);
        await Tell();
        var brief = Brief.FromJson(Store.Alerts.All(1)[0].Brief)!;
        Assert.Equal("the day before, without its alerts", brief.Differences.Against);
        Assert.Equal(
            ("firmware", "7.3", 0L),
            (brief.Differences.Items[0].Field, brief.Differences.Items[0].Value, brief.Differences.Items[0].Then)
        );
    }

    [Fact]
    public async Task Changes_of_the_hour_before_are_in_it_and_older_ones_are_not()
    {
        await Changes.Add(
            new Change("a", Now - (40 * Instants.Minute), "gate firmware", "Tarnhead", "7.2", "7.3", "Oluchi Brandt")
        );
        await Changes.Add(
            new Change("b", Now - (70 * Instants.Minute), "time-out", "booking-web", "2s", "300ms", "Oluchi Brandt")
        );
        await At(TimeSpan.Zero, 40);
        Assert.Equal("a", Assert.Single((await BriefOf(Refusals)).Changes).Key);
    }

    [Fact]
    public async Task It_is_kept_as_it_was_and_reads_back_as_it_was_written()
    {
        await At(TimeSpan.Zero, 40, ("gate", Value.Of("gate-t3")));
        var brief = await BriefOf(Refusals, "refused | group count() by gate");
        Assert.Equal(["gate-t3", "40"], Assert.Single(brief.FollowUp!.Rows));
        await At(TimeSpan.Zero, 400, ("gate", Value.Of("gate-t4")));
        await Pass(20, 10);
        await Tell();
        Assert.Equal(brief.ToJson(), Store.Alerts.All(1)[0].Brief);
        Assert.Equal(brief.ToJson(), Brief.FromJson(brief.ToJson())!.ToJson());
        Assert.Null(Brief.FromJson("{\"Figures\":7}"));
    }

    [Fact]
    public async Task Silence_and_what_cannot_be_asked_leave_the_rest_of_the_brief()
    {
        await At(TimeSpan.FromMinutes(3), 40);
        await Add(Refusals with { Condition = new Silent(AlertLevel.Critical, Instants.Day) }, followUp: "from changes");
        await Pass(10);
        await Tell();
        var brief = Brief.FromJson(Store.Alerts.All(1)[0].Brief)!;
        Assert.Contains("No records came", brief.Differences.Problem);
        Assert.Equal("Batch 7 of changes does not match its checksum.", brief.FollowUp!.Problem);
        Assert.NotNull(brief.Figures);
    }

    [Fact]
    public async Task Every_kind_of_rule_has_a_brief()
    {
        await At(TimeSpan.Zero, 40, ("host", Value.Of("gate-t1")));
        await Add(
            Refusals with
            {
                Quantity = new EachRecord("refused"),
                Condition = new Occurs(AlertLevel.Warning),
            },
            name: "each"
        );
        await Add(
            Refusals with
            {
                Quantity = new DistinctOf("refused", "body"),
                Condition = new Beyond(false, 0, null),
            },
            name: "distinct"
        );
        await Add(
            Refusals with
            {
                Quantity = new ShareOf("refused", "", 1),
                Condition = new Beyond(false, 0.1, null),
            },
            name: "share"
        );
        await Add(
            Refusals with
            {
                Quantity = new ValueOf("refused | group count() by body"),
                Condition = new Beyond(false, 1, null),
            },
            name: "figure"
        );
        await Pass(1);
        await At(TimeSpan.Zero, 3);
        await Pass(10);
        await Tell();
        var alerts = Store.Alerts.All(10);
        Assert.Equal(["distinct", "each", "figure", "share"], alerts.Select(a => a.Name).Order());
        Assert.All(alerts, a => Assert.NotNull(Brief.FromJson(a.Brief)?.Figures));
    }
}
