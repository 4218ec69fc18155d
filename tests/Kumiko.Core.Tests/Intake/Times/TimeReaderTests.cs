using System.Globalization;
using System.Text;
using CsCheck;
using Kumiko.Core.Intake.Times;
using Kumiko.Core.Records;
using NodaTime;

namespace Kumiko.Core.Tests.Intake.Times;

/// <summary>Times in all their spellings to instants.</summary>
public class TimeReaderTests
{
    /// <summary>2026-12-01T12:00:00Z.</summary>
    private const long Now = 1_796_126_400L * Instants.Second;

    private static string? Read(string text, TimeSettings? settings = null) =>
        new TimeReader(settings ?? TimeSettings.Utc).TryRead(Encoding.UTF8.GetBytes(text), Now, out var time, out var length)
        && length == text.Length
            ? Instants.Format(time)
            : null;

    [Theory]
    [InlineData("2026-11-23T17:51:04Z", "17:51:04.000000000")]
    [InlineData("2026-11-23t17:51:04z", "17:51:04.000000000")]
    [InlineData("2026-11-23 17:51:04", "17:51:04.000000000")]
    [InlineData("2026-11-23T17:51:04.2Z", "17:51:04.200000000")]
    [InlineData("2026-11-23T17:51:04,204512Z", "17:51:04.204512000")]
    [InlineData("2026-11-23T17:51:04.204512789123Z", "17:51:04.204512789")]
    [InlineData("2026-11-23T18:51:04+01:00", "17:51:04.000000000")]
    [InlineData("2026-11-23T18:51:04+0100", "17:51:04.000000000")]
    [InlineData("2026-11-23T18:51:04+01", "17:51:04.000000000")]
    [InlineData("2026-11-23 18:51:04 +0100", "17:51:04.000000000")]
    [InlineData("2026-11-23 18:51:04.204 CET", "17:51:04.204000000")]
    [InlineData("2026-11-23 12:51:04 EST", "17:51:04.000000000")]
    [InlineData("2026-11-23 17:51:04 UTC", "17:51:04.000000000")]
    [InlineData("2026-11-23 18:51:04 GMT+01:00", "17:51:04.000000000")]
    [InlineData("2026-11-23 18:51:04 Europe/Berlin", "17:51:04.000000000")]
    [InlineData("2026-11-23T17:51Z", "17:51:00.000000000")]
    [InlineData("2026/11/23 17:51:04", "17:51:04.000000000")]
    [InlineData("2026.11.23 17:51:04", "17:51:04.000000000")]
    [InlineData("2026-11-23-17.51.04.204512", "17:51:04.204512000")]
    [InlineData("2026-Nov-23 17:51:04", "17:51:04.000000000")]
    [InlineData("2026 Nov 23 17:51:04", "17:51:04.000000000")]
    [InlineData("20261123-175104", "17:51:04.000000000")]
    [InlineData("20261123T175104Z", "17:51:04.000000000")]
    [InlineData("20261123T175104,204Z", "17:51:04.204000000")]
    [InlineData("20261123 17:51:04", "17:51:04.000000000")]
    [InlineData("20261123-17:51:04:204", "17:51:04.204000000")]
    [InlineData("20261123175104", "17:51:04.000000000")]
    [InlineData("261123 17:51:04", "17:51:04.000000000")]
    [InlineData("261123 175104", "17:51:04.000000000")]
    [InlineData("Mon, 23 Nov 2026 17:51:04 GMT", "17:51:04.000000000")]
    [InlineData("Mon, 23 Nov 2026 18:51:04 +0100 (CET)", "17:51:04.000000000")]
    [InlineData("23 Nov 2026 17:51:04 +0000", "17:51:04.000000000")]
    [InlineData("Nov 23 17:51:04", "17:51:04.000000000")]
    [InlineData("Nov 23 17:51:04.204", "17:51:04.204000000")]
    [InlineData("Nov 23 2026 17:51:04", "17:51:04.000000000")]
    [InlineData("Nov 23, 2026 5:51:04 PM", "17:51:04.000000000")]
    [InlineData("November 23, 2026 17:51:04", "17:51:04.000000000")]
    [InlineData("Nov-23-26 17:51:04", "17:51:04.000000000")]
    [InlineData("23/Nov/2026:18:51:04 +0100", "17:51:04.000000000")]
    [InlineData("23/Nov/2026:17:51:04.204", "17:51:04.204000000")]
    [InlineData("23-Nov-2026 17:51:04.20", "17:51:04.200000000")]
    [InlineData("23-Nov-26 17:51:04", "17:51:04.000000000")]
    [InlineData("23.Nov.2026 17:51:04", "17:51:04.000000000")]
    [InlineData("Mon Nov 23 17:51:04 2026", "17:51:04.000000000")]
    [InlineData("Mon Nov 23 17:51:04.204512 2026", "17:51:04.204512000")]
    [InlineData("Mon Nov 23 18:51:04 CET 2026", "17:51:04.000000000")]
    [InlineData("Mon Nov 23 2026 17:51:04", "17:51:04.000000000")]
    [InlineData("Monday, 23-Nov-26 17:51:04 UTC", "17:51:04.000000000")]
    [InlineData("Mon 2026-11-23 17:51:04", "17:51:04.000000000")]
    [InlineData("23.11.2026 17:51:04", "17:51:04.000000000")]
    [InlineData("23/11/2026 17:51:04", "17:51:04.000000000")]
    [InlineData("11/23/2026 17:51:04", "17:51:04.000000000")]
    [InlineData("11/23/2026:17:51:04", "17:51:04.000000000")]
    [InlineData("11/23/2026, 5:51:04 PM", "17:51:04.000000000")]
    [InlineData("11/23/26@17:51:04", "17:51:04.000000000")]
    [InlineData("11-23-2026 17:51:04.204", "17:51:04.204000000")]
    [InlineData("11-23 17:51:04.204", "17:51:04.204000000")]
    [InlineData("23.11. 17:51:04", "17:51:04.000000000")]
    [InlineData("2026-11-23::17:51:04", "17:51:04.000000000")]
    [InlineData("23-Nov-2026::17:51:04", "17:51:04.000000000")]
    [InlineData("2026:11:23-17:51:04", "17:51:04.000000000")]
    [InlineData("11/23/2026 - 17:51:04", "17:51:04.000000000")]
    [InlineData("2026-11-23 - 17:51:04", "17:51:04.000000000")]
    [InlineData("CET Nov 23 18:51:04", "17:51:04.000000000")]
    [InlineData("1795456264", "17:51:04.000000000")]
    [InlineData("1795456264.204512", "17:51:04.204512000")]
    [InlineData("1795456264204", "17:51:04.204000000")]
    [InlineData("1795456264204512", "17:51:04.204512000")]
    [InlineData("1795456264204512789", "17:51:04.204512789")]
    [InlineData("@400000006b047d120c30bf00", "17:51:04.204521216")]
    public void Every_spelling_is_read(string text, string clock) => Assert.Equal($"2026-11-23T{clock}Z", Read(text));

    [Theory]
    [InlineData("Dec 01 12:00:00", "2026-12-01T12:00:00")]
    [InlineData("Dec 01 12:00:01", "2025-12-01T12:00:01")]
    [InlineData("Feb 29 06:00:00", "2024-02-29T06:00:00")]
    [InlineData("Dec 31 23:59:59", "2025-12-31T23:59:59")]
    [InlineData("11:59:59", "2026-12-01T11:59:59")]
    [InlineData("12:00:01", "2026-11-30T12:00:01")]
    public void A_time_without_a_year_or_a_day_is_the_latest_that_is_not_in_the_future(string text, string expected) =>
        Assert.Equal(expected, Read(text)?[..19]);

    [Fact]
    public void A_sender_whose_clock_is_ahead_is_not_a_year_behind() =>
        Assert.Equal("2026-12-01T13:00:00", Read("Dec 01 13:00:00", TimeSettings.Utc with { Ahead = Instants.Day })?[..19]);

    [Theory]
    [InlineData("04/05/2026 17:51:04", DayOrder.MonthFirst, "2026-04-05")]
    [InlineData("04/05/2026 17:51:04", DayOrder.DayFirst, "2026-05-04")]
    [InlineData("04/05/2026 17:51:04", DayOrder.None, null)]
    [InlineData("04/05/06 17:51:04", DayOrder.YearFirst, "2004-05-06")]
    [InlineData("04/05/06 17:51:04", DayOrder.DayFirst, "2006-05-04")]
    [InlineData("04/05/06 17:51:04", DayOrder.MonthFirst, "2006-04-05")]
    [InlineData("04/05 17:51:04", DayOrder.DayFirst, "2026-05-04")]
    [InlineData("04/05 17:51:04", DayOrder.MonthFirst, "2026-04-05")]
    public void The_order_of_days_is_the_sources(string text, DayOrder order, string? day) =>
        Assert.Equal(day, Read(text, TimeSettings.Utc with { Order = order })?[..10]);

    [Theory]
    [InlineData("2026-13-23 17:51:04")]
    [InlineData("2026-11-31 17:51:04")]
    [InlineData("32/Nov/2026:17:51:04 +0100")]
    [InlineData("2026-11-23 25:51:04")]
    [InlineData("Smarch 23 17:51:04")]
    [InlineData("9934567890123456")]
    [InlineData("@4000")]
    [InlineData("")]
    [InlineData("12")]
    public void What_is_no_time_is_none(string text) => Assert.Null(Read(text));

    [Fact]
    public void A_zone_has_summer_and_winter()
    {
        var zone = new TimeSettings(DateTimeZoneProviders.Tzdb["Europe/Berlin"]);
        Assert.Equal("2026-07-01T10:00:00", Read("2026-07-01 12:00:00", zone)?[..19]);
        Assert.Equal("2026-11-23T11:00:00", Read("2026-11-23 12:00:00", zone)?[..19]);
        // Left out in spring: moved on by as much.
        Assert.Equal("2026-03-29T01:30:00", Read("2026-03-29 02:30:00", zone)?[..19]);
    }

    [Fact]
    public void The_hour_that_comes_twice_is_told_by_what_came_before()
    {
        var reader = new TimeReader(new TimeSettings(DateTimeZoneProviders.Tzdb["Europe/Berlin"]));
        string[] lines = ["01:59:00", "02:10:00", "02:50:00", "02:05:00", "02:55:00", "03:10:00"];
        var read = lines.Select(l =>
        {
            Assert.True(reader.TryRead(Encoding.ASCII.GetBytes("2026-10-25 " + l), Now, out var time, out _));
            return Instants.Format(time)[11..16];
        });
        Assert.Equal(["23:59", "00:10", "00:50", "01:05", "01:55", "02:10"], read);
    }

    private static readonly string[] Shapes =
    [
        "yyyy-MM-dd'T'HH:mm:ss.fffffff'Z'",
        "yyyy-MM-dd HH:mm:ss,fffffff'Z'",
        "yyyyMMdd'T'HHmmss.fffffff'Z'",
        "ddd, dd MMM yyyy HH:mm:ss 'GMT'",
        "dd/MMM/yyyy:HH:mm:ss '+0000'",
        "ddd MMM d HH:mm:ss yyyy",
        "MMM d yyyy HH:mm:ss",
        "dd.MM.yyyy HH:mm:ss.fffffff",
        "yyyy/MM/dd HH:mm:ss",
        "dd MMMM yyyy HH:mm:ss",
        "MMMM d, yyyy h:mm:ss tt",
        "yyyyMMdd-HHmmss",
        "dddd, dd-MMM-yy HH:mm:ss 'UTC'",
    ];

    [Fact]
    public void Printed_in_any_shape_and_read_back_it_is_the_same() =>
        Gen.Select(Gen.Long[0, 80L * 365 * 24 * 3600], Gen.Int[0, 9_999_999], Gen.Int[0, Shapes.Length - 1])
            .Sample(
                (seconds, ticks, shape) =>
                {
                    // From 1975: years of two digits and numbers count from about there.
                    var moment = new DateTime(1975, 1, 1, 0, 0, 0, DateTimeKind.Utc).AddSeconds(seconds).AddTicks(ticks);
                    var hasFraction = Shapes[shape].Contains('f', StringComparison.Ordinal);
                    if (!hasFraction)
                        moment = moment.AddTicks(-(moment.Ticks % TimeSpan.TicksPerSecond));
                    var text = moment.ToString(Shapes[shape], CultureInfo.InvariantCulture);
                    return Read(text) == Instants.Format(Instants.FromDateTime(moment));
                }
            );

    [Fact]
    public void Numbers_since_1970_read_back_equal_in_every_unit() =>
        Gen.Select(Gen.Long[1_000_000_000, 2_900_000_000], Gen.Int[0, 3].Select(e => (long)Math.Pow(1_000, e)))
            .Sample(
                (seconds, unit) =>
                    Read((seconds * unit).ToString(CultureInfo.InvariantCulture)) == Instants.Format(seconds * Instants.Second)
            );

    [Fact]
    public void No_bytes_make_it_fail() =>
        Gen
            .Byte.Array[0, 60]
            .Sample(bytes =>
            {
                var reader = new TimeReader(TimeSettings.Utc);
                return !reader.TryRead(bytes, Now, out _, out var length) || length is > 0 and <= 60;
            });
}
