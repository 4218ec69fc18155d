using Kumiko.Core.Records;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Storage.Segments;

/// <summary>
/// Decoded segments and their filters, each within a budget of memory; the least recently used go first. Finds
/// damage and tells it once.
/// </summary>
internal sealed class SegmentCache(Database database, TimeProvider clock, Action<DamagedSegmentException> damaged) : IDisposable
{
    private const long RowsBudget = 640L << 20;
    private const long FactsBudget = 256L << 20;
    private const long ColumnsBudget = 128L << 20;

    /// <summary>Records as objects take about so much more memory than their text.</summary>
    private const int ObjectFactor = 3;

    private readonly ColumnReader _reader = new(database);
    private readonly SharedParts _shared = new();
    private readonly LeastRecentlyUsed<SegmentRows> _rows = new(RowsBudget);
    private readonly LeastRecentlyUsed<SegmentFacts> _facts = new(FactsBudget);
    private readonly ColumnCache _columns = new(ColumnsBudget, clock);

    public SegmentRows Rows(SegmentBatch batch, bool records)
    {
        var rows = _rows.Get(batch.Segment.Id, () => (Closed(batch), batch.Segment.RawBytes * ObjectFactor));
        return Decoded(rows, records);
    }

    private SegmentRows Closed(SegmentBatch batch) => new(batch.Segment, new SegmentColumns(batch.Segment, _reader));

    private SegmentRows Decoded(SegmentRows rows, bool records)
    {
        try
        {
            rows.Decode(records);
            return rows;
        }
        catch (DamagedSegmentException e)
        {
            damaged(e);
            throw;
        }
    }

    public SegmentFacts Facts(SegmentBatch batch) => _facts.Get(batch.Segment.Id, () =>
        {
            var facts = Guard(batch.Segment, new SegmentColumns(batch.Segment, _reader), source =>
            {
                using var filter = source.Read(SegmentColumn.Filter);
                using var templates = source.Read(SegmentColumn.Templates);
                using var head = source.Read(SegmentColumn.Shapes);
                using var resources = source.Read(SegmentColumn.Resource);
                using var counts = source.Read(SegmentColumn.Counts);
                var layout = FieldLayout.Read(head.Span, batch.Count);
                var from = new ByteReader(resources.Span);
                return new SegmentFacts(
                    TokenFilter.Read(filter.Span),
                    SegmentBodies.ReadTemplates(templates.Span, _shared.Template),
                    Array.ConvertAll(SegmentRows.ReadResources(ref from, layout.Names), _shared.Resource),
                    layout,
                    source.Small,
                    MinuteCounts.Read(counts.Span),
                    _shared
                );
            });
            return (facts, facts.Size);
        });

    /// <summary>Reads columns without keeping them; damage is told and thrown.</summary>
    public T Guard<T>(Segment segment, Func<IColumnSource, T> read) => Guard(segment, new SegmentColumns(segment, _reader), read);

    /// <summary>Looks through a segment of which something is known.</summary>
    public T Scan<T>(SegmentBatch batch, Func<long, Value>? patternOf, Func<SegmentScan, T> look)
    {
        var facts = Facts(batch);
        return Guard(batch.Segment, new SegmentColumns(batch.Segment, _reader, facts.Small, _columns), source =>
        {
            using var scan = new SegmentScan(batch.Segment, source, facts, patternOf);
            return look(scan);
        });
    }

    /// <summary>The same for a look that stays open until it is disposed; null where the segment is damaged.</summary>
    public SegmentScan? Open(SegmentBatch batch)
    {
        try
        {
            var facts = Facts(batch);
            return new SegmentScan(batch.Segment, new SegmentColumns(batch.Segment, _reader, facts.Small), facts, null);
        }
        catch (DamagedSegmentException)
        {
            return null;
        }
    }

    /// <summary>A record of such a look; null where the segment is damaged.</summary>
    public LogRecord? Record(SegmentBatch batch, SegmentScan scan, int place)
    {
        try
        {
            return scan.Record(place);
        }
        catch (InvalidDataException e)
        {
            damaged(new DamagedSegmentException(batch.Segment, e.Message, e));
            return null;
        }
    }

    private T Guard<T>(Segment segment, SegmentColumns source, Func<SegmentColumns, T> read)
    {
        try
        {
            return read(source);
        }
        catch (InvalidDataException e)
        {
            var told = new DamagedSegmentException(segment, e.Message, e);
            damaged(told);
            throw told;
        }
    }

    public void Forget(long segment)
    {
        _rows.Remove(segment);
        _facts.Remove(segment);
        _columns.Forget(segment);
    }

    public void Dispose() => _reader.Dispose();
}

/// <summary>Things by the id of their segment, within a budget. Several threads may ask at once.</summary>
internal sealed class LeastRecentlyUsed<T>(long budget)
    where T : class
{
    private readonly Lock _lock = new();
    private readonly Dictionary<long, LinkedListNode<(long Id, T Item, long Size)>> _byId = [];
    private readonly LinkedList<(long Id, T Item, long Size)> _order = new();
    private long _size;

    /// <summary>The item, made where it is not there.</summary>
    public T Get(long id, Func<(T Item, long Size)> make)
    {
        lock (_lock)
            if (_byId.TryGetValue(id, out var found))
            {
                _order.Remove(found);
                _order.AddFirst(found);
                return found.Value.Item;
            }
        var (item, size) = make();
        lock (_lock)
        {
            if (_byId.TryGetValue(id, out var other))
                return other.Value.Item;
            _byId[id] = _order.AddFirst((id, item, size));
            _size += size;
            while (_size > budget && _order.Count > 1)
                Drop(_order.Last!);
            return item;
        }
    }

    public void Remove(long id)
    {
        lock (_lock)
            if (_byId.TryGetValue(id, out var found))
                Drop(found);
    }

    private void Drop(LinkedListNode<(long Id, T Item, long Size)> node)
    {
        _order.Remove(node);
        _byId.Remove(node.Value.Id);
        _size -= node.Value.Size;
    }
}
