using System.IO.Hashing;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Blocks;

namespace Kumiko.Core.Intake;

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

    /// <summary>Compressed data that cannot be read further.</summary>
    Damaged,

    /// <summary>More bytes than one request may have.</summary>
    TooLarge,

    /// <summary>The store or the disk has no room; sending again later can work.</summary>
    NoRoom,

    /// <summary>Something else came under the same key.</summary>
    KeyUsed,
}

/// <summary>Lines into the store, newline-delimited JSON where nothing else is said: whole up to 16 MB, above that in
/// parts.</summary>
public sealed class LineIntake(RecordStore store, TimeProvider clock)
{
    public const long WholeBytes = 16L << 20;
    public const long MostBytes = 256L << 20;
    public const int MostReported = 100;

    private readonly ParserPool _parsers = new();

    /// <param name="body">Decompressed bytes, of any length and content.</param>
    /// <param name="source">The name of the place they come from.</param>
    /// <param name="key">Given by a sender that may repeat itself.</param>
    /// <param name="limit">The most bytes to read; files on disk have none.</param>
    /// <param name="progress">Told after each committed part.</param>
    /// <param name="plain">Reads each line; newline-delimited JSON where it is null.</param>
    public async Task<IntakeAnswer> Take(
        Stream body,
        string source,
        string? key,
        long limit,
        IProgress<IntakeAnswer>? progress,
        CancellationToken cancel,
        PlainLineParser? plain = null
    )
    {
        var json = plain is null ? _parsers.Rent(source) : null;
        var parser = (ILineParser?)plain ?? json!;
        using var lines = new LineReader(body);
        var rows = BuilderPool.Rent();
        var refused = new List<Refused>();
        long taken = 0;
        long refusedTotal = 0;
        long committedAt = 0;
        var part = 0;
        var content = key is null ? null : new XxHash3();
        string? problem = null;
        var stopped = IntakeStop.None;
        while (true)
        {
            ReadOnlyMemory<byte>? line;
            lines.SkipBlank();
            try
            {
                line = await lines.Next(cancel);
            }
            catch (Exception e) when (Gzip.IsDamage(e))
            {
                (stopped, problem) = (IntakeStop.Damaged, $"The compressed data is damaged after line {lines.Line}.");
                break;
            }
            if (lines.BytesRead > limit)
            {
                (stopped, problem) = (
                    IntakeStop.TooLarge,
                    $"More than {limit >> 20} MB in one request. Send what follows line {Math.Max(0, lines.Line - 1)} in another."
                );
                break;
            }
            if (line is null)
                break;
            content?.Append(line.Value.Span);
            content?.Append("\n"u8);
            var refusal = Read(line.Value.Span, lines.TooLong, parser, rows);
            if (refusal is not null)
            {
                refusedTotal++;
                if (refused.Count < MostReported)
                    refused.Add(
                        new Refused(
                            lines.Line,
                            refusal.Column,
                            refusal.Reason,
                            line.Value.Span[..Math.Min(line.Value.Length, LineReader.KeptHead)].ToArray()
                        )
                    );
            }
            if (lines.BytesRead - committedAt <= WholeBytes)
                continue;
            committedAt = lines.BytesRead;
            if (!await Commit())
                return Answer();
        }
        if (await Commit() && refused.Count > 0)
            await store.Keep(refused, source, refusedTotal);
        if (json is not null)
            _parsers.Return(source, json);
        BuilderPool.Return(rows);
        return Answer();

        IntakeAnswer Answer() => new(taken, refusedTotal, refused, problem, stopped) { Bytes = lines.BytesRead };

        async Task<bool> Commit()
        {
            if (rows.Count == 0)
                return true;
            var records = rows.Build();
            try
            {
                await store.Append(
                    records,
                    source,
                    key is null ? null : new BatchKey(key, part++, (long)content!.GetCurrentHashAsUInt64()),
                    cancel
                );
            }
            catch (Exception e) when (e is IOException or BatchKeyUsedException)
            {
                (stopped, problem) = (e is BatchKeyUsedException ? IntakeStop.KeyUsed : IntakeStop.NoRoom, e.Message);
                return false;
            }
            content?.Reset();
            taken += records.Count;
            progress?.Report(Answer());
            return true;
        }
    }

    private Refusal? Read(ReadOnlySpan<byte> line, bool tooLong, ILineParser parser, RecordBlockBuilder rows)
    {
        if (tooLong)
            return new Refusal(LineReader.LongestLine + 1, "The line is longer than 4 MiB.");
        if (line.Trim(" \t\r"u8).IsEmpty)
            return null;
        return parser.Parse(line, Instants.FromDateTime(clock.GetUtcNow()), rows);
    }
}
