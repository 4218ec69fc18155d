using System.IO.Hashing;
using Kumiko.Core.Intake.Formats;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Blocks;

namespace Kumiko.Core.Intake.Files;

/// <summary>What became of a body of lines.</summary>
/// <param name="Taken">Committed records.</param>
/// <param name="RefusedTotal">Lines that were refused.</param>
/// <param name="Refused">The first of them, at most a hundred.</param>
/// <param name="Problem">What stopped the reading, such as damaged compression; null when all was read.</param>
/// <param name="Stopped">Why the reading stopped early.</param>
public sealed record IntakeAnswer(
    long Taken,
    long RefusedTotal,
    IReadOnlyList<Refused> Refused,
    string? Problem = null,
    IntakeStop Stopped = IntakeStop.None
)
{
    /// <summary>Bytes read, decompressed.</summary>
    public long Bytes { get; init; }
}

public enum IntakeStop
{
    None,

    /// <summary>Compressed data that cannot be read further, or gives out beyond all measure; or no text at all.</summary>
    Damaged,

    /// <summary>More bytes than one request may have.</summary>
    TooLarge,

    /// <summary>The store or the disk has no room; sending again later can work.</summary>
    NoRoom,

    /// <summary>Something else came under the same key.</summary>
    KeyUsed,
}

/// <summary>How lines are to be taken in.</summary>
/// <param name="Source">The name of the place they come from.</param>
public sealed record LineWish(string Source)
{
    /// <summary>Given by a sender that may repeat itself.</summary>
    public string? Key { get; init; }

    /// <summary>The most bytes to read; files on disk have none.</summary>
    public long Limit { get; init; } = long.MaxValue;

    /// <summary>What comes to no more is committed whole; above that in parts as large.</summary>
    public long PartBytes { get; init; } = LineIntake.WholeBytes;

    /// <summary>How they are read; newline-delimited JSON where it is null.</summary>
    public FormatSettings? Settings { get; init; }

    /// <summary>The import that they belong to.</summary>
    public long? Import { get; init; }

    /// <summary>Told after each committed part.</summary>
    public IProgress<IntakeAnswer>? Progress { get; init; }

    /// <summary>Told of each refused line, with all of it.</summary>
    public Action<Refused, ReadOnlyMemory<byte>>? Told { get; init; }
}

/// <summary>Lines into the store: whole up to 16 MB, above that in parts.</summary>
public sealed class LineIntake(RecordStore store, TimeProvider clock)
{
    public const long WholeBytes = 16L << 20;
    public const long MostBytes = 256L << 20;
    public const int MostReported = 100;

    private readonly ParserPool _parsers = new();

    /// <param name="body">Decompressed bytes, of any length and content.</param>
    public async Task<IntakeAnswer> Take(Stream body, LineWish wish, CancellationToken cancel)
    {
        var json = wish.Settings is null ? _parsers.Rent(wish.Source) : null;
        var reader = json ?? FormatList.Find(wish.Settings!.Format)!.Open(wish.Settings, wish.Source);
        var rows = BuilderPool.Rent();
        try
        {
            return await new Pass(store, clock, wish, reader, rows).Read(body, cancel);
        }
        finally
        {
            if (json is not null)
                _parsers.Return(wish.Source, json);
            BuilderPool.Return(rows);
        }
    }

    /// <summary>One body, from its first line to its last. While a part is committed, the next one is read.</summary>
    private sealed class Pass(RecordStore store, TimeProvider clock, LineWish wish, IRecordReader reader, RecordBlockBuilder rows)
    {
        private readonly List<Refused> _refused = [];
        private readonly XxHash3? _content = wish.Key is null ? null : new XxHash3();
        private long _taken;
        private long _refusedTotal;
        private long _bytes;
        private int _part;
        private string? _problem;
        private IntakeStop _stopped;
        private Task<bool> _commit = Task.FromResult(true);

        public async Task<IntakeAnswer> Read(Stream body, CancellationToken cancel)
        {
            try
            {
                return await ReadAll(body, cancel);
            }
            finally
            {
                // What is being committed is committed, whatever stopped the reading.
                await _commit.ContinueWith(_ => { }, TaskScheduler.Default);
            }
        }

        private async Task<IntakeAnswer> ReadAll(Stream body, CancellationToken cancel)
        {
            using var lines = new LineReader(body);
            using var records = new RecordLines(lines, reader);
            long committedAt = 0;
            while (await Next(lines, records, cancel) is { } record)
            {
                Take(records, record);
                if (records.End - committedAt <= wish.PartBytes)
                    continue;
                committedAt = records.End;
                if (!await Commit(cancel))
                    return Answer();
            }
            _bytes = lines.BytesRead;
            if (_stopped == IntakeStop.Damaged && records.Rest() is { } rest)
                Take(records, rest);
            if (await Commit(cancel) && await _commit && _refused.Count > 0)
                await store.Keep(_refused, wish.Source, _refusedTotal);
            return Answer();
        }

        private async ValueTask<ReadOnlyMemory<byte>?> Next(LineReader lines, RecordLines records, CancellationToken cancel)
        {
            ReadOnlyMemory<byte>? record;
            try
            {
                record = await records.Next(cancel);
            }
            catch (Exception e) when (e is UnpackedTooFarException or NoTextException)
            {
                (_stopped, _problem) = (IntakeStop.Damaged, e.Message);
                return null;
            }
            catch (Exception e) when (Unpacking.IsDamage(e))
            {
                (_stopped, _problem) = (IntakeStop.Damaged, $"The compressed data is damaged after line {lines.Line}.");
                return null;
            }
            _bytes = lines.BytesRead;
            if (_bytes <= wish.Limit)
                return record;
            (_stopped, _problem) = (
                IntakeStop.TooLarge,
                $"More than {wish.Limit >> 20} MB in one request. "
                    + $"Send what follows line {Math.Max(0, lines.Line - 1)} in another."
            );
            return null;
        }

        private void Take(RecordLines records, ReadOnlyMemory<byte> record)
        {
            _content?.Append(record.Span);
            _content?.Append("\n"u8);
            if (Parse(record.Span, records.TooLong) is not { } refusal)
                return;
            _refusedTotal++;
            var refused = new Refused(
                records.Line,
                refusal.Column,
                refusal.Reason,
                record.Span[..Math.Min(record.Length, LineReader.KeptHead)].ToArray()
            );
            wish.Told?.Invoke(refused, record);
            if (_refused.Count < MostReported)
                _refused.Add(refused);
        }

        private Refusal? Parse(ReadOnlySpan<byte> record, bool tooLong)
        {
            if (tooLong)
                return new Refusal(LineReader.LongestLine + 1, "The line is longer than 4 MiB.");
            if (record.Trim(" \t\r"u8).IsEmpty)
                return null;
            return reader.Parse(record, Instants.FromDateTime(clock.GetUtcNow()), rows);
        }

        /// <summary>Waits for the part before, and begins to commit this one; false where that is the end.</summary>
        private async Task<bool> Commit(CancellationToken cancel)
        {
            if (!await _commit)
                return false;
            if (rows.Count == 0)
                return true;
            var block = rows.Build();
            BatchKey? key = null;
            if (wish.Key is { } name)
            {
                key = new BatchKey(name, _part++, (long)_content!.GetCurrentHashAsUInt64());
                _content.Reset();
            }
            _commit = Task.Run(() => Append(block, key, cancel), CancellationToken.None);
            return true;
        }

        private async Task<bool> Append(RecordBlock block, BatchKey? key, CancellationToken cancel)
        {
            try
            {
                var origin = wish.Import is { } import ? new BatchOrigin(import) : null;
                await store.Append(block, wish.Source, key, origin, cancel);
            }
            catch (Exception e) when (e is IOException or BatchKeyUsedException)
            {
                (_stopped, _problem) = (e is BatchKeyUsedException ? IntakeStop.KeyUsed : IntakeStop.NoRoom, e.Message);
                return false;
            }
            Interlocked.Add(ref _taken, block.Count);
            // Refused lines are still being added to.
            wish.Progress?.Report(new IntakeAnswer(_taken, _refusedTotal, []) { Bytes = _bytes });
            return true;
        }

        private IntakeAnswer Answer() =>
            new(Interlocked.Read(ref _taken), _refusedTotal, [.. _refused], _problem, _stopped) { Bytes = _bytes };
    }
}
