using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Patterns;
using Kumiko.Core.Storage.Segments;

namespace Kumiko.Core.Query.Execution;

/// <summary>One condition made ready for both kinds of batches: whole segments, and records in memory.</summary>
/// <param name="Index">Of the stage it stands in; 0 for the match.</param>
/// <param name="Expr">As written.</param>
/// <param name="MayMatch">What segments tell without being read.</param>
internal sealed record LogCondition(
    int Index,
    Expr Expr,
    SegmentPruning.MayMatch MayMatch,
    SegmentCondition OnSegment,
    Func<Row, bool> OnRow
);

/// <summary>Conditions that records must all meet, asked of batches.</summary>
internal sealed class LogConditions
{
    private readonly LogCondition[] _written;
    private readonly LogCondition[] _cheapest;
    private readonly Func<long, Value>? _patternOf;

    public LogConditions(
        IEnumerable<(int Index, Expr Condition)> conditions,
        EvaluationContext context,
        FieldRefs fields,
        PatternView? patterns,
        Signal signal = Signal.Logs
    )
    {
        var compiler = new Compiler(context, new RecordScope(fields, signal));
        var ofStore = new Compiler(context, new RecordScope(fields));
        _patternOf = patterns is null ? null : patterns.ValueOf;
        // Each part of an “and” is a condition by itself, in the order in which they stand.
        _written =
        [
            .. conditions
                .SelectMany(c => c.Condition is And and ? and.Items.Select(i => (c.Index, Condition: i)) : [c])
                .Select(c => (c.Index, c.Condition, Stored: StoredNames.Of(c.Condition, signal)))
                .Select(c => new LogCondition(
                    c.Index,
                    c.Condition,
                    SegmentPruning.Of(c.Stored),
                    SegmentCondition.Of(c.Stored, ofStore, fields, patterns),
                    compiler.Condition(c.Condition)
                )),
        ];
        _cheapest = [.. _written.OrderBy(c => c.OnSegment.Cost)];
    }

    public IReadOnlyList<LogCondition> Written => _written;

    public bool IsEmpty => _written.Length == 0;

    public Func<long, Value>? PatternOf => _patternOf;

    /// <summary>False where no record of the segment inside the window can meet all, told without reading its rows.</summary>
    public bool MayMatch(SegmentBatch batch, Window window) => Array.TrueForAll(_written, c => c.MayMatch(batch, window));

    /// <summary>The rows of a segment that meet all.</summary>
    public RowMask Find(SegmentBatch batch, SegmentScan scan, RowMask candidates, CancellationToken cancel)
    {
        foreach (var condition in _cheapest)
        {
            if (candidates.IsEmpty)
                break;
            candidates = condition.OnSegment.Of(scan, text => batch.Facts().MayHaveTokens(text), candidates, cancel);
        }
        return candidates;
    }

    /// <summary>The places in a batch that meet all, rising.</summary>
    public int[] Places(RecordBatch batch, ScanMeter meter, CancellationToken cancel)
    {
        if (batch is SegmentBatch segment)
            return segment.Scan(_patternOf, scan =>
            {
                var found = Find(segment, scan, RowMask.Between(scan.Count, 0, scan.Count), cancel).ToPlaces();
                meter.Read(segment, scan.BytesRead);
                return found;
            });
        var recent = (RecentBatch)batch;
        var places = new List<int>();
        for (var i = 0; i < recent.Count; i++)
        {
            if (i % BatchTest.CancelEvery == 0)
                cancel.ThrowIfCancellationRequested();
            var row = new Row(RowSource.Of(recent[i]), 0, []);
            if (Array.TrueForAll(_cheapest, c => c.OnRow(row)))
                places.Add(i);
        }
        return [.. places];
    }
}

/// <summary>Adds up what a run read of the store and what it left out.</summary>
public sealed class ScanMeter
{
    private long _segments;
    private long _rows;
    private long _bytes;
    private long _skipped;
    private long _skippedRows;

    internal void Read(SegmentBatch batch, long bytes)
    {
        Interlocked.Increment(ref _segments);
        Interlocked.Add(ref _rows, batch.Count);
        Interlocked.Add(ref _bytes, bytes);
    }

    internal void Skip(SegmentBatch batch)
    {
        Interlocked.Increment(ref _skipped);
        Interlocked.Add(ref _skippedRows, batch.Count);
    }

    public long Segments => Interlocked.Read(ref _segments);
    public long Rows => Interlocked.Read(ref _rows);

    /// <summary>Bytes of columns, unpacked.</summary>
    public long Bytes => Interlocked.Read(ref _bytes);

    /// <summary>Segments that were left out without reading their rows.</summary>
    public long Skipped => Interlocked.Read(ref _skipped);
    public long SkippedRows => Interlocked.Read(ref _skippedRows);
}
