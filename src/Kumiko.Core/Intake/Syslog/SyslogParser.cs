using System.Net;
using System.Text;
using System.Text.Unicode;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Blocks;

namespace Kumiko.Core.Intake.Syslog;

/// <summary>
/// One syslog message to one record: RFC 5424, RFC 3164 as senders really write it, or plain text. What the message does
/// not say and had to be inferred is told in its field <c>syslog.inferred</c>. Not for several threads.
/// </summary>
public sealed partial class SyslogParser
{
    /// <summary>The structured data element by which a sender shows its token.</summary>
    public const string TokenElement = "kumiko@32473";

    private const int DefaultPriority = 13;

    // Few, as each connection has a parser, and its peer has few names.
    private readonly StringCache _strings = new(1 << 10);
    private readonly ZoneGuess _zones = new();
    private readonly ResourceBook _resources = new();
    private readonly List<string> _inferred = [];
    private RecordBlockBuilder _into = null!;

    /// <param name="source">The name of the place it comes from.</param>
    /// <param name="now">When it arrived, UTC nanoseconds.</param>
    /// <param name="peer">Who sent it: the host, where the message names none.</param>
    /// <param name="into">Takes the record.</param>
    internal void Parse(ReadOnlySpan<byte> message, string source, long now, IPAddress? peer, RecordBlockBuilder into)
    {
        _into = into;
        _inferred.Clear();
        into.Begin();
        var priority = ReadPriority(ref message);
        into.Add("syslog.facility", SyslogNames.FacilityValues[priority / 8]);
        var draft = new Draft { Time = now };
        if (!TryRfc5424(message, ref draft))
            ReadRfc3164(message, now, peer, ref draft);
        var (level, number) = SyslogNames.Severities[priority % 8];
        if (draft.Host is null && peer is not null)
        {
            draft.Host = peer.ToString();
            _inferred.Add("host from the address");
        }
        ReadBody(draft.Body < 0 ? default : message[draft.Body..]);
        into.Text(TextPart.Level, level);
        if (_inferred.Count > 0)
            into.Add("syslog.inferred", Value.Of(string.Join(", ", _inferred)));
        into.End(draft.Time, now, number, _resources.Of(draft.Host ?? "", draft.Service ?? ""), source);
    }

    /// <summary>What a message says. <see cref="Body"/> is where its text begins; -1 for no text.</summary>
    private struct Draft
    {
        public long Time;
        public string? Host;
        public string? Service;
        public int Body;
    }

    /// <summary>The token that a message shows in its structured data, or null.</summary>
    public static string? FindToken(ReadOnlySpan<byte> message)
    {
        const int Longest = 200;
        var at = message.IndexOf("[kumiko@32473 token=\""u8);
        if (at < 0)
            return null;
        var rest = message[(at + "[kumiko@32473 token=\"".Length)..];
        var end = rest.IndexOf((byte)'"');
        return end is > 0 and <= Longest && Ascii.IsValid(rest[..end]) ? Encoding.ASCII.GetString(rest[..end]) : null;
    }

    private int ReadPriority(ref ReadOnlySpan<byte> message)
    {
        if (message.Length > 2 && message[0] == '<')
        {
            var end = message[..Math.Min(5, message.Length)].IndexOf((byte)'>');
            if (
                end > 1
                && System.Buffers.Text.Utf8Parser.TryParse(message[1..end], out int priority, out var read)
                && read == end - 1
                && priority is >= 0 and < 192
            )
            {
                message = message[(end + 1)..];
                return priority;
            }
        }
        _inferred.Add("priority");
        return DefaultPriority;
    }

    private void ReadBody(ReadOnlySpan<byte> text)
    {
        if (text.StartsWith((ReadOnlySpan<byte>)[0xEF, 0xBB, 0xBF]))
            text = text[3..];
        text = WithoutToken(text);
        if (Utf8.IsValid(text))
        {
            _into.Text(TextPart.Body, text);
            return;
        }
        // RFC 3164 names no encoding; what is not UTF-8 is most often this, and every byte has a place in it.
        _inferred.Add("encoding Latin-1");
        _into.Text(TextPart.Body, Encoding.Latin1.GetString(text));
    }

    // Where structured data stays text, what opens this door must not be read by all who may search.
    private static ReadOnlySpan<byte> WithoutToken(ReadOnlySpan<byte> text)
    {
        var at = text.IndexOf("[kumiko@32473 token=\""u8);
        if (at < 0)
            return text;
        var rest = text[at..];
        var end = rest.IndexOf((byte)']');
        return (byte[])[.. text[..at], .. end < 0 ? default : rest[(end + 1)..]];
    }

    /// <summary>Adds a text as a field.</summary>
    private void Add(string name, ReadOnlySpan<byte> text)
    {
        var start = _into.Bytes.Length;
        if (Utf8.IsValid(text))
            _into.Bytes.Bytes(text);
        else
            _into.Bytes.Utf8(Encoding.Latin1.GetString(text));
        _into.Add(name, start);
    }

    private string Text(ReadOnlySpan<byte> bytes) => Utf8.IsValid(bytes) ? _strings.Get(bytes) : Encoding.Latin1.GetString(bytes);

    private void AddProcess(ReadOnlySpan<byte> id)
    {
        if (
            id.Length is > 0 and < 19
            && System.Buffers.Text.Utf8Parser.TryParse(id, out long number, out var read)
            && read == id.Length
            && id[0] != '0'
        )
            _into.Add("process.pid", Value.Of(number));
        else if (id.Length > 0)
            Add("syslog.procid", id);
    }
}
