using System.Globalization;
using System.Text.RegularExpressions;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using NodaTime;

namespace Kumiko.Core.Query;

/// <summary>A point in time as a link says it: so long before now, or an instant.</summary>
public readonly record struct Moment(long Nanoseconds, bool Relative)
{
    public static readonly Moment Now = new(0, true);

    public static Moment At(long time) => new(time, false);

    public static Moment Ago(long duration) => new(-duration, true);

    public long Resolve(long now) => Relative ? now + Nanoseconds : Nanoseconds;

    /// <summary>As addresses have it: <c>now</c>, <c>-3h</c>, or ISO 8601 in UTC.</summary>
    public override string ToString()
    {
        if (!Relative)
            return Instants.Format(Nanoseconds) is var iso && Nanoseconds % Instants.Second == 0
                ? string.Concat(iso.AsSpan(0, 19), "Z")
                : iso;
        return Nanoseconds == 0 ? "now" : Quantities.Duration(Nanoseconds);
    }

    /// <summary>Reads what <see cref="ToString"/> writes, and numbers since 1970.</summary>
    public static Moment? Parse(string? text)
    {
        text = text?.Trim() ?? "";
        if (text is "now")
            return Now;
        if (text.StartsWith('-') && Quantities.TryParseDuration(text, out var ago) && ago > -200 * 365 * Instants.Day)
            return new Moment(ago, true);
        if (Instants.TryParse(text, out var time))
            return At(time);
        return
            text.Length > 8
            && long.TryParse(text, NumberStyles.None, CultureInfo.InvariantCulture, out var number)
            && Instants.TryFromEpoch(number, out time)
            ? At(time)
            : null;
    }
}

/// <summary>A stretch of time as a link says it; relative ends move along with the clock.</summary>
public sealed partial record TimeRange(Moment From, Moment To)
{
    public static TimeRange Last(long duration) => new(Moment.Ago(duration), Moment.Now);

    public bool IsLive => To == Moment.Now;

    public Window Resolve(long now) => new(From.Resolve(now), To.Resolve(now));

    /// <summary>In words that <see cref="Parse"/> reads: <c>last 3h</c>, <c>today 17:45 to 18:15</c>.</summary>
    public string Describe(long now, DateTimeZone zone)
    {
        if (IsLive && From.Relative)
            return "last " + Quantities.Duration(-From.Nanoseconds);
        var window = Resolve(now);
        var (from, to) = (Local(window.From, zone), Local(window.To, zone));
        var today = Local(now, zone).Date;
        return from.Date == to.Date
            ? $"{Day(from.Date, today)} {Clock(from)} to {Clock(to)}"
            : $"{Day(from.Date, today)} {Clock(from)} to {Day(to.Date, today)} {Clock(to)}";
    }

    private static LocalDateTime Local(long time, DateTimeZone zone) => Instants.ToInstant(time).InZone(zone).LocalDateTime;

    private static string Day(LocalDate date, LocalDate today)
    {
        if (date == today)
            return "today";
        if (date == today.PlusDays(-1))
            return "yesterday";
        return date.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture);
    }

    private static string Clock(LocalDateTime time) =>
        time.ToString(time.Second == 0 ? "HH:mm" : "HH:mm:ss", CultureInfo.InvariantCulture);

    /// <summary>A moment alone is looked at with this much on both sides.</summary>
    private const long AroundMoment = 15 * Instants.Minute;

    /// <summary>
    /// Reads <c>last 15m</c>, <c>today</c>, <c>Monday</c>, <c>yesterday 5:30 to 7:00</c>, <c>9:10 to 10:00</c>, <c>since
    /// 9:10</c>,
    /// <c>Mon 8am for 2h</c>, dates, ISO instants or numbers since 1970 with <c>to</c> or a slash between, and one of
    /// these alone, which is looked at with a quarter of an hour on both sides; null where it is none of them.
    /// A weekday is the latest one that is not after today.
    /// </summary>
    public static TimeRange? Parse(string text, long now, DateTimeZone zone)
    {
        text = text.Trim();
        if (text.Length is 0 or > 100)
            return null;
        if (LastPattern().Match(text) is { Success: true } last)
            return Quantities.TryParseDuration(Length(last.Groups["long"].Value), out var length) && length > 0
                ? Last(length)
                : null;
        if (text.StartsWith("since ", StringComparison.OrdinalIgnoreCase))
            return End(text[6..], now, zone, null) is { } since && since.Time < now
                ? new TimeRange(Moment.At(since.Time), Moment.Now)
                : null;
        if (ForPattern().Match(text) is { Success: true } stretch)
            return
                End(stretch.Groups["from"].Value, now, zone, null) is { } begin
                && Quantities.TryParseDuration(Length(stretch.Groups["long"].Value), out var lasts)
                && lasts > 0
                && lasts < long.MaxValue - Math.Max(0, begin.Time)
                ? new TimeRange(Moment.At(begin.Time), Moment.At(begin.Time + lasts))
                : null;
        var parts = ToPattern().Split(text);
        if (parts.Length == 1 && text.Count(c => c == '/') == 1)
            parts = text.Split('/');
        return parts.Length switch
        {
            1 => Alone(text, now, zone),
            2 => Between(parts[0], parts[1], now, zone),
            _ => null,
        };
    }

    /// <summary>A length as a person writes it: <c>2 hours</c>, <c>90 min</c>, <c>day</c>.</summary>
    private static string Length(string text)
    {
        var named = UnitPattern()
            .Replace(text.Trim().ToLowerInvariant(), m => m.Groups["unit"].Value switch
                {
                    "sec" or "second" => "s",
                    "min" or "minute" => "m",
                    "hour" => "h",
                    "day" => "d",
                    _ => "w",
                });
        named = named.Replace(" ", "");
        return named.Length > 0 && char.IsAsciiLetter(named[0]) ? "1" + named : named;
    }

    private static TimeRange? Alone(string text, long now, DateTimeZone zone)
    {
        if (End(text, now, zone, null) is not { } end)
            return null;
        if (!end.IsDay)
            return new TimeRange(Moment.At(end.Time - AroundMoment), Moment.At(end.Time + AroundMoment));
        var date = Local(end.Time, zone).Date;
        return new TimeRange(
            Moment.At(end.Time),
            date == Local(now, zone).Date ? Moment.Now : Moment.At(Start(date.PlusDays(1), zone))
        );
    }

    private static TimeRange? Between(string first, string second, long now, DateTimeZone zone)
    {
        if (
            Moment.Parse(first) is { Relative: true } a
            && Moment.Parse(second) is { Relative: true } b
            && a.Nanoseconds < b.Nanoseconds
        )
            return new TimeRange(a, b);
        if (End(first, now, zone, null) is not { } from)
            return null;
        if (second.Trim().Equals("now", StringComparison.OrdinalIgnoreCase))
            return from.Time < now ? new TimeRange(Moment.At(from.Time), Moment.Now) : null;
        if (End(second, now, zone, Local(from.Time, zone).Date) is not { } to)
            return null;
        // A day as the last one is meant with all its hours; a clock time before the first is that of the next day,
        // and two clock times that would end in the future are those of the night before.
        var (start, time) = (from.Time, to.IsDay ? Start(Local(to.Time, zone).Date.PlusDays(1), zone) : to.Time);
        if (time <= start && to.IsClock)
        {
            if (from.IsClock && DaysOn(time, 1, zone) > now)
                start = DaysOn(start, -1, zone);
            else
                time = DaysOn(time, 1, zone);
        }
        return start < time ? new TimeRange(Moment.At(start), Moment.At(time)) : null;
    }

    /// <summary>The same clock time some days later.</summary>
    private static long DaysOn(long time, int days, DateTimeZone zone) =>
        zone.AtLeniently(Local(time, zone).PlusDays(days)).ToInstant().ToUnixTimeTicks() * 100;

    /// <param name="IsDay">Whether it is a day without a time of day.</param>
    /// <param name="IsClock">Whether it is a time of day without a day.</param>
    private readonly record struct TypedEnd(long Time, bool IsDay, bool IsClock);

    /// <summary>One end: a day word, weekday or date, with or without a time of day; a time of day on a given day; an instant; a
    /// number since 1970.</summary>
    private static TypedEnd? End(string text, long now, DateTimeZone zone, LocalDate? day)
    {
        text = text.Trim();
        if (text.Contains('T') && Instants.TryParse(text, out var instant))
            return new TypedEnd(instant, false, false);
        if (text.Length > 8 && text.All(char.IsAsciiDigit))
            return Moment.Parse(text) is { } epoch ? new TypedEnd(epoch.Nanoseconds, false, false) : null;
        var match = EndPattern().Match(text);
        if (!match.Success)
            return null;
        var today = Local(now, zone).Date;
        var named = match.Groups["day"].Value.ToLowerInvariant();
        if ((named.Length == 0 ? day ?? today : DayOf(named, today)) is not { Year: >= 1700 and <= 2260 } date)
            return null;
        if (!match.Groups["hour"].Success)
            return named.Length > 0 ? new TypedEnd(Start(date, zone), true, false) : null;
        int Part(string name) =>
            match.Groups[name].Success ? int.Parse(match.Groups[name].Value, CultureInfo.InvariantCulture) : 0;
        var (hour, minute, second) = (Part("hour"), Part("minute"), Part("second"));
        if (match.Groups["half"].Value.ToLowerInvariant() is { Length: 2 } half)
        {
            if (hour is < 1 or > 12)
                return null;
            hour = (hour % 12) + (half == "pm" ? 12 : 0);
        }
        else if (!match.Groups["minute"].Success)
            return null;
        if (hour > 24 || minute > 59 || second > 59 || (hour == 24 && minute + second > 0))
            return null;
        var local = date.AtMidnight().PlusHours(hour).PlusMinutes(minute).PlusSeconds(second);
        return new TypedEnd(zone.AtLeniently(local).ToInstant().ToUnixTimeTicks() * 100, false, named.Length == 0);
    }

    private static LocalDate? DayOf(string named, LocalDate today)
    {
        if (named == "today")
            return today;
        if (named == "yesterday")
            return today.PlusDays(-1);
        if (NodaTime.Text.LocalDatePattern.Iso.Parse(named) is { Success: true } iso)
            return iso.Value;
        var weekday = Array.FindIndex(Weekdays, w => named.Length >= 3 && w.StartsWith(named, StringComparison.Ordinal));
        if (weekday >= 0)
            return today.PlusDays(-(((int)today.DayOfWeek - (weekday + 1) + 7) % 7));
        var parts = named.Split(' ', StringSplitOptions.RemoveEmptyEntries);
        var month = parts.Length < 2 ? -1 : Array.FindIndex(Months, m => m.StartsWith(parts[1], StringComparison.Ordinal));
        if (month < 0 || !int.TryParse(parts[0], NumberStyles.None, CultureInfo.InvariantCulture, out var dayOfMonth))
            return null;
        var year = parts.Length > 2 ? int.Parse(parts[2], CultureInfo.InvariantCulture) : today.Year;
        if (dayOfMonth < 1 || year is < 1700 or > 2260 || dayOfMonth > CalendarSystem.Iso.GetDaysInMonth(year, month + 1))
            return null;
        var date = new LocalDate(year, month + 1, dayOfMonth);
        // Without a year, the latest such day that is not after today.
        return parts.Length < 3 && date > today && CalendarSystem.Iso.GetDaysInMonth(year - 1, month + 1) >= dayOfMonth
            ? new LocalDate(year - 1, month + 1, dayOfMonth)
            : date;
    }

    private static readonly string[] Weekdays = ["monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday"];
    private static readonly string[] Months =
    [
        "january",
        "february",
        "march",
        "april",
        "may",
        "june",
        "july",
        "august",
        "september",
        "october",
        "november",
        "december",
    ];

    private static long Start(LocalDate date, DateTimeZone zone) => zone.AtStartOfDay(date).ToInstant().ToUnixTimeTicks() * 100;

    [GeneratedRegex(@"^(the )?(last|past) (?<long>[\d. a-zµ]{1,30})$", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex LastPattern();

    [GeneratedRegex(
        @"^(?<from>.{1,40}?)\s+for\s+(?<long>[\d. a-zµ]{1,30})$",
        RegexOptions.IgnoreCase | RegexOptions.CultureInvariant
    )]
    private static partial Regex ForPattern();

    [GeneratedRegex(
        @"\b(?<unit>sec|second|min|minute|hour|day|week)s?\b|(?<=\d\s*)(?<unit>sec|second|min|minute|hour|day|week)s?\b",
        RegexOptions.CultureInvariant
    )]
    private static partial Regex UnitPattern();

    [GeneratedRegex(@"\s+to\s+|\s+until\s+|\s+[-–]\s+", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex ToPattern();

    [GeneratedRegex(
        @"^(?<day>today|yesterday|(mon|tue|tues|wed|thu|thur|thurs|fri|sat|sun)|(mon|tues|wednes|thurs|fri|satur|sun)day|\d{4}-\d\d-\d\d|\d{1,2}\s+[a-z]{3,9}(\s+\d{4})?)?(^|\s*|\sat\s)((?<hour>\d{1,2})(:(?<minute>\d\d)(:(?<second>\d\d))?)?\s*(?<half>am|pm)?)?$",
        RegexOptions.IgnoreCase | RegexOptions.CultureInvariant
    )]
    private static partial Regex EndPattern();
}
