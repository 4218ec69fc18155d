using System.Text;
using System.Text.Unicode;
using Kumiko.Core.Intake.Times;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Intake.Syslog;

/// <summary>RFC 5424: <c>VERSION SP TIMESTAMP SP HOSTNAME SP APP-NAME SP PROCID SP MSGID SP STRUCTURED-DATA [SP
/// MSG]</c>.</summary>
public sealed partial class SyslogParser
{
    /// <summary>With more parameters the structured data is left as text.</summary>
    private const int MostFields = 256;
    private const int SurelyPadded = 3;

    private bool _unpadded;
    private int _padded;

    private bool TryRfc5424(ReadOnlySpan<byte> message, ref Draft draft)
    {
        if (!message.StartsWith("1 "u8))
            return false;
        Span<Range> parts = stackalloc Range[5];
        var at = 2;
        for (var i = 0; i < parts.Length; i++)
        {
            var space = message[at..].IndexOf((byte)' ');
            // The last part may end the message where there is no structured data at all.
            if (space <= 0 && !(i == parts.Length - 1 && space < 0 && at < message.Length))
                return false;
            parts[i] = space < 0 ? at..message.Length : at..(at + space);
            at = space < 0 ? message.Length : at + space + 1;
        }
        var stamp = message[parts[0]];
        if (!IsNil(stamp))
        {
            if (!TimeText.TryRead(stamp, out var time, out _))
                return false;
            draft.Time = time;
        }
        else
            _inferred.Add("time of arrival");
        if (!IsNil(message[parts[1]]))
            draft.Host = Text(message[parts[1]]);
        if (!IsNil(message[parts[2]]))
            draft.Service = Text(message[parts[2]]);
        if (!IsNil(message[parts[3]]))
            AddProcess(message[parts[3]]);
        if (!IsNil(message[parts[4]]))
            Add("syslog.msgid", message[parts[4]]);
        draft.Body = ReadStructuredData(message, at);
        return true;
    }

    private static bool IsNil(ReadOnlySpan<byte> part) => part is [(byte)'-'];

    /// <returns>Where the text begins.</returns>
    private int ReadStructuredData(ReadOnlySpan<byte> message, int start)
    {
        var (at, fields) = (start, _into.Fields);
        if (at < message.Length && message[at] == '-')
            at++;
        else
            while (at >= 0 && at < message.Length && message[at] == '[')
                at = ReadElement(message, at + 1);
        if (at >= message.Length)
            return message.Length;
        if (at <= start || message[at] != ' ')
        {
            // What cannot be read is text; nothing of it is lost.
            _into.Back(fields);
            _inferred.Add("structured data not read");
            return start;
        }
        return at + 1 + OfSender(message[(at + 1)..]);
    }

    /// <summary>
    /// Some relays keep the blank that followed the tag before all messages; others begin with a blank only where the text does.
    /// One blank
    /// alone is taken for the relay's until a message without any has come this way; of several one is, where all so far had one.
    /// </summary>
    /// <returns>How many blanks are not the text's own.</returns>
    private int OfSender(ReadOnlySpan<byte> text)
    {
        if (text.IsEmpty || text[0] != ' ')
        {
            _unpadded |= !text.IsEmpty;
            return 0;
        }
        if (_unpadded)
            return 0;
        var single = text.Length < 2 || text[1] != ' ';
        var padded = single || _padded >= SurelyPadded;
        if (single)
            _padded++;
        return padded ? 1 : 0;
    }

    /// <summary>Reads <c>SD-ID *(SP PARAM-NAME="VALUE")]</c>.</summary>
    /// <returns>The place behind the bracket; -1 where it is not of this form.</returns>
    private int ReadElement(ReadOnlySpan<byte> message, int at)
    {
        var length = message[at..].IndexOfAny(" ]=\""u8);
        if (length <= 0 || _into.Fields > MostFields)
            return -1;
        var id = message.Slice(at, length);
        at += length;
        var isToken = Ascii.Equals(id, TokenElement);
        var prefix = id.IndexOf((byte)'@') is > 0 and var cut ? id[..cut] : id;
        if (message[at] == ']')
        {
            _into.Add(Unused(Name(prefix), id, default), Value.True);
            return at + 1;
        }
        while (at < message.Length && message[at] == ' ')
        {
            if (_into.Fields > MostFields)
                return -1;
            at++;
            var equals = message[at..].IndexOfAny(" ]=\""u8);
            if (
                equals <= 0
                || message[at + equals] != '='
                || at + equals + 1 >= message.Length
                || message[at + equals + 1] != '"'
            )
                return -1;
            var name = message.Slice(at, equals);
            at += equals + 2;
            var end = EndOfValue(message, at);
            if (end < 0)
                return -1;
            if (!isToken)
                AddUnescaped(Unused(Name(prefix, name), id, name), message[at..end]);
            at = end + 1;
        }
        return at < message.Length && message[at] == ']' ? at + 1 : -1;
    }

    /// <summary>The short name, or that with the whole id where the short one is taken.</summary>
    private string Unused(string name, ReadOnlySpan<byte> id, ReadOnlySpan<byte> parameter) =>
        !_into.HasField(name) ? name : Name(id, parameter);

    /// <summary>The name of a parameter within its element, the same object each time; without a parameter, of the
    /// element.</summary>
    private string Name(ReadOnlySpan<byte> element, ReadOnlySpan<byte> parameter = default)
    {
        if (parameter.IsEmpty)
            return Utf8.IsValid(element) ? _strings.Name(element) : Text(element);
        Span<byte> both = stackalloc byte[StringCache.Longest];
        var length = element.Length + 1 + parameter.Length;
        if (length > both.Length || !Utf8.IsValid(element) || !Utf8.IsValid(parameter))
            return NamePool.Shared.One(Text(element) + "." + Text(parameter));
        element.CopyTo(both);
        both[element.Length] = (byte)'.';
        parameter.CopyTo(both[(element.Length + 1)..]);
        return _strings.Name(both[..length]);
    }

    private static int EndOfValue(ReadOnlySpan<byte> message, int at)
    {
        for (; at < message.Length; at++)
        {
            if (message[at] == '\\')
                at++;
            else if (message[at] == '"')
                return at;
        }
        return -1;
    }

    private void AddUnescaped(string name, ReadOnlySpan<byte> value)
    {
        if (!value.Contains((byte)'\\'))
        {
            Add(name, value);
            return;
        }
        var plain = new byte[value.Length];
        var length = 0;
        for (var i = 0; i < value.Length; i++)
        {
            // Only these three are escaped; before anything else the backslash stands for itself.
            if (value[i] == '\\' && i + 1 < value.Length && value[i + 1] is (byte)'"' or (byte)'\\' or (byte)']')
                i++;
            plain[length++] = value[i];
        }
        Add(name, plain.AsSpan(0, length));
    }
}
