using System.Globalization;
using NodaTime;
using NodaTime.Text;

namespace Kumiko.Core.Records;

/// <summary>UTC nanoseconds since 1970 (int64: the years 1678 to 2261) to ISO 8601 text and back.</summary>
public static class Instants
{
    public const long Second = 1_000_000_000;
    public const long Minute = 60 * Second;
    public const long Hour = 60 * Minute;
    public const long Day = 24 * Hour;

    private static readonly OffsetDateTimePattern WithOffset = OffsetDateTimePattern.ExtendedIso;

    public static long FromDateTime(DateTimeOffset time) => ((time.UtcTicks - DateTimeOffset.UnixEpoch.UtcTicks) * 100);

    public static Instant ToInstant(long nanoseconds) => Instant.FromUnixTimeTicks(0).PlusNanoseconds(nanoseconds);

    public static DateTimeOffset ToDateTime(long nanoseconds) => DateTimeOffset.UnixEpoch.AddTicks(nanoseconds / 100);

    /// <summary>ISO 8601 in UTC with nanoseconds: <c>2026-11-23T17:51:04.204000000Z</c>.</summary>
    public static string Format(long nanoseconds)
    {
        var seconds = Math.DivRem(nanoseconds, Second, out var rest);
        if (rest < 0)
        {
            rest += Second;
            seconds--;
        }
        return string.Create(
            "2026-11-23T17:51:04.204000000Z".Length,
            (DateTime.UnixEpoch.AddSeconds(seconds), rest),
            static (text, time) =>
            {
                var (moment, fraction) = time;
                var (date, clock) = (DateOnly.FromDateTime(moment), moment.TimeOfDay);
                Write(text[..4], date.Year);
                text[4] = '-';
                Write(text[5..7], date.Month);
                text[7] = '-';
                Write(text[8..10], date.Day);
                text[10] = 'T';
                Write(text[11..13], clock.Hours);
                text[13] = ':';
                Write(text[14..16], clock.Minutes);
                text[16] = ':';
                Write(text[17..19], clock.Seconds);
                text[19] = '.';
                Write(text[20..29], fraction);
                text[29] = 'Z';
            }
        );
    }

    private static void Write(Span<char> text, long number)
    {
        for (var i = text.Length - 1; i >= 0; i--, number /= 10)
            text[i] = (char)('0' + (number % 10));
    }

    /// <summary>
    /// Reads ISO 8601 with date, optional time (a T or a blank between), optional fraction and optional offset
    /// (UTC when absent). False where the text is none, or the year does not fit into int64 nanoseconds.
    /// </summary>
    public static bool TryParse(string text, out long nanoseconds)
    {
        nanoseconds = 0;
        text = text.Trim();
        if (text.Length is < 10 or > 40 || !char.IsAsciiDigit(text[0]) || text[4] != '-')
            return false;
        var iso = text.Length > 10 && text[10] is ' ' or 't' ? string.Concat(text.AsSpan(0, 10), "T", text.AsSpan(11)) : text;
        if (iso.Length == 10)
            iso += "T00:00:00Z";
        else if (iso.Length == 16)
            iso += ":00Z";
        else if (iso.Length > 16 && iso[16] is 'Z' or 'z' or '+' or '-')
            iso = string.Concat(iso.AsSpan(0, 16), ":00", iso.AsSpan(16));
        iso = iso.Replace('z', 'Z').Replace(',', '.');
        if (!iso.EndsWith('Z') && iso.IndexOfAny(['+', '-'], 19 > iso.Length ? iso.Length : 19) < 0)
            iso += "Z";
        if (iso.Length > 5 && iso[^5] is '+' or '-' && !iso.EndsWith('Z'))
            iso = iso[..^2] + ":" + iso[^2..];
        var parsed = WithOffset.Parse(iso);
        if (!parsed.Success)
            return false;
        var year = parsed.Value.Year;
        if (year is < 1678 or > 2261)
            return false;
        nanoseconds = parsed.Value.ToInstant().ToUnixTimeTicks() * 100 + parsed.Value.NanosecondOfSecond % 100;
        return true;
    }

    /// <summary>
    /// Reads the one spelling that most programs write, <c>2026-11-23T17:51:04.204Z</c> with up to nine decimals and perhaps
    /// <c>+01:00</c> for Z, straight from its bytes. False for any other, which <see cref="TryParse"/> may know.
    /// </summary>
    public static bool TryParsePlain(ReadOnlySpan<byte> text, out long nanoseconds)
    {
        nanoseconds = 0;
        if (text.Length < 20 || !TryOffset(ref text, out var offset))
            return false;
        if (
            text.Length is < 19 or > 29
            || text[4] != '-'
            || text[7] != '-'
            || text[10] != 'T'
            || text[13] != ':'
            || text[16] != ':'
        )
            return false;
        if (
            !Digits(text[..4], out var year)
            || !Digits(text[5..7], out var month)
            || !Digits(text[8..10], out var day)
            || !Digits(text[11..13], out var hour)
            || !Digits(text[14..16], out var minute)
            || !Digits(text[17..19], out var second)
        )
            return false;
        long fraction = 0;
        if (text.Length > 19)
        {
            if (text[19] != '.' || text.Length == 20 || !Digits(text[20..], out fraction))
                return false;
            for (var digits = text.Length - 20; digits < 9; digits++)
                fraction *= 10;
        }
        if (
            year is < 1678 or > 2261
            || month is < 1 or > 12
            || day < 1
            || day > DateTime.DaysInMonth((int)year, (int)month)
            || hour > 23
            || minute > 59
            || second > 59
        )
            return false;
        var days = DaysSince1970(year, month, day);
        nanoseconds = (days * Day) + (hour * Hour) + (minute * Minute) + (second * Second) + fraction - offset;
        return true;
    }

    /// <summary>Days of the civil calendar, counted in years that begin in March. Hinnant: chrono-Compatible Low-Level Date
    /// Algorithms, 2013.</summary>
    internal static long DaysSince1970(long year, long month, long day)
    {
        var y = month <= 2 ? year - 1 : year;
        var era = y / 400;
        var yearOfEra = y - (era * 400);
        var dayOfYear = (((153 * (month > 2 ? month - 3 : month + 9)) + 2) / 5) + day - 1;
        return (era * 146_097) + (yearOfEra * 365) + (yearOfEra / 4) - (yearOfEra / 100) + dayOfYear - 719_468;
    }

    /// <summary>Takes the offset off the end of a text.</summary>
    private static bool TryOffset(ref ReadOnlySpan<byte> text, out long offset)
    {
        offset = 0;
        if (text[^1] == 'Z')
        {
            text = text[..^1];
            return true;
        }
        var end = text[^6..];
        if (
            end[0] is not ((byte)'+' or (byte)'-')
            || end[3] != ':'
            || !Digits(end[1..3], out var hours)
            || !Digits(end[4..], out var minutes)
            || hours > 14
            || minutes > 59
        )
            return false;
        offset = (hours * Hour) + (minutes * Minute);
        if (end[0] == '-')
            offset = -offset;
        text = text[..^6];
        return true;
    }

    private static bool Digits(ReadOnlySpan<byte> text, out long number)
    {
        number = 0;
        foreach (var c in text)
        {
            if ((uint)(c - '0') > 9)
                return false;
            number = (number * 10) + (c - '0');
        }
        return true;
    }

    /// <summary>Reads a number as seconds, milliseconds, microseconds or nanoseconds since 1970, told apart by size.</summary>
    public static bool TryFromEpoch(double number, out long nanoseconds)
    {
        var size = Math.Abs(number);
        var factor = size switch
        {
            < 1e11 => 1e9,
            < 1e14 => 1e6,
            < 1e17 => 1e3,
            _ => 1.0,
        };
        var scaled = number * factor;
        nanoseconds = 0;
        if (!double.IsFinite(scaled) || Math.Abs(scaled) > 9.2e18)
            return false;
        nanoseconds = factor == 1.0 ? (long)number : (long)Math.Round(scaled);
        return true;
    }

    /// <summary>The same for whole numbers, without passing through a double.</summary>
    public static bool TryFromEpoch(long number, out long nanoseconds)
    {
        var size = number == long.MinValue ? long.MaxValue : Math.Abs(number);
        var factor = size switch
        {
            < 100_000_000_000 => Second,
            < 100_000_000_000_000 => 1_000_000,
            < 100_000_000_000_000_000 => 1_000,
            _ => 1L,
        };
        try
        {
            nanoseconds = checked(number * factor);
            return true;
        }
        catch (OverflowException)
        {
            nanoseconds = 0;
            return false;
        }
    }
}
