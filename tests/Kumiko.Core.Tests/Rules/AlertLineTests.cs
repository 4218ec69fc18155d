using Kumiko.Core.Records;
using Kumiko.Core.Rules;

namespace Kumiko.Core.Tests.Rules;

/// <summary>Alerts and rules in one list.</summary>
public sealed class AlertLineTests
{
    private static readonly RuleDefinition Counting = new()
    {
        Quantity = new CountOf("refused"),
        Condition = new Beyond(false, 1, null),
        Keys = ["terminal"],
    };

    private static Rule Rule(
        long id,
        string name,
        string labels = "",
        string team = "",
        AlertLevel level = AlertLevel.None,
        long? @checked = 1,
        RuleDefinition? definition = null
    ) =>
        new()
        {
            Id = id,
            Name = name,
            Definition = definition ?? Counting,
            Labels = labels,
            Team = team,
            Level = level,
            Checked = @checked,
        };

    private static Alert Alert(
        long id,
        long rule,
        string key,
        long minute,
        AlertLevel level = AlertLevel.Warning,
        long? ended = null,
        RuleDefinition? definition = null
    ) =>
        new()
        {
            Id = id,
            Rule = rule,
            Name = "rule " + rule,
            Key = key,
            Keys = [key],
            Definition = definition ?? Counting,
            Started = minute * Instants.Minute,
            Level = level,
            Ended = ended * Instants.Minute,
        };

    [Fact]
    public void The_worst_comes_first_then_what_cannot_be_told_then_what_is_well_and_what_has_ended_last()
    {
        Rule[] rules =
        [
            Rule(1, "a"),
            Rule(2, "b"),
            new()
            {
                Id = 3,
                Name = "c",
                Definition = Counting,
                Problem = "no",
                Checked = 1,
            },
            Rule(4, "d", @checked: null),
            new()
            {
                Id = 5,
                Name = "e",
                Definition = Counting,
                HasNoData = true,
                Checked = 1,
            },
            new()
            {
                Id = 6,
                Name = "f",
                Definition = Counting,
                Paused = true,
            },
        ];
        var lines = AlertLines.Of(
            rules,
            [Alert(1, 1, "Orra", 5), Alert(2, 2, "Lindle", 90, AlertLevel.Critical), Alert(3, 2, "Orra", 300, ended: 310)]
        );
        Assert.Equal(
            ["critical", "warning", "checkfailed", "nodata", "notchecked", "paused", "ended"],
            lines.Select(AlertLines.StateOf)
        );
    }

    [Fact]
    public void Keys_of_one_rule_and_neighbours_of_one_key_are_one_line()
    {
        Rule[] rules = [Rule(1, "a"), Rule(2, "b"), Rule(3, "c")];
        var lines = AlertLines.Of(
            rules,
            [
                Alert(1, 1, "Orra", 100),
                Alert(2, 1, "Lindle", 130, AlertLevel.Critical),
                Alert(3, 2, "Orra", 105),
                Alert(4, 3, "Orra", 400),
            ]
        );
        Assert.Equal(2, lines.Count);
        Assert.Equal([2L, 1L, 3L], lines[0].Alerts.Select(a => a.Id));
        Assert.Equal([4L], lines[1].Alerts.Select(a => a.Id));
    }

    [Fact]
    public void A_rule_of_alerts_in_order_leads_those_that_it_is_made_of()
    {
        var order = new RuleDefinition
        {
            Quantity = new InOrder([1, 2], 30 * Instants.Minute, false),
            Condition = new Occurs(AlertLevel.Critical),
        };
        var lines = AlertLines.Of(
            [Rule(1, "a"), Rule(2, "b"), Rule(3, "cause and effect", definition: order)],
            [
                Alert(1, 1, "x", 100, AlertLevel.Critical),
                Alert(2, 2, "y", 120, AlertLevel.Critical),
                Alert(3, 3, "y", 120, AlertLevel.Critical, definition: order),
            ]
        );
        Assert.Equal([3L, 1L, 2L], Assert.Single(lines).Alerts.Select(a => a.Id));
    }

    [Theory]
    [InlineData("", "", "", "", 3)]
    [InlineData("warning", "", "", "", 1)]
    [InlineData("", "gates", "", "", 2)]
    [InlineData("", "", "fleet", "", 1)]
    [InlineData("", "", "", "orr", 1)]
    [InlineData("", "", "", "C", 1)]
    [InlineData("critical", "gates", "", "", 0)]
    public void The_list_is_narrowed(string state, string label, string team, string text, int left)
    {
        Rule[] rules = [Rule(1, "a", "gates, tier 1"), Rule(2, "b", "gates", "Fleet"), Rule(3, "c")];
        var lines = AlertLines.Of(rules, [Alert(1, 1, "Orra", 5)]);
        Assert.Equal(
            left,
            AlertLines
                .Filtered(
                    lines,
                    new AlertFilter
                    {
                        States = state.Length > 0 ? [state] : [],
                        Label = label,
                        Team = team,
                        Text = text,
                    },
                    new Dictionary<long, string>()
                )
                .Count
        );
    }

    [Theory]
    [InlineData(330, 1_380, "2026-11-23T05:30:00Z", true)]
    [InlineData(330, 1_380, "2026-11-23T05:29:59Z", false)]
    [InlineData(330, 1_380, "2026-11-23T23:00:00Z", false)]
    [InlineData(330, 1_380, "2026-11-28T12:00:00Z", false)]
    [InlineData(1_320, 120, "2026-11-24T01:00:00Z", true)]
    [InlineData(1_320, 120, "2026-11-23T01:00:00Z", false)]
    [InlineData(1_320, 120, "2026-11-28T01:59:59Z", true)]
    [InlineData(1_320, 120, "2026-11-28T22:00:00Z", false)]
    public void Hours_of_checking_lie_on_workdays_and_may_reach_into_the_next(int from, int to, string at, bool inside) =>
        Assert.Equal(inside, new CheckHours([1, 2, 3, 4, 5], from, to).Contain(Sample.At(at), NodaTime.DateTimeZone.Utc));
}
