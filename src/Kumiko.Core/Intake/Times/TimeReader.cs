using System.Text;
using Kumiko.Core.Records;
using NodaTime;

namespace Kumiko.Core.Intake.Times;

/// <summary>What the text of a time left open, and was taken from elsewhere.</summary>
[Flags]
internal enum Inferred
{
    Nothing = 0,
    Zone = 1,
    Year = 2,
    Day = 4,
    Order = 8,
}

/// <summary>
/// Reads the times of one source, in any spelling, to instants: its zone where none is written, its order of days, and the
/// latest year that is not in the future where there is none. Not for several threads.
/// </summary>
internal sealed class TimeReader(TimeSettings settings)
{
    /// <summary>1990 and 2065: numbers at the beginning of lines that are seconds since 1970.</summary>
    private const long FirstEpoch = 631_152_000;
    private const long LastEpoch = 3_000_000_000;

    private const int TaiLength = 25;

    /// <summary>TAI64 counts from 2^62, and is ten seconds ahead of UTC in 1970; leap seconds since then are left out, as
    /// daemons that write it do.</summary>
    private const ulong TaiEpoch = (1UL << 62) + 10;

    private readonly LocalClock _clock = new(settings.Zone);
    private byte[] _region = [];
    private LocalClock? _ofRegion;

    /// <summary>What was inferred for the time read last.</summary>
    public Inferred Inferred { get; private set; }

    /// <summary>Reads a time at the beginning of a text; what follows it is not looked at.</summary>
    /// <param name="now">When it was read, by which times without a year or a day are placed.</param>
    /// <param name="length">Bytes that it takes.</param>
    public bool TryRead(ReadOnlySpan<byte> text, long now, out long time, out int length)
    {
        Inferred = Inferred.Nothing;
        if (TryCount(text, out time, out length))
            return true;
        if (!WrittenTime.TryScan(text, out var written))
            return false;
        length = written.Length;
        return TryPlace(written, text, now, out time);
    }

    /// <summary>Whether a text begins with what may be a time.</summary>
    public static bool IsTime(ReadOnlySpan<byte> text, out int length)
    {
        if (TryCount(text, out _, out length))
            return true;
        var found = WrittenTime.TryScan(text, out var written);
        length = found ? written.Length : 0;
        return found;
    }

    /// <summary>Places a time that was scanned already.</summary>
    /// <param name="text">What it was scanned from.</param>
    public bool TryPlace(in WrittenTime scanned, ReadOnlySpan<byte> text, long now, out long time)
    {
        time = 0;
        var written = scanned;
        if (scanned.Numbers.A > 0)
        {
            if (settings.Order != DayOrder.None)
                written = scanned.In(settings.Order) ?? scanned;
            else
                Inferred |= Inferred.Order;
        }
        if (written.IsAmbiguous)
            return false;
        if (written.Year > 0)
            return written.TryGetLocal(out var local) && ToInstant(written, text, local, out time);
        return written.Month > 0 ? TryYears(written, text, now, out time) : TryDays(written, text, now, out time);
    }

    private bool ToInstant(in WrittenTime written, ReadOnlySpan<byte> text, long local, out long time)
    {
        if (written.Offset is { } offset)
            time = local - (offset * Instants.Minute);
        else if (written.RegionAt > 0 && Region(text[written.RegionAt..written.Length]) is { } region)
            time = region.ToInstant(local);
        else
        {
            Inferred |= Inferred.Zone;
            time = _clock.ToInstant(local);
        }
        return true;
    }

    private LocalClock? Region(ReadOnlySpan<byte> name)
    {
        if (name.SequenceEqual(_region))
            return _ofRegion;
        _region = name.ToArray();
        var zone = DateTimeZoneProviders.Tzdb.GetZoneOrNull(Encoding.ASCII.GetString(name));
        return _ofRegion = zone is null ? null : new LocalClock(zone);
    }

    /// <summary>The latest year in which the time is not in the future.</summary>
    private bool TryYears(in WrittenTime written, ReadOnlySpan<byte> text, long now, out long time)
    {
        const int Longest = 8;
        Inferred |= Inferred.Year;
        time = 0;
        // A zone may be in the next year already.
        var year = Instants.ToDateTime(now).Year + 1;
        // The last day of February may lie eight years back.
        for (var back = 0; back <= Longest + 1; back++)
        {
            var dated = written with { Year = year - back };
            if (dated.TryGetLocal(out var local) && ToInstant(dated, text, local, out time) && time <= now + settings.Ahead)
                return true;
        }
        return false;
    }

    /// <summary>The latest day on which the clock is not in the future.</summary>
    private bool TryDays(in WrittenTime written, ReadOnlySpan<byte> text, long now, out long time)
    {
        Inferred |= Inferred.Day;
        var today = now - (((now % Instants.Day) + Instants.Day) % Instants.Day);
        for (var back = -1; back <= 2; back++)
            if (ToInstant(written, text, today - (back * Instants.Day) + written.OfDay, out time) && time <= now + settings.Ahead)
                return true;
        time = 0;
        return false;
    }

    /// <summary>Seconds, milliseconds, microseconds or nanoseconds since 1970, or TAI64 with nanoseconds.</summary>
    private static bool TryCount(ReadOnlySpan<byte> text, out long time, out int length)
    {
        (time, length) = (0, 0);
        if (text.Length < 10)
            return false;
        if (text[0] == '@')
            return TryTai(text, out time, out length);
        if (text[0] is < (byte)'1' or > (byte)'9')
            return false;
        var digits = text.IndexOfAnyExceptInRange((byte)'0', (byte)'9');
        digits = digits < 0 ? text.Length : digits;
        if (digits is not (9 or 10 or 13 or 16 or 19))
            return false;
        long number = 0;
        foreach (var c in text[..digits])
            number = (number * 10) + c - '0';
        var perSecond = digits switch
        {
            13 => 1_000L,
            16 => 1_000_000L,
            19 => Instants.Second,
            _ => 1L,
        };
        if (number / perSecond is < FirstEpoch or > LastEpoch)
            return false;
        length = digits;
        time = number * (Instants.Second / perSecond);
        if (perSecond == 1 && text.Length > digits + 1 && text[digits] is (byte)'.' or (byte)',')
            length += Decimals(text[(digits + 1)..], ref time);
        // Part of a longer word, such as an address or an id, is no time.
        return text.Length == length || !char.IsAsciiLetterOrDigit((char)text[length]);
    }

    private static int Decimals(ReadOnlySpan<byte> text, ref long time)
    {
        var (at, factor) = (0, Instants.Second / 10);
        for (; at < text.Length && text[at] is >= (byte)'0' and <= (byte)'9'; at++, factor /= 10)
            time += (text[at] - '0') * factor;
        return at == 0 ? 0 : at + 1;
    }

    private static bool TryTai(ReadOnlySpan<byte> text, out long time, out int length)
    {
        (time, length) = (0, TaiLength);
        if (
            text.Length < TaiLength
            || !System.Buffers.Text.Utf8Parser.TryParse(text[1..17], out ulong seconds, out var read, 'x')
            || read != 16
            || !System.Buffers.Text.Utf8Parser.TryParse(text[17..25], out uint rest, out read, 'x')
            || read != 8
            || seconds < TaiEpoch
            || seconds - TaiEpoch > LastEpoch
        )
            return false;
        time = ((long)(seconds - TaiEpoch) * Instants.Second) + (rest % Instants.Second);
        return true;
    }
}
