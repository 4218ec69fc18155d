using Kumiko.Core.Delivery;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;

namespace Kumiko.Core.Tests.Delivery;

public class RouteTests
{
    private static readonly DutyCalendar Sailing = new()
    {
        Zone = "Europe/Dublin",
        Hours = [new CheckHours([1, 2, 3, 4, 5], 5 * 60 + 30, 20 * 60 + 40), new CheckHours([6, 7], 6 * 60 + 30, 30)],
        Days = [new CalendarDay("2026-11-26", false, "storm", false), new CalendarDay("2020-12-25", true, "holiday", true)],
    };

    private static long At(string time) =>
        Instants.FromDateTime(DateTimeOffset.Parse(time + "Z", System.Globalization.CultureInfo.InvariantCulture));

    [Theory]
    [InlineData("2026-11-27T05:29:59", false)] // a Friday
    [InlineData("2026-11-27T05:30:00", true)]
    [InlineData("2026-11-27T20:40:00", false)]
    [InlineData("2026-11-28T23:59:00", true)] // Saturday's hours go over midnight
    [InlineData("2026-11-29T00:29:00", true)]
    [InlineData("2026-11-29T00:30:00", false)]
    [InlineData("2026-11-28T00:10:00", false)] // Friday's do not
    [InlineData("2026-12-25T10:00:00", false)] // closed each year
    [InlineData("2026-07-03T04:30:00", true)] // summer time
    public void Hours_hold_in_the_calendars_own_zone(string time, bool open) => Assert.Equal(open, Sailing.IsOpen(At(time)));

    [Theory]
    [InlineData("2026-11-27T12:00:00", true, false)]
    [InlineData("2026-11-27T22:00:00", false, true)]
    [InlineData("2026-11-26T22:00:00", true, true)] // a storm day: both
    [InlineData("2026-11-26T12:00:00", true, true)]
    [InlineData("2026-12-25T12:00:00", false, true)]
    public void Quay_by_day_office_by_night_both_in_a_storm(string time, bool quay, bool office)
    {
        var times = new RouteTimes { Calendar = 1, AlsoOn = "Storm" };
        Assert.Equal(quay, (times with { Side = CalendarSide.Inside }).Hold(At(time), Sailing));
        Assert.Equal(office, (times with { Side = CalendarSide.Outside }).Hold(At(time), Sailing));
    }

    [Fact]
    public void Hours_of_the_week_and_days_on_which_it_does_not_hold()
    {
        var office = new RouteTimes
        {
            Hours = new CheckHours([1, 2, 3, 4, 5], 9 * 60, 17 * 60),
            Zone = "Europe/Dublin",
            Calendar = 1,
            NotOn = "storm",
        };
        Assert.True(office.Hold(At("2026-11-27T10:00:00"), Sailing));
        Assert.False(office.Hold(At("2026-11-27T08:00:00"), Sailing));
        Assert.False(office.Hold(At("2026-11-26T10:00:00"), Sailing));
        // A calendar that was removed holds nothing up.
        Assert.True((office with { Calendar = 9, Side = CalendarSide.Inside }).Hold(At("2026-11-27T10:00:00"), null));
    }

    [Fact]
    public void A_match_asks_for_label_level_team_and_source()
    {
        var facts = new AlertFacts(
            "Refusals",
            AlertLevel.Warning,
            ["gates", "passengers"],
            "Quayside",
            ["gate-control", "gate-t1"]
        );
        Assert.True(new AlertMatch().Meets(facts));
        Assert.True(
            new AlertMatch
            {
                Labels = ["Gates", "other"],
                Teams = ["quayside"],
                Sources = ["gate-t1"],
            }.Meets(facts)
        );
        Assert.False(new AlertMatch { Labels = ["other"] }.Meets(facts));
        Assert.False(new AlertMatch { Least = AlertLevel.Critical }.Meets(facts));
        Assert.False(new AlertMatch { Sources = ["gate-t2"] }.Meets(facts));
        Assert.False(new AlertMatch { Teams = ["Fleet"] }.Meets(facts with { Team = "" }));
    }

    [Fact]
    public void Sources_come_from_the_query_and_the_keys()
    {
        var counting = new RuleDefinition
        {
            Quantity = new CountOf("service = gate-control and host in (gate-t1, gate-t2) and \"refused\""),
            Condition = new Beyond(false, 1, null),
            Keys = ["terminal", "host"],
        };
        Assert.Equal(["gate-t1", "gate-control", "gate-t2"], AlertRecords.Sources(counting, ["Tarnhead", "gate-t1"]));
        var metric = counting with
        {
            Quantity = new ValueOf("from metrics name = skerry.tide.height | group max(value) by host"),
            Keys = [],
        };
        Assert.Equal(["tide-1"], AlertRecords.Sources(metric, ["tide-1"]));
    }

    [Fact]
    public void A_quiet_time_knows_its_end()
    {
        var once = new QuietDefinition
        {
            From = At("2026-11-27T10:00:00"),
            Until = At("2026-11-27T11:00:00"),
            Reason = "work",
        };
        Assert.Equal(once.Until, once.EndAfter(At("2026-11-27T10:30:00")));
        Assert.Null(once.EndAfter(once.Until!.Value));
        var weekly = new QuietDefinition
        {
            Hours = new CheckHours([7], 23 * 60, 2 * 60),
            Zone = "Europe/Dublin",
            Reason = "backup",
        };
        Assert.Equal(At("2026-11-30T02:00:00"), weekly.EndAfter(At("2026-11-29T23:10:30")));
        Assert.Null(weekly.EndAfter(At("2026-11-29T22:59:59")));
        Assert.Empty(weekly.Faults());
        Assert.Contains("Say why", Assert.Single((weekly with { Reason = "" }).Faults()));
    }

    [Fact]
    public void What_is_wrong_with_a_route_or_a_calendar_is_said()
    {
        Assert.Contains(new RouteDefinition().Faults(), f => f.Contains("at least one channel", StringComparison.Ordinal));
        Assert.Contains(new RouteDefinition { Channels = [1], Steps = [new EscalationStep(1, [2])] }.Faults(), f =>
            f.Contains("1m to 7d", StringComparison.Ordinal)
        );
        Assert.Contains(
            new RouteDefinition
            {
                Channels = [1],
                Times = new RouteTimes { AlsoOn = "storm" },
            }.Faults(),
            f => f.Contains("calendar", StringComparison.Ordinal)
        );
        Assert.Contains(new DutyCalendar { Zone = "Mars/Base" }.Faults(), f => f.Contains("Mars/Base", StringComparison.Ordinal));
        Assert.Contains(new DutyCalendar { Days = [new CalendarDay("25.12.", true, "holiday", true)] }.Faults(), f =>
            f.Contains("no date", StringComparison.Ordinal)
        );
    }
}
