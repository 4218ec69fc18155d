using System.Text;
using Kumiko.Core.Intake;
using Kumiko.Core.Intake.Files;
using Kumiko.Core.Intake.Formats;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Blocks;

namespace Kumiko.Core.Sources.Following;

/// <summary>A followed file while the server runs: its place, its reader, and what the page tells of it.</summary>
internal sealed class FollowState(
    FollowedPlace place,
    RecordStore records,
    FollowStore wishes,
    TimeProvider clock,
    Action<FollowedPlace> moved
)
{
    /// <summary>Bytes of one look at one file, so that others have their turn.</summary>
    private const long MostAtOnce = 16L << 20;

    /// <summary>A last record that has not grown for so long is whole.</summary>
    private static readonly long Quiet = 2 * Instants.Second;

    private const int ShownOfLine = 200;
    private const int MostRefused = 100;

    /// <summary>In front of a reader's state: the rest of a line that is too long comes next.</summary>
    private const char Skipping = '~';

    private readonly Queue<(long At, long Count)> _taken = [];
    private IRecordReader? _reader;
    private FormatSettings? _settings;
    private long _length;
    private string _lastLine = "";
    private string? _problem;

    public FollowedPlace Place { get; private set; } = place;

    /// <summary>When it was longer than before, UTC nanoseconds.</summary>
    public long GrewAt { get; private set; } = Instants.FromDateTime(clock.GetUtcNow());

    private long Now => Instants.FromDateTime(clock.GetUtcNow());

    /// <summary>Goes on from another place.</summary>
    public void Begin(FollowedPlace from)
    {
        if (from.Offset != Place.Offset || from.State != Place.State)
            _reader = null;
        Place = from;
    }

    /// <summary>Reads what comes as it is said from now on.</summary>
    public void Forget() => (_reader, _settings) = (null, null);

    public FollowedFile File(long now)
    {
        long perMinute;
        lock (_taken)
            perMinute = _taken.Where(t => now - t.At <= Instants.Minute).Sum(t => t.Count);
        return new FollowedFile(Place.Follow, Place.Path, Place, _length, perMinute, _lastLine, _problem);
    }

    /// <summary>Takes in what is new.</summary>
    /// <param name="isEnded">Whether nothing will be added to it, so that what is there is whole.</param>
    /// <returns>Whether there is more to read at once.</returns>
    public async Task<bool> Read(FollowWish wish, FileStream file, bool isEnded, CancellationToken cancel)
    {
        var length = file.Length;
        if (length != _length)
            (_length, GrewAt) = (length, Now);
        if (length <= Place.Offset)
            return false;
        if (Place.Offset == 0 && Refusal(file) is { } problem)
        {
            _problem = problem;
            return false;
        }
        var isQuiet = isEnded || Now - GrewAt >= Quiet;
        if (await Reader(wish, file, isQuiet) is not { } reader)
            return false;
        file.Position = Place.Offset;
        var until = Math.Min(length, Place.Offset + MostAtOnce);
        // Where a look ends before the file does, what it ends in goes on.
        var isAll = until == length;
        try
        {
            return Place.State.StartsWith(Skipping)
                ? await Skip(file, until)
                : await Read(wish, file, reader, until, isQuiet && isAll, isEnded && isAll, cancel);
        }
        catch
        {
            // What it learned of lines that were not committed is forgotten.
            _reader = null;
            throw;
        }
    }

    /// <summary>Why a file is not followed; null where it is.</summary>
    private static string? Refusal(FileStream file)
    {
        file.Position = 0;
        if (Unpacking.Find(file) != Packing.None)
            return "It is packed, so it does not grow. Import it instead.";
        Span<byte> start = stackalloc byte[512];
        var read = file.ReadAtLeast(start, start.Length, throwOnEndOfStream: false);
        return start[..read].Contains((byte)0) ? "It is no text in UTF-8: it has bytes that are zero." : null;
    }

    private async Task<IRecordReader?> Reader(FollowWish wish, FileStream file, bool isQuiet)
    {
        var settings = wish.Settings;
        if (settings is null)
        {
            settings = await Guess(wish, file, isQuiet);
            if (settings is null)
                return null;
        }
        if (_reader is null || !ReferenceEquals(_settings, settings) && _settings?.ToJson() != settings.ToJson())
        {
            _reader = (FormatList.Find(settings.Format) ?? FormatList.Find("text")!).Open(settings, wish.Source);
            if (Place.State.TrimStart(Skipping) is { Length: > 0 } state)
                _reader.State = state;
            _settings = settings;
        }
        return _reader;
    }

    /// <summary>Tells the format from the first lines, once there are enough, or no more come.</summary>
    private async Task<FormatSettings?> Guess(FollowWish wish, FileStream file, bool isQuiet)
    {
        const int Enough = 20;
        var start = new byte[SampleText.MostBytes];
        file.Position = 0;
        var read = file.ReadAtLeast(start, start.Length, throwOnEndOfStream: false);
        var sample = SampleText.Of(start.AsSpan(0, read), Now, isWhole: false);
        if (sample.Lines.Count < Enough && !isQuiet)
            return null;
        var settings = FormatGuess.Live(sample);
        await wishes.Save(wish.Id, settings);
        return settings;
    }

    private async Task<bool> Read(
        FollowWish wish,
        FileStream file,
        IRecordReader reader,
        long until,
        bool isQuiet,
        bool isEnded,
        CancellationToken cancel
    )
    {
        var start = Place.Offset;
        using var lines = new LineReader(new Part(file, until - start));
        using var texts = new RecordLines(lines, reader);
        var rows = BuilderPool.Rent();
        var refused = new List<Refused>();
        var (end, line, refusedTotal) = (0L, Place.Line, 0L);
        var skips = false;
        while (!skips && await texts.Next(cancel) is { } record)
        {
            skips = texts.TooLong && lines.IsOpen && texts.End == lines.Position;
            // A line without its end grows; a record may, until nothing came for a while.
            if (!skips && lines.IsOpen && texts.End == lines.Position && !isEnded)
                break;
            if (texts.IsOpen && reader.Joins && !isQuiet)
                break;
            if (texts.IsOpen && reader.Joins && !isEnded && start + texts.End < file.Length)
                break;
            (end, line) = (texts.End, Place.Line + lines.Line);
            if (Parse(reader, texts, record, rows) is not { } refusal)
                continue;
            refusedTotal++;
            if (refused.Count < MostRefused)
                refused.Add(new Refused(Place.Line + texts.Line, refusal.Column, refusal.Reason, Head(record)));
        }
        if (end == 0)
        {
            BuilderPool.Return(rows);
            return false;
        }
        var block = rows.Count > 0 ? rows.Build() : null;
        BuilderPool.Return(rows);
        await Commit(
            wish,
            file,
            (skips ? Skipping.ToString() : "") + reader.State,
            block,
            start + end,
            line,
            refused,
            refusedTotal,
            cancel
        );
        return until < file.Length;
    }

    /// <summary>Passes over the rest of a line that is too long.</summary>
    private async Task<bool> Skip(FileStream file, long until)
    {
        var bytes = new byte[64 * 1024];
        var offset = Place.Offset;
        var state = Place.State;
        while (offset < until && state.StartsWith(Skipping))
        {
            var read = await file.ReadAsync(bytes.AsMemory(0, (int)Math.Min(bytes.Length, until - offset)));
            if (read == 0)
                break;
            var end = bytes.AsSpan(0, read).IndexOf((byte)'\n');
            offset += end < 0 ? read : end + 1;
            if (end >= 0)
                state = state[1..];
        }
        Place = Place with { Offset = offset, State = state, ReadAt = Now };
        await records.Save(Place);
        moved(Place);
        return offset < file.Length;
    }

    private Refusal? Parse(IRecordReader reader, RecordLines texts, ReadOnlyMemory<byte> record, RecordBlockBuilder rows)
    {
        if (texts.TooLong)
            return new Refusal(LineReader.LongestLine + 1, "The line is longer than 4 MiB.");
        if (record.Span.Trim(" \t\r"u8).IsEmpty)
            return null;
        _lastLine = Encoding.UTF8.GetString(record.Span[..Math.Min(record.Length, ShownOfLine)]);
        return reader.Parse(record.Span, Now, rows);
    }

    private static byte[] Head(ReadOnlyMemory<byte> record) =>
        record.Span[..Math.Min(record.Length, LineReader.KeptHead)].ToArray();

    private async Task Commit(
        FollowWish wish,
        FileStream file,
        string readerState,
        RecordBlock? block,
        long offset,
        long line,
        List<Refused> refused,
        long refusedTotal,
        CancellationToken cancel
    )
    {
        var headLength = Math.Min(FileFacts.HeadBytes, offset);
        var next = Place with
        {
            Offset = offset,
            Line = line,
            State = readerState,
            Taken = Place.Taken + (block?.Count ?? 0),
            Refused = Place.Refused + refusedTotal,
            HeadLength = headLength,
            Head = FileFacts.HeadOf(file, headLength) ?? Place.Head,
            ReadAt = Now,
        };
        if (block is null)
            await records.Save(next);
        else
            await records.Append(block, wish.Source, null, new BatchOrigin(Place: next), cancel);
        Place = next;
        _problem = null;
        moved(next);
        Count(block?.Count ?? 0);
        if (refusedTotal > 0)
            await records.Keep(refused, wish.Source, refusedTotal);
    }

    private void Count(long taken)
    {
        lock (_taken)
        {
            _taken.Enqueue((Now, taken));
            while (_taken.Count > 0 && Now - _taken.Peek().At > Instants.Minute)
                _taken.Dequeue();
        }
    }

    /// <summary>So many bytes of a file from its place on.</summary>
    private sealed class Part(FileStream file, long length) : ForwardStream
    {
        private long _left = length;

        public override async ValueTask<int> ReadAsync(Memory<byte> buffer, CancellationToken cancellationToken = default)
        {
            var read = await file.ReadAsync(buffer[..(int)Math.Min(buffer.Length, _left)], cancellationToken);
            _left -= read;
            return read;
        }

        public override int Read(byte[] buffer, int offset, int count)
        {
            var read = file.Read(buffer, offset, (int)Math.Min(count, _left));
            _left -= read;
            return read;
        }
    }
}
