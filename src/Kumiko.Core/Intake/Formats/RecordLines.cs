using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Intake.Formats;

/// <summary>
/// Puts the lines of a stream together to records, as a reader tells where one begins. Where the bytes are cut does not
/// matter. A record grows to the longest line at most; what follows is another. Not for several threads.
/// </summary>
internal sealed class RecordLines(LineReader lines, IRecordReader reader) : IDisposable
{
    private const int MostBlank = 100;

    private readonly ByteWriter _record = new(4_096);
    private ReadOnlyMemory<byte>? _held;
    private long _heldLine;
    private long _heldStart;
    private bool _heldTooLong;

    /// <summary>The number of the first line of the record given last, from 1.</summary>
    public long Line { get; private set; }

    /// <summary>Where the record given last begins in the stream, and where the next one does.</summary>
    public long Start { get; private set; }
    public long End { get; private set; }

    /// <summary>Whether the record given last is the beginning of a line that is too long.</summary>
    public bool TooLong { get; private set; }

    /// <summary>Whether the record given last was ended by the end of the stream alone: more of it may come.</summary>
    public bool IsOpen { get; private set; }

    /// <summary>The next record, valid until the next call; null at the end of the stream.</summary>
    public ValueTask<ReadOnlyMemory<byte>?> Next(CancellationToken cancel) => reader.Joins ? Joined(cancel) : Single(cancel);

    private async ValueTask<ReadOnlyMemory<byte>?> Single(CancellationToken cancel)
    {
        lines.SkipBlank();
        Start = lines.Position;
        var line = await lines.Next(cancel);
        (Line, End, TooLong, IsOpen) = (lines.Line, lines.Position, lines.TooLong, lines.IsOpen);
        return line;
    }

    private async ValueTask<ReadOnlyMemory<byte>?> Joined(CancellationToken cancel)
    {
        _record.Clear();
        if (_held is { } held && !_heldTooLong)
        {
            (Line, Start) = (_heldLine, _heldStart);
            _record.Bytes(held.Span);
        }
        if (_held is { } longOne && _heldTooLong)
        {
            _held = null;
            (Line, Start, End, TooLong, IsOpen) = (_heldLine, _heldStart, lines.Position, true, false);
            return longOne;
        }
        _held = null;
        (TooLong, IsOpen) = (false, false);
        var blank = 0;
        while (true)
        {
            blank += lines.SkipBlank();
            var start = lines.Position;
            var line = await lines.Next(cancel);
            if (line is null)
            {
                (IsOpen, End) = (true, lines.Position);
                return _record.Length > 0 ? _record.Buffer.AsMemory(0, _record.Length) : (ReadOnlyMemory<byte>?)null;
            }
            if (line.Value.Span.Trim(" \t\r"u8).IsEmpty)
            {
                blank++;
                continue;
            }
            if (_record.Length == 0 && !lines.TooLong)
            {
                (Line, Start) = (lines.Line, start);
                _record.Bytes(line.Value.Span);
                blank = 0;
                continue;
            }
            var fits = _record.Length + line.Value.Length + MostBlank < LineReader.LongestLine;
            if (lines.TooLong || !fits || reader.Begins(line.Value.Span, blank, _record.Written))
            {
                (_held, _heldLine, _heldStart, _heldTooLong, End) = (line, lines.Line, start, lines.TooLong, start);
                return _record.Length > 0 ? _record.Buffer.AsMemory(0, _record.Length) : await Joined(cancel);
            }
            for (var i = 0; i <= Math.Min(blank, MostBlank); i++)
                _record.Byte((byte)'\n');
            _record.Bytes(line.Value.Span);
            blank = 0;
        }
    }

    /// <summary>What was gathered of a record when the stream could not be read further; null for nothing.</summary>
    public ReadOnlyMemory<byte>? Rest() => reader.Joins && _record.Length > 0 ? _record.Buffer.AsMemory(0, _record.Length) : null;

    public void Dispose() => _record.Dispose();
}
