using CsCheck;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using NodaTime;

namespace Kumiko.Core.Tests.Query;

public class TimeRangeTests
{
    private static readonly long Now = Sample.At("2026-11-23T18:00:00Z");
    private static readonly DateTimeZone Dublin = DateTimeZoneProviders.Tzdb["Europe/Dublin"];
    private static readonly DateTimeZone Sydney = DateTimeZoneProviders.Tzdb["Australia/Sydney"];

    [Theory]
    [InlineData("last 15m", "2026-11-23T17:45:00Z", "2026-11-23T18:00:00Z")]
    [InlineData("last 2 h", "2026-11-23T16:00:00Z", "2026-11-23T18:00:00Z")]
    [InlineData("past 1d", "2026-11-22T18:00:00Z", "2026-11-23T18:00:00Z")]
    [InlineData("today", "2026-11-23T00:00:00Z", "2026-11-23T18:00:00Z")]
    [InlineData("yesterday", "2026-11-22T00:00:00Z", "2026-11-23T00:00:00Z")]
    [InlineData("yesterday 5:30 to 7:00", "2026-11-22T05:30:00Z", "2026-11-22T07:00:00Z")]
    [InlineData("9:10 to 10:00", "2026-11-23T09:10:00Z", "2026-11-23T10:00:00Z")]
    [InlineData("since 9:10", "2026-11-23T09:10:00Z", "2026-11-23T18:00:00Z")]
    [InlineData("9:10 to now", "2026-11-23T09:10:00Z", "2026-11-23T18:00:00Z")]
    [InlineData("2026-11-20 22:00 to 2026-11-21 2:00", "2026-11-20T22:00:00Z", "2026-11-21T02:00:00Z")]
    [InlineData("2026-11-20T22:00:00Z to 2026-11-21T02:00:00+01:00", "2026-11-20T22:00:00Z", "2026-11-21T01:00:00Z")]
    // 23 November 2026 is a Monday.
    [InlineData("Mon 8am for 2h", "2026-11-23T08:00:00Z", "2026-11-23T10:00:00Z")]
    [InlineData("Tue 8am for 2h", "2026-11-17T08:00:00Z", "2026-11-17T10:00:00Z")]
    [InlineData("sunday 8:30pm to 9:30pm", "2026-11-22T20:30:00Z", "2026-11-22T21:30:00Z")]
    [InlineData("Friday", "2026-11-20T00:00:00Z", "2026-11-21T00:00:00Z")]
    [InlineData("monday", "2026-11-23T00:00:00Z", "2026-11-23T18:00:00Z")]
    [InlineData("12am to 12pm", "2026-11-23T00:00:00Z", "2026-11-23T12:00:00Z")]
    [InlineData("since yesterday 9:10", "2026-11-22T09:10:00Z", "2026-11-23T18:00:00Z")]
    [InlineData("since Fri", "2026-11-20T00:00:00Z", "2026-11-23T18:00:00Z")]
    [InlineData("last 90 minutes", "2026-11-23T16:30:00Z", "2026-11-23T18:00:00Z")]
    [InlineData("last hour", "2026-11-23T17:00:00Z", "2026-11-23T18:00:00Z")]
    [InlineData("20 Nov 8:00 for 30 min", "2026-11-20T08:00:00Z", "2026-11-20T08:30:00Z")]
    [InlineData("24 december", "2025-12-24T00:00:00Z", "2025-12-25T00:00:00Z")]
    [InlineData("2026-11-18", "2026-11-18T00:00:00Z", "2026-11-19T00:00:00Z")]
    [InlineData("2026-11-18 to 2026-11-19", "2026-11-18T00:00:00Z", "2026-11-20T00:00:00Z")]
    [InlineData("2026-11-20T22:00:00Z/2026-11-20T23:00:00Z", "2026-11-20T22:00:00Z", "2026-11-20T23:00:00Z")]
    [InlineData("2026-11-20T22:00:00Z", "2026-11-20T21:45:00Z", "2026-11-20T22:15:00Z")]
    [InlineData("1795449600", "2026-11-23T15:45:00Z", "2026-11-23T16:15:00Z")]
    [InlineData("1795449600000 to 1795453200000", "2026-11-23T16:00:00Z", "2026-11-23T17:00:00Z")]
    [InlineData("10:00 to 9:00", "2026-11-22T10:00:00Z", "2026-11-23T09:00:00Z")]
    [InlineData("Fri 22:00 to 2:00", "2026-11-20T22:00:00Z", "2026-11-21T02:00:00Z")]
    [InlineData("today 9:10 – 10:00", "2026-11-23T09:10:00Z", "2026-11-23T10:00:00Z")]
    public void Reads_time_in_plain_words(string text, string from, string to)
    {
        var window = TimeRange.Parse(text, Now, DateTimeZone.Utc)!.Resolve(Now);
        Assert.Equal((Sample.At(from), Sample.At(to)), (window.From, window.To));
    }

    [Theory]
    [InlineData("")]
    [InlineData("soon")]
    [InlineData("last")]
    [InlineData("last -3h")]
    [InlineData("Mon 13pm for 2h")]
    [InlineData("8 for 2h")]
    [InlineData("Mon 8am for ever")]
    [InlineData("Mon 8am for 100000d")]
    [InlineData("31 Feb")]
    [InlineData("Someday 8:00 to 9:00")]
    [InlineData("2026-11-20T22:00:00Z/2026-11-20T21:00:00Z")]
    [InlineData("25:00 to 26:00")]
    [InlineData("since 23:00")]
    [InlineData("9999-01-01 to 9999-01-02")]
    public void Says_no_to_what_is_no_time(string text) => Assert.Null(TimeRange.Parse(text, Now, DateTimeZone.Utc));

    [Fact]
    public void Days_begin_at_the_midnight_of_the_zone() =>
        Assert.Equal(Sample.At("2026-11-23T13:00:00Z"), TimeRange.Parse("today", Now, Sydney)!.Resolve(Now).From);

    [Fact]
    public void Words_for_a_focus_read_back_as_the_same_focus() =>
        Gen.Select(Gen.Long[-500_000, 0], Gen.Long[60, 300_000], Gen.OneOf(DateTimeZone.Utc, Dublin, Sydney))
            .Sample(
                (start, length, zone) =>
                {
                    var from = Now + (start * Instants.Second);
                    var range = new TimeRange(Moment.At(from), Moment.At(from + (length * Instants.Second)));
                    var words = range.Describe(Now, zone);
                    var back = TimeRange.Parse(words, Now, zone);
                    Assert.NotNull(back);
                    // "now" stays relative when it is typed, so the end is compared as resolved.
                    Assert.Equal(range.Resolve(Now), back.Resolve(Now));
                },
                iter: Cases.Of(2_000)
            );

    [Fact]
    public void Moments_come_back_from_addresses() =>
        Gen.Select(Gen.Long[-1_000_000_000_000, 2_000_000_000_000_000_000], Gen.Bool)
            .Sample(
                (n, relative) =>
                {
                    var moment = relative ? new Moment(-Math.Abs(n), true) : Moment.At(n);
                    Assert.Equal(moment, Moment.Parse(moment.ToString()));
                },
                iter: Cases.Of(2_000)
            );

    [Theory]
    [InlineData(null)]
    [InlineData("")]
    [InlineData("+3h")]
    [InlineData("-3parsecs")]
    [InlineData("<script>")]
    [InlineData("-999999999999d")]
    public void Nonsense_is_no_moment(string? text) => Assert.Null(Moment.Parse(text));
}
