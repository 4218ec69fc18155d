using System.Buffers;

namespace Kumiko.Core.Intake;

/// <summary>Lines of a stream as bytes, in bounded memory: a line that is too long is passed over and its beginning
/// kept.</summary>
public sealed class LineReader(Stream stream) : IDisposable
{
    public const int LongestLine = 4 * 1024 * 1024;
    public const int KeptHead = 4 * 1024;

    private byte[] _buffer = ArrayPool<byte>.Shared.Rent(64 * 1024);
    private int _start;
    private int _end;
    private bool _ended;

    /// <summary>Bytes read from the stream so far.</summary>
    public long BytesRead { get; private set; }

    /// <summary>Lines given so far, so the number of the last one.</summary>
    public long Line { get; private set; }

    /// <summary>Bytes of the stream up to the end of the line given last, its end included.</summary>
    public long Position => BytesRead - (_end - _start);

    /// <summary>Whether the line given last has no end: more of it may come.</summary>
    public bool IsOpen { get; private set; }

    /// <summary>Whether the line given last was too long; what was given is its beginning.</summary>
    public bool TooLong { get; private set; }

    /// <summary>The next line without its end, valid until the next call; null at the end of the stream.</summary>
    public async ValueTask<ReadOnlyMemory<byte>?> Next(CancellationToken cancel)
    {
        TooLong = false;
        var looked = 0;
        while (true)
        {
            var at = _buffer.AsSpan(_start + looked, _end - _start - looked).IndexOf((byte)'\n');
            if (at >= 0)
                return Give(looked + at, skip: 1);
            looked = _end - _start;
            if (looked > LongestLine)
                return await GiveLong(cancel);
            // An array converts to memory, so a bare null would be an empty line and not the end.
            if (_ended)
                return looked == 0 ? (ReadOnlyMemory<byte>?)null : Give(looked, skip: 0);
            await Fill(cancel);
        }
    }

    /// <summary>Passes over blank lines that are read already, many at once: a body may be nothing else.</summary>
    /// <returns>How many lines.</returns>
    public int SkipBlank()
    {
        var read = _buffer.AsSpan(_start, _end - _start);
        var text = read.IndexOfAnyExcept("\n\r\t "u8);
        var blank = read[..(text < 0 ? read.Length : text)];
        // What stands in front of a text belongs to its line.
        blank = blank[..(blank.LastIndexOf((byte)'\n') + 1)];
        var lines = blank.Count((byte)'\n');
        Line += lines;
        _start += blank.Length;
        return lines;
    }

    private ReadOnlyMemory<byte> Give(int length, int skip)
    {
        var line = _buffer.AsMemory(_start, length);
        IsOpen = skip == 0;
        _start += length + skip;
        Line++;
        if (line.Length > LongestLine)
        {
            TooLong = true;
            return line[..KeptHead];
        }
        return line.Length > 0 && line.Span[^1] == '\r' ? line[..^1] : line;
    }

    private async ValueTask<ReadOnlyMemory<byte>?> GiveLong(CancellationToken cancel)
    {
        var head = _buffer.AsSpan(_start, KeptHead).ToArray();
        IsOpen = true;
        while (true)
        {
            var at = _buffer.AsSpan(_start, _end - _start).IndexOf((byte)'\n');
            _start = at >= 0 ? _start + at + 1 : _end;
            IsOpen = at < 0;
            if (at >= 0 || _ended)
                break;
            await Fill(cancel);
        }
        Line++;
        TooLong = true;
        return head;
    }

    private async ValueTask Fill(CancellationToken cancel)
    {
        if (_start > 0)
        {
            _buffer.AsSpan(_start, _end - _start).CopyTo(_buffer);
            (_start, _end) = (0, _end - _start);
        }
        if (_end == _buffer.Length)
        {
            var larger = ArrayPool<byte>.Shared.Rent(_buffer.Length * 2);
            _buffer.AsSpan(0, _end).CopyTo(larger);
            ArrayPool<byte>.Shared.Return(_buffer);
            _buffer = larger;
        }
        var read = await stream.ReadAsync(_buffer.AsMemory(_end), cancel);
        _ended = read == 0;
        _end += read;
        BytesRead += read;
    }

    public void Dispose() => ArrayPool<byte>.Shared.Return(_buffer);
}
