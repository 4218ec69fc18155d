using Kumiko.Core.Records;

namespace Kumiko.Core.Storage.Segments;

/// <summary>A segment among the batches of a snapshot.</summary>
public sealed class SegmentBatch : RecordBatch
{
    private readonly SegmentCache _cache;

    internal SegmentBatch(Segment segment, SegmentCache cache) => (Segment, _cache) = (segment, cache);

    public Segment Segment { get; }
    public override Signal Signal => Segment.Signal;
    public override int Count => Segment.Rows;
    public override long MinTime => Segment.MinTime;
    public override long MaxTime => Segment.MaxTime;
    public override long MaxSequence => Segment.MaxSequence;

    public override IRecordRows Open(bool records) => OpenRows(records);

    /// <summary>The decoded columns, kept for a while for the next reader.</summary>
    public SegmentRows OpenRows(bool records) => _cache.Rows(this, records);

    /// <summary>The bytes of any column.</summary>
    /// <exception cref="DamagedSegmentException">It is damaged.</exception>
    public ColumnBytes Read(SegmentColumn column) => _cache.Guard(Segment, s => s.Read(column));

    /// <summary>Looks through the segment, reading what is asked for.</summary>
    /// <exception cref="DamagedSegmentException">It is damaged.</exception>
    public T Scan<T>(Func<long, Value>? patternOf, Func<SegmentScan, T> look) => _cache.Scan(this, patternOf, look);

    /// <summary>
    /// Records made one after the other as they are asked for, without keeping the segment. They end where it turns out to be
    /// damaged, which the store has told.
    /// </summary>
    internal IEnumerable<LogRecord> Records(IEnumerable<int> places)
    {
        using var scan = _cache.Open(this);
        if (scan is null)
            yield break;
        foreach (var place in places)
        {
            if (_cache.Record(this, scan, place) is not { } record)
                yield break;
            yield return record;
        }
    }

    /// <summary>How many records there are by minute, service and severity band.</summary>
    public List<MinuteCount> Counts() => _cache.Guard(Segment, s =>
        {
            using var bytes = s.Read(SegmentColumn.Counts);
            return MinuteCounts.Read(bytes.Span);
        });

    /// <summary>The templates of the segment, without its rows.</summary>
    public IReadOnlyList<SegmentTemplate> Templates() => _cache.Guard(Segment, s =>
        {
            using var bytes = s.Read(SegmentColumn.Templates);
            return SegmentBodies.ReadTemplates(bytes.Span);
        });

    /// <summary>What is known of its words without reading its rows.</summary>
    internal SegmentFacts Facts() => _cache.Facts(this);
}
