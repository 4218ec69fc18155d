namespace Kumiko.Core.Intake.Syslog;

/// <summary>
/// Messages out of a stream of bytes (RFC 6587). Each is counted (<c>LENGTH SP message</c>) or ends with a line feed or a
/// zero; which one is told by how it begins. Where the bytes are cut does not matter. Not for several threads.
/// </summary>
public sealed class SyslogFraming
{
    /// <summary>The most bytes of a message. A longer one is passed over and its beginning kept.</summary>
    public const int LongestMessage = 256 * 1024;

    private const int MostDigits = 9;

    private byte[] _buffer = new byte[8 * 1024];
    private int _start;
    private int _end;
    private long _skipCounted;
    private bool _skipLine;
    private bool _counted;
    private bool _ended;

    private enum Frame
    {
        Unknown,
        Counted,
        Line,
    }

    /// <summary>Whether a message has begun that is not whole.</summary>
    public bool IsWithin => _end > _start || _skipCounted > 0 || _skipLine;

    /// <summary>Bytes to be filled; say how many were with <see cref="Filled"/>.</summary>
    public Memory<byte> Space()
    {
        if (_start == _end)
            (_start, _end) = (0, 0);
        if (_buffer.Length - _end < 1024)
        {
            var target = _end - _start > _buffer.Length / 2 ? new byte[_buffer.Length * 2] : _buffer;
            _buffer.AsSpan(_start, _end - _start).CopyTo(target);
            (_buffer, _start, _end) = (target, 0, _end - _start);
        }
        return _buffer.AsMemory(_end);
    }

    public void Filled(int bytes) => _end += bytes;

    /// <summary>Nothing follows: what is left is a message, or one that was broken off.</summary>
    public void End() => _ended = true;

    /// <summary>The next message, valid until more is filled in.</summary>
    /// <param name="problem">Set where the message is only the beginning of one that cannot be taken.</param>
    /// <returns>False where more bytes are needed.</returns>
    public bool TryNext(out ReadOnlySpan<byte> message, out string? problem)
    {
        message = default;
        problem = null;
        if (!Skip())
            return false;
        while (_start < _end && _buffer[_start] is (byte)'\n' or (byte)'\r' or 0)
            _start++;
        if (_start == _end)
            return false;
        return ReadLength(out var digits, out var length) switch
        {
            Frame.Counted => TryCounted(digits, length, out message, out problem),
            Frame.Line => TryLine(out message, out problem),
            _ => false,
        };
    }

    /// <summary>Passes over the rest of what was too long; false while more of it is to come.</summary>
    private bool Skip()
    {
        if (_skipCounted > 0)
        {
            var skipped = (int)Math.Min(_skipCounted, _end - _start);
            _start += skipped;
            _skipCounted -= skipped;
            return _skipCounted == 0;
        }
        if (!_skipLine)
            return true;
        var end = _buffer.AsSpan(_start, _end - _start).IndexOfAny((byte)'\n', (byte)0);
        _start = end < 0 ? _end : _start + end + 1;
        _skipLine = end < 0;
        return !_skipLine;
    }

    private Frame ReadLength(out int digits, out long length)
    {
        var bytes = _buffer.AsSpan(_start, _end - _start);
        (digits, length) = (0, 0);
        while (digits < bytes.Length && digits <= MostDigits && bytes[digits] is >= (byte)'0' and <= (byte)'9')
            length = (length * 10) + bytes[digits++] - '0';
        if (digits == 0 || digits > MostDigits || bytes[0] == '0')
            return Frame.Line;
        if (digits == bytes.Length)
            return _ended ? Frame.Line : Frame.Unknown;
        if (bytes[digits] != ' ')
            return Frame.Line;
        // Once a peer has counted, it counts; before that only a priority tells a count from a line that begins with digits.
        if (_counted)
            return Frame.Counted;
        if (digits + 1 == bytes.Length)
            return _ended ? Frame.Line : Frame.Unknown;
        _counted = bytes[digits + 1] == (byte)'<';
        return _counted ? Frame.Counted : Frame.Line;
    }

    private bool TryCounted(int digits, long length, out ReadOnlySpan<byte> message, out string? problem)
    {
        message = default;
        problem = null;
        var (start, have) = (_start + digits + 1, _end - _start - digits - 1);
        if (have >= length && length <= LongestMessage)
        {
            message = Trimmed(_buffer.AsSpan(start, (int)length));
            _start = start + (int)length;
            return true;
        }
        if (length > LongestMessage && (have >= LineReader.KeptHead || _ended || have >= length))
        {
            message = _buffer.AsSpan(start, (int)Math.Min(Math.Min(have, length), LineReader.KeptHead));
            problem = $"The message has {length} bytes; {LongestMessage} are taken.";
            _start = start + (int)Math.Min(have, length);
            _skipCounted = length - Math.Min(have, length);
            return true;
        }
        if (!_ended)
            return false;
        message = _buffer.AsSpan(start, Math.Min(have, LineReader.KeptHead));
        problem = $"The message was broken off after {have} of {length} bytes.";
        _start = _end;
        return true;
    }

    private bool TryLine(out ReadOnlySpan<byte> message, out string? problem)
    {
        message = default;
        problem = null;
        var bytes = _buffer.AsSpan(_start, _end - _start);
        var end = bytes.IndexOfAny((byte)'\n', (byte)0);
        var length = end < 0 ? bytes.Length : end;
        if (length > LongestMessage)
        {
            message = bytes[..LineReader.KeptHead];
            problem = $"The message has more than {LongestMessage} bytes.";
            _start += end < 0 ? length : length + 1;
            _skipLine = end < 0;
            return true;
        }
        if (end < 0 && !_ended)
            return false;
        message = Trimmed(bytes[..length]);
        _start += end < 0 ? length : length + 1;
        return true;
    }

    /// <summary>Without the ends of lines that senders put inside the count.</summary>
    private static ReadOnlySpan<byte> Trimmed(ReadOnlySpan<byte> message) => message.TrimEnd("\r\n\0"u8);
}
