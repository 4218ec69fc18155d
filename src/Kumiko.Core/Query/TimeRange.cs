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
        if (!Relative) return Instants.Format(Nanoseconds) is var iso && Nanoseconds % Instants.Second == 0 ? string.Concat(iso.AsSpan(0, 19), "Z") : iso;
        return Nanoseconds == 0 ? "now" : Quantities.Duration(Nanoseconds);
    }

    /// <summary>Reads what <see cref="ToString"/> writes, and numbers since 1970.</summary>
    public static Moment? Parse(string? text)
    {
        text = text?.Trim() ?? "";
        if (text is "now") return Now;
        if (text.StartsWith('-') && Quantities.TryParseDuration(text, out var ago) && ago > -200 * 365 * Instants.Day) return new Moment(ago, true);
        if (Instants.TryParse(text, out var time)) return At(time);
        return text.Length > 8 && long.TryParse(text, NumberStyles.None, CultureInfo.InvariantCulture, out var number) && Instants.TryFromEpoch(number, out time) ? At(time) : null;
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
        if (IsLive && From.Relative) return "last " + Quantities.Duration(-From.Nanoseconds);
        var window = Resolve(now);
        var (from, to) = (Local(window.From, zone), Local(window.To, zone));
        var today = Local(now, zone).Date;
        return from.Date == to.Date
            ? $"{Day(from.Date, today)} {Clock(from)} to {Clock(to)}"
            : $"{Day(from.Date, today)} {Clock(from)} to {Day(to.Date, today)} {Clock(to)}";
    }

    private static LocalDateTime Local(long time, DateTimeZone zone) => Instants.ToInstant(time).InZone(zone).LocalDateTime;

    private static string Day(LocalDate date, LocalDate today) =>
        date == today ? "today" : date == today.PlusDays(-1) ? "yesterday" : date.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture);

    private static string Clock(LocalDateTime time) =>
        time.ToString(time.Second == 0 ? "HH:mm" : "HH:mm:ss", CultureInfo.InvariantCulture);

    /// <summary>
    /// Reads <c>last 15m</c>, <c>today</c>, <c>yesterday 5:30 to 7:00</c>, <c>9:10 to 10:00</c>, <c>since 9:10</c>
    /// and two dates or ISO instants with <c>to</c> between; null where it is none of them.
    /// </summary>
    public static TimeRange? Parse(string text, long now, DateTimeZone zone)
    {
        text = text.Trim();
        if (LastPattern().Match(text) is { Success: true } last)
            return Quantities.TryParseDuration(last.Groups["long"].Value.Replace(" ", ""), out var length) && length > 0 ? Last(length) : null;
        if (text.StartsWith("since ", StringComparison.OrdinalIgnoreCase))
            return End(text[6..], now, zone, null) is { } since && since < now ? new TimeRange(Moment.At(since), Moment.Now) : null;
        var today = Local(now, zone).Date;
        if (text.Equals("today", StringComparison.OrdinalIgnoreCase)) return new TimeRange(Moment.At(Start(today, zone)), Moment.Now);
        if (text.Equals("yesterday", StringComparison.OrdinalIgnoreCase))
            return new TimeRange(Moment.At(Start(today.PlusDays(-1), zone)), Moment.At(Start(today, zone)));
        var parts = ToPattern().Split(text);
        if (parts.Length != 2) return null;
        if (Moment.Parse(parts[0]) is { Relative: true } a && Moment.Parse(parts[1]) is { Relative: true } b && a.Nanoseconds < b.Nanoseconds) return new TimeRange(a, b);
        var from = End(parts[0], now, zone, null);
        var to = parts[1].Trim().Equals("now", StringComparison.OrdinalIgnoreCase) ? now : from is null ? null : End(parts[1], now, zone, Local(from.Value, zone).Date);
        return from < to ? new TimeRange(Moment.At(from.Value), to == now ? Moment.Now : Moment.At(to.Value)) : null;
    }

    /// <summary>One end: a day word or date, with or without a time of day; or a time of day on a given day.</summary>
    private static long? End(string text, long now, DateTimeZone zone, LocalDate? day)
    {
        text = text.Trim();
        if (text.Contains('T') && Instants.TryParse(text, out var instant)) return instant;
        var match = EndPattern().Match(text);
        if (!match.Success) return null;
        var today = Local(now, zone).Date;
        var date = match.Groups["day"].Value.ToLowerInvariant() switch
        {
            "" => day ?? today,
            "today" => today,
            "yesterday" => today.PlusDays(-1),
            var written => NodaTime.Text.LocalDatePattern.Iso.Parse(written) is { Success: true } parsed ? parsed.Value : (LocalDate?)null,
        };
        if (date is null || date.Value.Year is < 1700 or > 2260) return null;
        if (!match.Groups["hour"].Success) return match.Groups["day"].Length > 0 ? Start(date.Value, zone) : null;
        int Part(string name) => match.Groups[name].Success ? int.Parse(match.Groups[name].Value, CultureInfo.InvariantCulture) : 0;
        var (hour, minute, second) = (Part("hour"), Part("minute"), Part("second"));
        if (hour > 24 || minute > 59 || second > 59 || (hour == 24 && minute + second > 0)) return null;
        var local = date.Value.AtMidnight().PlusHours(hour).PlusMinutes(minute).PlusSeconds(second);
        return zone.AtLeniently(local).ToInstant().ToUnixTimeTicks() * 100;
    }

    private static long Start(LocalDate date, DateTimeZone zone) => zone.AtStartOfDay(date).ToInstant().ToUnixTimeTicks() * 100;

    [GeneratedRegex(@"^(the )?(last|past) (?<long>[\d. a-zµ]{1,30})$", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex LastPattern();

    [GeneratedRegex(@"\s+to\s+|\s+[-–]\s+", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex ToPattern();

    [GeneratedRegex(@"^(?<day>today|yesterday|\d{4}-\d\d-\d\d)?\s*((?<hour>\d{1,2}):(?<minute>\d\d)(:(?<second>\d\d))?)?$", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex EndPattern();
}
