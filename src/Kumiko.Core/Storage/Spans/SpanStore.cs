using Kumiko.Core.Frames;
using Kumiko.Core.Records;

namespace Kumiko.Core.Storage.Spans;

/// <summary>Spans, kept by the store as it keeps records.</summary>
public sealed class SpanStore
{
    /// <summary>So many segments are looked at for the latest spans of a source.</summary>
    private const int MostLooked = 16;

    private readonly RecordStore _records;

    public SpanStore(RecordStore records)
    {
        _records = records;
        records.SpansCommitted += (source, block) =>
            Committed?.Invoke(new SignalBatch(source, block.Count, Math.Max(block.TimeOf.Max(), block.ObservedOf.Max())));
    }

    /// <summary>Told on the writer thread of each batch that was committed.</summary>
    public event Action<SignalBatch>? Committed;

    /// <summary>Commits spans as one batch; they can be read when the task is done.</summary>
    /// <exception cref="IOException">The disk is full, or more waits to be sealed than can be held.</exception>
    public Task Append(IReadOnlyList<Span> spans, string source, CancellationToken cancel = default) =>
        spans.Count == 0 ? Task.CompletedTask : _records.Append(SpanRows.Block(spans, source), source, cancel: cancel);

    /// <summary>Spans that began in a window, the oldest first, read only as far as asked.</summary>
    public IEnumerable<Span> Spans(Window window, string? source = null)
    {
        using var snapshot = _records.Current;
        foreach (var row in snapshot.Of(Signal.Spans).OldestFirst(window, BatchTest.All, null, CancellationToken.None))
            if (source is null || row.Source == source)
                yield return SpanRows.Of(row);
    }

    /// <summary>The latest spans of a source, the newest first; none where the newest segments have none.</summary>
    public IReadOnlyList<Span> Latest(string source, int most)
    {
        using var snapshot = _records.Current;
        var latest = new List<LogRecord>();
        foreach (
            var batch in snapshot
                .Of(Signal.Spans)
                .Batches.Where(b => b is not Segments.SegmentBatch s || s.Segment.Source is null || s.Segment.Source == source)
                .OrderByDescending(b => b.MaxTime)
                .Take(MostLooked)
        )
        {
            if (latest.Count >= most)
                break;
            var rows = batch.Open(records: true);
            for (var i = rows.Count - 1; i >= 0 && latest.Count < most; i--)
                if (rows[i].Source == source)
                    latest.Add(rows[i]);
        }
        return [.. latest.OrderByDescending(r => r.Id).Select(SpanRows.Of)];
    }
}
