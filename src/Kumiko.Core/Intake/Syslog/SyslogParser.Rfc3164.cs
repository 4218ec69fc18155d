using System.Globalization;
using System.Net;
using System.Text;
using Kumiko.Core.Records;

namespace Kumiko.Core.Intake.Syslog;

/// <summary>RFC 3164 as senders write it: <c>TIMESTAMP SP HOSTNAME SP TAG[PID]: text</c>, each part of which may be
/// missing.</summary>
public sealed partial class SyslogParser
{
    private const int LongestTag = 128;

    /// <summary>A day without a clock is no stamp.</summary>
    private const int ShortestStamp = 11;

    private void ReadRfc3164(ReadOnlySpan<byte> message, long now, IPAddress? peer, ref Draft draft)
    {
        draft.Time = now;
        var at = 0;
        while (at < message.Length && message[at] == ' ')
            at++;
        var stamp = ReadStamp(message[at..], now, out var local, out var length);
        if (stamp == Stamp.None)
        {
            // Blanks before the text are its own.
            _inferred.Add("time of arrival");
            draft.Body = 0;
            return;
        }
        at += length;
        var word = Word(message, at);
        // A word that is a tag already says that there is no host.
        if (word.Length > 0 && TagIn(message, at) == 0)
        {
            draft.Host = Text(word);
            at += word.Length;
            var behind = at;
            while (behind < message.Length && message[behind] == ' ')
                behind++;
            // One blank parts the host from the text; more are the text's own, where no tag stands behind them.
            at = TagIn(message, behind) > 0 ? behind : Math.Min(at + 1, behind);
        }
        if (TagIn(message, at) is > 0 and var tag)
        {
            ReadTag(message.Slice(at, tag - 1), ref draft);
            at += tag;
            if (at < message.Length && message[at] == ' ')
                at++;
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
        var zone = string.Create(
            CultureInfo.InvariantCulture,
            $"zone {(offset < 0 ? '-' : '+')}{Math.Abs(offset) / 60:00}:{Math.Abs(offset) % 60:00}"
        );
        _inferred.Add(
            stamp == Stamp.Dated
                ? zone
                : string.Create(CultureInfo.InvariantCulture, $"year {Instants.ToDateTime(local).Year}, {zone}")
        );
        return local - (offset * Instants.Minute);
    }

    /// <summary>Reads a time and the blanks behind it.</summary>
    private static Stamp ReadStamp(ReadOnlySpan<byte> text, long now, out long time, out int length)
    {
        (time, length) = (0, 0);
        if (
            !WrittenTime.TryScan(text, out var written)
            || written.Length < ShortestStamp
            || written.Month == 0
            || written.IsAmbiguous
        )
            return Stamp.None;
        var at = written.Length;
        if (at < text.Length && text[at] == ':')
            at++;
        if (at < text.Length && text[at] != ' ')
            return Stamp.None;
        while (at < text.Length && text[at] == ' ')
            at++;
        length = at;
        // A zone whose name has several meanings is guessed like none.
        var local = written with { HasUnknownZone = false };
        if (written.Year > 0)
        {
            if (!local.TryGetInstant(out time))
                return Stamp.None;
            if (written.Offset is null)
                return Stamp.Dated;
            return Stamp.Zoned;
        }
        var ofDay = (((((written.Hour * 60L) + written.Minute) * 60) + written.Second) * Instants.Second) + written.Nanosecond;
        if (ZoneGuess.WithYear(written.Month, written.Day, ofDay, now) is not { } found)
            return Stamp.None;
        time = found - ((written.Offset ?? 0) * Instants.Minute);
        return written.Offset is null ? Stamp.Bare : Stamp.Zoned;
    }

    private static ReadOnlySpan<byte> Word(ReadOnlySpan<byte> message, int at)
    {
        var rest = message[at..];
        var end = rest.IndexOf((byte)' ');
        return end < 0 ? rest : rest[..end];
    }

    /// <summary>The length of a tag with its colon: a word that ends with a colon, brackets before it with anything but blanks; 0
    /// for none.</summary>
    private static int TagIn(ReadOnlySpan<byte> message, int at)
    {
        var word = Word(message, at);
        if (word.Length > LongestTag)
            word = word[..LongestTag];
        // Of an address as host, such as fe80::1, no colon ends the word.
        if (word.Length > 1 && word[^1] == ':')
            return word.Length;
        var bracket = word.LastIndexOf("]:"u8);
        return bracket > 0 ? bracket + 2 : 0;
    }

    /// <summary>Splits <c>name[pid]</c>; the last brackets hold the process.</summary>
    private void ReadTag(ReadOnlySpan<byte> tag, ref Draft draft)
    {
        var open = tag.Length > 2 && tag[^1] == ']' ? tag.LastIndexOf((byte)'[') : -1;
        draft.Service = Text(open > 0 ? tag[..open] : tag);
        if (open > 0)
            AddProcess(tag[(open + 1)..^1]);
    }
}
