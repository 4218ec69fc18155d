using System.Globalization;
using Kumiko.Core.Records;
using NodaTime;

namespace Kumiko.Charts;

/// <summary>Numbers, units and times as people read them, in one place.</summary>
public static class Format
{
    /// <summary>Parts thousands, as SI has it.</summary>
    public const string ThinSpace = "\u2009";

    private const string Minus = "\u2212";

    internal static readonly NumberFormatInfo Grouped = new() { NumberGroupSeparator = ThinSpace, NegativeSign = Minus };

    /// <summary>A whole number in groups: 12 345.</summary>
    public static string Number(long number) => number.ToString("#,0", Grouped);

    /// <summary>A number with as many decimals as tell something: 0.123, 4.56, 78.9, 1 234.</summary>
    public static string Number(double number)
    {
        var size = Math.Abs(number);
        var format = size switch
        {
            0 => "0",
            < 0.001 => "0.##e0",
            < 1 => "0.####",
            < 10 => "0.##",
            < 1000 => "0.#",
            _ => "#,0",
        };
        return number.ToString(format, Grouped);
    }

    /// <summary>A number with so many decimals, in groups.</summary>
    public static string Fixed(double number, int decimals)
    {
        var rounded = Math.Round(number, Math.Min(decimals, 15), MidpointRounding.AwayFromZero);
        // No minus before nothing.
        return (rounded == 0 ? 0 : rounded).ToString("#,0." + new string('0', decimals), Grouped);
    }

    /// <summary>A share of one as a whole percentage; a small share is never called nothing.</summary>
    public static string Percent(double share) =>
        share is > 0 and < 0.005
            ? "<1%"
            : Math.Round(share * 100, MidpointRounding.AwayFromZero).ToString("0", CultureInfo.InvariantCulture) + "%";

    /// <summary>A move in points of percent, always with its sign: +77, −3, ±0.</summary>
    public static string Shift(double points)
    {
        var whole = Math.Round(points, MidpointRounding.AwayFromZero);
        if (whole == 0)
            return "±0";
        return (whole > 0 ? "+" : Minus) + Math.Abs(whole).ToString("0", CultureInfo.InvariantCulture);
    }

    /// <summary>A move that is no chance and yet less than half a point: to one digit, as ±0 would hide it.</summary>
    public static string SmallShift(double points)
    {
        if (points == 0 || Math.Abs(points) >= 0.5)
            return Shift(points);
        var digits = (int)Math.Min(9, -Math.Floor(Math.Log10(Math.Abs(points))));
        return (points > 0 ? "+" : Minus)
            + Math.Abs(points).ToString("F" + digits.ToString(CultureInfo.InvariantCulture), CultureInfo.InvariantCulture);
    }

    /// <summary>How many a second, with as many decimals as tell it from nothing.</summary>
    public static string Rate(double perSecond) =>
        perSecond >= 100
            ? Number((long)Math.Round(perSecond))
            : perSecond.ToString(
                perSecond switch
                {
                    >= 10 => "0.0",
                    >= 0.1 or 0 => "0.00",
                    _ => "0.000",
                },
                CultureInfo.InvariantCulture
            );

    /// <summary>One of something or several, with the number.</summary>
    public static string Count(long number, string one, string several) => Number(number) + " " + (number == 1 ? one : several);

    /// <summary>A duration of nanoseconds with about three digits: 812 ms, 1.04 s, 3 h 20 min.</summary>
    public static string Duration(double nanoseconds)
    {
        var size = Math.Abs(nanoseconds);
        if (size < 1e3)
            return Number(nanoseconds) + " ns";
        if (size < 1e6)
            return Number(nanoseconds / 1e3) + " µs";
        if (size < 1e9)
            return Number(nanoseconds / 1e6) + " ms";
        if (size < 60e9)
            return Number(nanoseconds / 1e9) + " s";
        var seconds = (long)Math.Round(size / 1e9);
        var sign = nanoseconds < 0 ? Minus : "";
        return sign
            + (
                seconds switch
                {
                    < 3600 => Two(seconds, 60, "min", 1, "s"),
                    < 86400 => Two(seconds, 3600, "h", 60, "min"),
                    _ => Two(seconds, 86400, "d", 3600, "h"),
                }
            );
    }

    private static string Two(long seconds, long large, string largeUnit, long small, string smallUnit)
    {
        var rest = seconds % large / small;
        return rest == 0
            ? $"{Number(seconds / large)} {largeUnit}"
            : $"{Number(seconds / large)} {largeUnit} {Number(rest)} {smallUnit}";
    }

    /// <summary>A size in bytes with a decimal unit.</summary>
    public static string Size(double bytes) =>
        Math.Abs(bytes) switch
        {
            < 1e3 => Number(bytes) + " B",
            < 1e6 => Number(bytes / 1e3) + " kB",
            < 1e9 => Number(bytes / 1e6) + " MB",
            < 1e12 => Number(bytes / 1e9) + " GB",
            _ => Number(bytes / 1e12) + " TB",
        };

    /// <summary>Any value; quantities with units, times in a zone.</summary>
    public static string Value(Value value, DateTimeZone zone) =>
        (value.Marks.HasFlag(ValueMarks.Beyond) ? Beyond : "") + Plain(value, zone);

    /// <summary>Stands before a value that lies somewhere above what is told.</summary>
    public const string Beyond = "beyond ";

    /// <summary>A figure that may lie beyond what is known.</summary>
    public static string Marked(bool isBeyond, string figure) => isBeyond ? Beyond + figure : figure;

    private static string Plain(Value value, DateTimeZone zone) =>
        value.Kind switch
        {
            ValueKind.Missing => "–",
            ValueKind.Integer => Number(value.AsLong),
            ValueKind.Decimal => Number(value.AsDouble),
            ValueKind.Duration => Duration(value.AsDouble),
            ValueKind.Size => Size(value.AsDouble),
            ValueKind.Time => Moment(value.AsLong, zone),
            _ => value.ToText(),
        };

    /// <summary>A number of a known kind, for axes and legends.</summary>
    public static string Quantity(double number, ValueKind kind) =>
        kind switch
        {
            ValueKind.Duration => Duration(number),
            ValueKind.Size => Size(number),
            _ => Number(number),
        };

    private static LocalDateTime Local(long time, DateTimeZone zone) => Instants.ToInstant(time).InZone(zone).LocalDateTime;

    /// <summary>Hours and minutes, 17:51.</summary>
    public static string Clock(long time, DateTimeZone zone) => Local(time, zone).ToString("HH:mm", CultureInfo.InvariantCulture);

    /// <summary>Hours, minutes and seconds, 17:51:04.</summary>
    public static string ClockSeconds(long time, DateTimeZone zone) =>
        Local(time, zone).ToString("HH:mm:ss", CultureInfo.InvariantCulture);

    /// <summary>The part of a time behind the minute, :51.204.</summary>
    public static string SecondsPart(long time, DateTimeZone zone) =>
        Local(time, zone).ToString(":ss.fff", CultureInfo.InvariantCulture);

    /// <summary>A day, Mon 23 Nov.</summary>
    public static string Day(long time, DateTimeZone zone) =>
        Local(time, zone).ToString("ddd d MMM", CultureInfo.InvariantCulture);

    /// <summary>Day and time, Mon 23 Nov 17:51:04; with the year where it is far from the present.</summary>
    public static string Moment(long time, DateTimeZone zone)
    {
        var local = Local(time, zone);
        return local.ToString(
            local.Second == 0 ? "ddd d MMM yyyy HH:mm" : "ddd d MMM yyyy HH:mm:ss",
            CultureInfo.InvariantCulture
        );
    }

    /// <summary>A time for a narrow place: the clock, and the day where it is not the day of another time.</summary>
    /// <param name="beside">On whose day no day is said.</param>
    /// <param name="clock">How the clock is written, such as <c>HH:mm:ss</c>; empty for the day alone.</param>
    public static string Short(long time, DateTimeZone zone, long beside, string clock)
    {
        var (local, other) = (Local(time, zone), Local(beside, zone));
        if (clock.Length > 0 && local.Date == other.Date)
            return local.ToString(clock, CultureInfo.InvariantCulture);
        var day = local.Year == other.Year ? "d MMM" : "d MMM yyyy";
        return local.ToString(clock.Length > 0 ? $"{day} {clock}" : $"ddd {day}", CultureInfo.InvariantCulture);
    }

    /// <summary>All of a time to the millisecond, 2026-11-23 17:51:04.204, in as few digits as it has.</summary>
    public static string Full(long time, DateTimeZone zone) =>
        Local(time, zone).ToString("yyyy-MM-dd HH:mm:ss.FFF", CultureInfo.InvariantCulture);

    /// <summary>Two times, the second with its day only where it differs.</summary>
    public static string Stretch(long from, long to, DateTimeZone zone, long now)
    {
        var (a, b, today) = (Local(from, zone).Date, Local(to, zone).Date, Local(now, zone).Date);
        var first = a == today && b == today ? Clock(from, zone) : $"{Day(from, zone)} {Clock(from, zone)}";
        return a == b ? $"{first} to {Clock(to, zone)}" : $"{first} to {Day(to, zone)} {Clock(to, zone)}";
    }
}
