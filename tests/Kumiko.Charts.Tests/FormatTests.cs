using Kumiko.Core.Records;
using NodaTime;

namespace Kumiko.Charts.Tests;

public class FormatTests
{
    [Theory]
    [InlineData(0, "0")]
    [InlineData(1234, "1\u2009234")]
    [InlineData(-1234567, "\u22121\u2009234\u2009567")]
    public void Whole_numbers_are_grouped(long number, string text) => Assert.Equal(text, Format.Number(number));

    [Theory]
    [InlineData(812e6, "812 ms")]
    [InlineData(1.04e9, "1.04 s")]
    [InlineData(90e9, "1 min 30 s")]
    [InlineData(12_000e9, "3 h 20 min")]
    [InlineData(93_600e9, "1 d 2 h")]
    [InlineData(0, "0 ns")]
    public void Durations_have_about_three_digits(double nanoseconds, string text) =>
        Assert.Equal(text, Format.Duration(nanoseconds));

    [Theory]
    [InlineData(0, "0%")]
    [InlineData(0.001, "<1%")]
    [InlineData(0.914, "91%")]
    [InlineData(1, "100%")]
    public void A_small_share_is_not_nothing(double share, string text) => Assert.Equal(text, Format.Percent(share));

    [Theory]
    [InlineData(77.2, "+77")]
    [InlineData(-3.4, "\u22123")]
    [InlineData(0.4, "±0")]
    public void Shifts_carry_their_sign(double points, string text) => Assert.Equal(text, Format.Shift(points));

    [Theory]
    [InlineData(77.2, "+77")]
    [InlineData(-0.5, "\u22121")]
    [InlineData(0.44, "+0.4")]
    [InlineData(-0.031, "\u22120.03")]
    [InlineData(0.00066, "+0.0007")]
    [InlineData(0, "±0")]
    public void A_clear_shift_that_is_small_is_not_nothing(double points, string text) =>
        Assert.Equal(text, Format.SmallShift(points));

    [Fact]
    public void Times_are_local()
    {
        var time = Frames.At("2026-07-01T23:05:04.204Z");
        Assert.Equal("00:05", Format.Clock(time, Frames.Dublin));
        Assert.Equal(":04.204", Format.SecondsPart(time, Frames.Dublin));
        Assert.Equal("Thu 2 Jul", Format.Day(time, Frames.Dublin));
        Assert.Equal("Wed 1 Jul 23:05 to Thu 2 Jul 00:05", Format.Stretch(time, time + Instants.Hour, DateTimeZone.Utc, 0));
    }

    [Fact]
    public void Values_show_with_their_units()
    {
        Assert.Equal("–", Format.Value(Value.Missing, DateTimeZone.Utc));
        Assert.Equal("4.19 MB", Format.Value(Value.Size(4 << 20), DateTimeZone.Utc));
        Assert.Equal("warn", Format.Value(Value.Level(13), DateTimeZone.Utc));
    }
}
