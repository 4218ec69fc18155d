using CsCheck;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using NodaTime;

namespace Kumiko.Charts.Tests;

public class AxisTests
{
    [Theory]
    [InlineData(10, "17:00:01")]
    [InlineData(60, "17:00:10")]
    [InlineData(600, "17:01")]
    [InlineData(7_200, "17:15")]
    [InlineData(43_200, "18:00")]
    public void Steps_from_a_second_to_hours_have_round_times(int seconds, string second)
    {
        var from = Frames.At("2026-11-23T17:00:00Z");
        var ticks = TimeAxis.Ticks(new Window(from, from + (seconds * Instants.Second)), DateTimeZone.Utc, 10);
        Assert.InRange(ticks.Count, 4, 11);
        Assert.Contains(second, ticks.Select(t => t.Label));
    }

    [Fact]
    public void Days_are_named_where_they_change_in_the_zone()
    {
        var window = new Window(Frames.At("2026-07-01T12:00:00Z"), Frames.At("2026-07-03T12:00:00Z"));
        var days = TimeAxis.Ticks(window, Frames.Dublin, 12).Where(t => t.IsDay).ToList();
        Assert.Equal(["Thu 2 Jul", "Fri 3 Jul"], days.Select(t => t.Label));
        // Midnight in Dublin's summer is 23:00 in UTC.
        Assert.Equal(Frames.At("2026-07-01T23:00:00Z"), days[0].Time);
    }

    [Fact]
    public void A_day_with_a_shifted_clock_keeps_its_hours_round()
    {
        // On 2026-10-25 Dublin's clocks go back at 01:00 UTC.
        var window = new Window(Frames.At("2026-10-24T23:00:00Z"), Frames.At("2026-10-26T00:00:00Z"));
        var ticks = TimeAxis.Ticks(window, Frames.Dublin, 6);
        Assert.Equal("Sun 25 Oct", ticks[0].Label);
        Assert.All(ticks, t => Assert.EndsWith("00", t.IsDay ? "00" : t.Label));
    }

    [Fact]
    public void Ticks_never_outnumber_what_fits() =>
        Gen.Select(Gen.Long[1_000_000_000, 3_000_000_000_000_000_000], Gen.Int[1, 30])
            .Sample(
                (length, most) =>
                {
                    var from = Frames.At("2026-11-23T17:51:04Z") - (length / 2);
                    var ticks = TimeAxis.Ticks(new Window(from, from + length), Frames.Dublin, most);
                    // Midnights restart the count, so a day may add one.
                    Assert.InRange(ticks.Count, 0, (most * 2) + 2);
                    Assert.Equal(ticks.Select(t => t.Time), ticks.Select(t => t.Time).Distinct().Order());
                },
                iter: Cases.Of(1_000)
            );

    [Fact]
    public void A_value_axis_holds_its_values_on_round_ticks() =>
        Gen.Select(Gen.Double[-1e9, 1e9], Gen.Double[-1e9, 1e9], Gen.Int[2, 10])
            .Sample(
                (x, y, most) =>
                {
                    var (a, b) = (Math.Round(x, 3), Math.Round(y, 3));
                    var axis = ValueAxis.For(Math.Min(a, b), Math.Max(a, b), ChartUnit.None, most, new AxisSpec(), zero: true);
                    Assert.True(axis.Min <= Math.Min(0, Math.Min(a, b)) && axis.Max >= Math.Max(0, Math.Max(a, b)));
                    Assert.InRange(axis.Ticks.Count, 2, most + 3);
                    Assert.Contains(0.0, axis.Ticks);
                },
                iter: Cases.Of(2_000)
            );

    private static readonly ValueAxis Durations = ValueAxis.For(
        0,
        80e9,
        ChartUnit.Of("", ValueKind.Duration),
        4,
        new AxisSpec(),
        true
    );

    [Fact]
    public void Counts_have_whole_ticks_and_durations_clock_like_ones()
    {
        Assert.Equal([0.0, 1.0, 2.0], ValueAxis.For(0, 2, ChartUnit.Of("", ValueKind.Integer), 8, new AxisSpec(), true).Ticks);
        Assert.Equal(["0", "30 s", "1 min", "1 min 30 s"], Durations.Ticks.Select(Durations.Label));
    }

    [Fact]
    public void All_zero_has_an_axis_too() =>
        Assert.Equal(1, ValueAxis.For(0, 0, ChartUnit.Of("", ValueKind.Integer), 5, new AxisSpec(), true).Max);
}
