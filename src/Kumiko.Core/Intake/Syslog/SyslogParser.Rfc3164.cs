using System.Globalization;
using System.Net;
using System.Text;
using Kumiko.Core.Records;

namespace Kumiko.Core.Intake.Syslog;

/// <summary>RFC 3164 as senders write it: <c>TIMESTAMP SP HOSTNAME SP TAG[PID]: text</c>, each part of which may be missing.</summary>
public sealed partial class SyslogParser
{
    private const int LongestTag = 128;
    private const string Months = "JanFebMarAprMayJunJulAugSepOctNovDec";

    private void ReadRfc3164(ReadOnlySpan<byte> message, long now, IPAddress? peer, ref Draft draft)
    {
        draft.Time = now;
        var at = 0;
        while (at < message.Length && message[at] == ' ') at++;
        var stamp = ReadStamp(message[at..], now, out var local, out var length);
        if (stamp == Stamp.None)
        {
            _inferred.Add("time of arrival");
            draft.Body = at;
            return;
        }
        at += length;
        var word = Word(message, at);
        // A word that is a tag already says that there is no host.
        if (word.Length > 0 && TagIn(message, at) == 0)
        {
            draft.Host = Text(word);
            at += word.Length;
            while (at < message.Length && message[at] == ' ') at++;
        }
        if (TagIn(message, at) is > 0 and var tag)
        {
            ReadTag(message.Slice(at, tag - 1), ref draft);
            at += tag;
            if (at < message.Length && message[at] == ' ') at++;
        }
        draft.Body = Math.Min(at, message.Length);
        draft.Time = stamp == Stamp.Zoned ? local : Placed(local, stamp, draft.Host ?? peer?.ToString() ?? "", now);
    }

    private enum Stamp
    {
        None,

        /// <summary>With its zone.</summary>
        Zoned,

        /// <summary>With its year.</summary>
        Dated,

        /// <summary>With neither.</summary>
        Bare,
    }

    private long Placed(long local, Stamp stamp, string host, long now)
    {
        var offset = _zones.Offset(host, local, now);
        var zone = string.Create(CultureInfo.InvariantCulture, $"zone {(offset < 0 ? '-' : '+')}{Math.Abs(offset) / 60:00}:{Math.Abs(offset) % 60:00}");
        _inferred.Add(stamp == Stamp.Dated ? zone : string.Create(CultureInfo.InvariantCulture, $"year {Instants.ToDateTime(local).Year}, {zone}"));
        return local - (offset * Instants.Minute);
    }

    /// <summary>Reads a time and the blank behind it.</summary>
    private static Stamp ReadStamp(ReadOnlySpan<byte> text, long now, out long time, out int length)
    {
        (time, length) = (0, 0);
        if (text.Length > 0 && text[0] is >= (byte)'0' and <= (byte)'9') return ReadIso(text, out time, out length);
        if (text.Length < 15) return Stamp.None;
        var month = Months.IndexOf(Encoding.Latin1.GetString(text[..3]), StringComparison.Ordinal);
        if (month < 0 || month % 3 != 0 || text[3] != ' ') return Stamp.None;
        var at = 4;
        if (text[at] == ' ') at++;
        if (!Number(text, ref at, 2, out var day) || !Skip(text, ref at, ' ')) return Stamp.None;
        int? year = null;
        var afterYear = at;
        if (Number(text, ref afterYear, 4, out var y) && y >= 1970 && Skip(text, ref afterYear, ' ')) (year, at) = (y, afterYear);
        if (!Number(text, ref at, 2, out var hour) || !Skip(text, ref at, ':') || !Number(text, ref at, 2, out var minute) || !Skip(text, ref at, ':') || !Number(text, ref at, 2, out var second)) return Stamp.None;
        if (hour > 23 || minute > 59 || second > 60) return Stamp.None;
        var ofDay = ((((hour * 60L) + minute) * 60) + second) * Instants.Second;
        ofDay += Fraction(text, ref at);
        if (year is { } known && (day < 1 || day > DateTime.DaysInMonth(known, (month / 3) + 1))) return Stamp.None;
        if ((year is { } given ? Instants.FromDateTime(new DateTimeOffset(given, (month / 3) + 1, day, 0, 0, 0, TimeSpan.Zero)) + ofDay : ZoneGuess.WithYear((month / 3) + 1, day, ofDay, now)) is not { } found) return Stamp.None;
        if (at < text.Length && text[at] == ':') at++;
        if (at < text.Length && text[at] != ' ') return Stamp.None;
        while (at < text.Length && text[at] == ' ') at++;
        (time, length) = (found, at);
        return year is null ? Stamp.Bare : Stamp.Dated;
    }

    private static Stamp ReadIso(ReadOnlySpan<byte> text, out long time, out int length)
    {
        (time, length) = (0, 0);
        const int Shortest = 19, Longest = 40;
        var end = text.IndexOf((byte)' ');
        if (end < 0) end = text.Length;
        if (end is < Shortest or > Longest || text[4] != '-') return Stamp.None;
        var stamp = Encoding.Latin1.GetString(text[..end]);
        var zoned = stamp[^1] is 'Z' or 'z' || stamp.AsSpan(Shortest).IndexOfAny('+', '-') >= 0;
        if (!Instants.TryParse(zoned ? stamp : stamp + "Z", out time)) return Stamp.None;
        while (end < text.Length && text[end] == ' ') end++;
        length = end;
        return zoned ? Stamp.Zoned : Stamp.Dated;
    }

    private static bool Number(ReadOnlySpan<byte> text, ref int at, int most, out int number)
    {
        (number, var start) = (0, at);
        while (at < text.Length && at - start < most && text[at] is >= (byte)'0' and <= (byte)'9') number = (number * 10) + text[at++] - '0';
        return at > start;
    }

    private static bool Skip(ReadOnlySpan<byte> text, ref int at, char c)
    {
        if (at >= text.Length || text[at] != c) return false;
        at++;
        return true;
    }

    private static long Fraction(ReadOnlySpan<byte> text, ref int at)
    {
        if (at + 1 >= text.Length || text[at] != '.' || text[at + 1] is < (byte)'0' or > (byte)'9') return 0;
        var (fraction, unit) = (0L, Instants.Second);
        for (at++; at < text.Length && text[at] is >= (byte)'0' and <= (byte)'9'; at++)
            if (unit > 1) fraction += (text[at] - '0') * (unit /= 10);
        return fraction;
    }

    private static ReadOnlySpan<byte> Word(ReadOnlySpan<byte> message, int at)
    {
        var rest = message[at..];
        var end = rest.IndexOf((byte)' ');
        return end < 0 ? rest : rest[..end];
    }

    /// <summary>The length of a tag with its colon: a word that ends with a colon, brackets before it with anything but blanks; 0 for none.</summary>
    private static int TagIn(ReadOnlySpan<byte> message, int at)
    {
        var word = Word(message, at);
        if (word.Length > LongestTag) word = word[..LongestTag];
        // Of an address as host, such as fe80::1, no colon ends the word.
        if (word.Length > 1 && word[^1] == ':') return word.Length;
        var bracket = word.LastIndexOf("]:"u8);
        return bracket > 0 ? bracket + 2 : 0;
    }

    /// <summary>Splits <c>name[pid]</c>; the last brackets hold the process.</summary>
    private void ReadTag(ReadOnlySpan<byte> tag, ref Draft draft)
    {
        var open = tag.Length > 2 && tag[^1] == ']' ? tag.LastIndexOf((byte)'[') : -1;
        draft.Service = Text(open > 0 ? tag[..open] : tag);
        if (open > 0) AddProcess(tag[(open + 1)..^1]);
    }
}
