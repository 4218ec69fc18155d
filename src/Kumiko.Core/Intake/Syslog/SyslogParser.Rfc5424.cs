using System.Text;
using Kumiko.Core.Records;

namespace Kumiko.Core.Intake.Syslog;

/// <summary>RFC 5424: <c>VERSION SP TIMESTAMP SP HOSTNAME SP APP-NAME SP PROCID SP MSGID SP STRUCTURED-DATA [SP MSG]</c>.</summary>
public sealed partial class SyslogParser
{
    /// <summary>With more parameters the structured data is left as text.</summary>
    private const int MostFields = 256;

    private bool TryRfc5424(ReadOnlySpan<byte> message, ref Draft draft)
    {
        if (!message.StartsWith("1 "u8)) return false;
        Span<Range> parts = stackalloc Range[5];
        var at = 2;
        for (var i = 0; i < parts.Length; i++)
        {
            var space = message[at..].IndexOf((byte)' ');
            // The last part may end the message where there is no structured data at all.
            if (space <= 0 && !(i == parts.Length - 1 && space < 0 && at < message.Length)) return false;
            parts[i] = space < 0 ? at..message.Length : at..(at + space);
            at = space < 0 ? message.Length : at + space + 1;
        }
        var stamp = message[parts[0]];
        if (!IsNil(stamp))
        {
            if (!Instants.TryParse(Encoding.Latin1.GetString(stamp), out var time)) return false;
            draft.Time = time;
        }
        else _inferred.Add("time of arrival");
        if (!IsNil(message[parts[1]])) draft.Host = Text(message[parts[1]]);
        if (!IsNil(message[parts[2]])) draft.Service = Text(message[parts[2]]);
        if (!IsNil(message[parts[3]])) AddProcess(message[parts[3]]);
        if (!IsNil(message[parts[4]])) Add("syslog.msgid", Value.Of(Text(message[parts[4]])));
        draft.Body = ReadStructuredData(message, at);
        return true;
    }

    private static bool IsNil(ReadOnlySpan<byte> part) => part is [(byte)'-'];

    /// <returns>Where the text begins.</returns>
    private int ReadStructuredData(ReadOnlySpan<byte> message, int start)
    {
        var (at, fields) = (start, _names.Count);
        if (at < message.Length && message[at] == '-') at++;
        else
            while (at >= 0 && at < message.Length && message[at] == '[') at = ReadElement(message, at + 1);
        if (at >= message.Length) return message.Length;
        if (at <= start || message[at] != ' ')
        {
            // What cannot be read is text; nothing of it is lost.
            _names.RemoveRange(fields, _names.Count - fields);
            _values.RemoveRange(fields, _values.Count - fields);
            _inferred.Add("structured data not read");
            return start;
        }
        at++;
        // Some senders keep the blank that used to follow the tag.
        return at < message.Length && message[at] == ' ' ? at + 1 : at;
    }

    /// <summary>Reads <c>SD-ID *(SP PARAM-NAME="VALUE")]</c>.</summary>
    /// <returns>The place behind the bracket; -1 where it is not of this form.</returns>
    private int ReadElement(ReadOnlySpan<byte> message, int at)
    {
        var length = message[at..].IndexOfAny(" ]=\""u8);
        if (length <= 0 || _names.Count > MostFields) return -1;
        var id = Text(message.Slice(at, length));
        at += length;
        var isToken = id == TokenElement;
        var prefix = id.IndexOf('@') is > 0 and var cut ? id[..cut] : id;
        if (message[at] == ']')
        {
            Add(Unused(prefix, id), Value.True);
            return at + 1;
        }
        while (at < message.Length && message[at] == ' ')
        {
            if (_names.Count > MostFields) return -1;
            at++;
            var equals = message[at..].IndexOfAny(" ]=\""u8);
            if (equals <= 0 || message[at + equals] != '=' || at + equals + 1 >= message.Length || message[at + equals + 1] != '"') return -1;
            var name = Text(message.Slice(at, equals));
            at += equals + 2;
            var end = EndOfValue(message, at);
            if (end < 0) return -1;
            if (!isToken) Add(Unused(prefix + "." + name, id + "." + name), Value.Of(Unescaped(message[at..end])));
            at = end + 1;
        }
        return at < message.Length && message[at] == ']' ? at + 1 : -1;
    }

    /// <summary>The short name, or the full one where the short one is taken.</summary>
    private string Unused(string name, string full) => _names.Contains(name) ? full : name;

    private static int EndOfValue(ReadOnlySpan<byte> message, int at)
    {
        for (; at < message.Length; at++)
        {
            if (message[at] == '\\') at++;
            else if (message[at] == '"') return at;
        }
        return -1;
    }

    private string Unescaped(ReadOnlySpan<byte> value)
    {
        if (!value.Contains((byte)'\\')) return Text(value);
        var plain = new byte[value.Length];
        var length = 0;
        for (var i = 0; i < value.Length; i++)
        {
            // Only these three are escaped; before anything else the backslash stands for itself.
            if (value[i] == '\\' && i + 1 < value.Length && value[i + 1] is (byte)'"' or (byte)'\\' or (byte)']') i++;
            plain[length++] = value[i];
        }
        return Text(plain.AsSpan(0, length));
    }
}
