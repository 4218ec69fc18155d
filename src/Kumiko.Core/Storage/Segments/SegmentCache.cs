using System.Buffers;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Storage.Segments;

/// <summary>
/// Decoded segments and their filters, each within a budget of memory; the least recently used go first. Finds
/// damage and tells it once.
/// </summary>
internal sealed class SegmentCache(Database database, Action<DamagedSegmentException> damaged) : IDisposable
{
    private const long RowsBudget = 768L << 20, WordsBudget = 256L << 20;

    /// <summary>Records as objects take about so much more memory than their text.</summary>
    private const int ObjectFactor = 3;

    private static readonly SearchValues<char> NoWords = SearchValues.Create("\0 .,:;=-");

    private readonly ColumnReader _reader = new(database);
    private readonly LeastRecentlyUsed<SegmentRows> _rows = new(RowsBudget);
    private readonly LeastRecentlyUsed<SegmentWords> _words = new(WordsBudget);

    public SegmentRows Rows(SegmentBatch batch, bool records)
    {
        var rows = _rows.Get(batch.Segment.Id, () => (Closed(batch), batch.Segment.RawBytes * ObjectFactor));
        return Decoded(rows, records);
    }

    public SegmentRows RowsOnce(SegmentBatch batch) => Decoded(Closed(batch), records: true);

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

    public SegmentWords Words(SegmentBatch batch) => _words.Get(batch.Segment.Id, () =>
    {
        var words = Guard(batch.Segment, source =>
        {
            using var filter = source.Read(SegmentColumn.Filter);
            return new SegmentWords(TokenFilter.Read(filter.Span), [.. batch.Templates().Select(t => t.Text).Where(t => t.AsSpan().ContainsAnyExcept(NoWords)).Distinct()], batch.Counts());
        });
        return (words, words.Size);
    });

    /// <summary>Reads columns without keeping them; damage is told and thrown.</summary>
    public T Guard<T>(Segment segment, Func<IColumnSource, T> read)
    {
        try { return read(new SegmentColumns(segment, _reader)); }
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
        _words.Remove(segment);
    }

    public void Dispose() => _reader.Dispose();
}

/// <summary>Things by the id of their segment, within a budget. Several threads may ask at once.</summary>
internal sealed class LeastRecentlyUsed<T>(long budget) where T : class
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
            if (_byId.TryGetValue(id, out var other)) return other.Value.Item;
            _byId[id] = _order.AddFirst((id, item, size));
            _size += size;
            while (_size > budget && _order.Count > 1) Drop(_order.Last!);
            return item;
        }
    }

    public void Remove(long id)
    {
        lock (_lock)
            if (_byId.TryGetValue(id, out var found)) Drop(found);
    }

    private void Drop(LinkedListNode<(long Id, T Item, long Size)> node)
    {
        _order.Remove(node);
        _byId.Remove(node.Value.Id);
        _size -= node.Value.Size;
    }
}
