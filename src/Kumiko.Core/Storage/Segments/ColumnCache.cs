using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Storage.Segments;

/// <summary>
/// The unpacked bytes of narrow columns, those that questions ask again and again: levels, places, numbers. Within a
/// budget of memory; what was used a moment ago is not driven out, so that a question over more than fits finds a part of it
/// each time instead of nothing, and takes longer by degrees. Several threads may ask at once.
/// </summary>
internal sealed class ColumnCache(long budget, TimeProvider clock)
{
    /// <summary>Bytes for each row that a narrow column has at most, and what any may have besides; what one takes in memory
    /// beside its bytes.</summary>
    private const int MostBytesPerRow = 4;
    private const int Head = 256;
    private const int EntryOverhead = 160;

    private static readonly TimeSpan Moment = TimeSpan.FromSeconds(30);

    private readonly Lock _lock = new();
    private readonly Dictionary<long, LinkedListNode<Kept>> _byKey = [];
    private readonly LinkedList<Kept> _order = new();
    private long _size;

    private sealed class Kept(long key, byte[] bytes)
    {
        public long Key => key;
        public byte[] Bytes => bytes;
        public int Size => bytes.Length + EntryOverhead;
        public long Used { get; set; }
    }

    /// <summary>Bytes that are kept now.</summary>
    public long Size
    {
        get
        {
            lock (_lock)
                return _size;
        }
    }

    /// <summary>The bytes of a column, where they are kept; empty for a column that the segment does not have.</summary>
    public ColumnBytes? Find(long key)
    {
        lock (_lock)
        {
            if (!_byKey.TryGetValue(key, out var node))
                return null;
            Touch(node);
            return new ColumnBytes(node.Value.Bytes, 0, node.Value.Bytes.Length, owned: false);
        }
    }

    /// <summary>Keeps a copy of a column that is narrow, where there is room or what is there has not been used for a
    /// while.</summary>
    public void Offer(long key, ReadOnlySpan<byte> bytes, int rows)
    {
        var size = bytes.Length + EntryOverhead;
        if (bytes.Length > ((long)rows * MostBytesPerRow) + Head || size > budget)
            return;
        lock (_lock)
        {
            if (_byKey.ContainsKey(key))
                return;
            while (_size + size > budget)
            {
                if (clock.GetElapsedTime(_order.Last!.Value.Used) < Moment)
                    return;
                Drop(_order.Last);
            }
            var node = new LinkedListNode<Kept>(new Kept(key, bytes.ToArray()));
            _byKey.Add(key, node);
            _size += size;
            _order.AddFirst(node);
            Touch(node);
        }
    }

    /// <summary>Drops all columns of a segment.</summary>
    public void Forget(long segment)
    {
        lock (_lock)
            foreach (var key in _byKey.Keys.Where(k => k >> Segment.ColumnBits == segment).ToList())
                Drop(_byKey[key]);
    }

    private void Touch(LinkedListNode<Kept> node)
    {
        node.Value.Used = clock.GetTimestamp();
        if (_order.First == node)
            return;
        _order.Remove(node);
        _order.AddFirst(node);
    }

    private void Drop(LinkedListNode<Kept> node)
    {
        _order.Remove(node);
        _byKey.Remove(node.Value.Key);
        _size -= node.Value.Size;
    }
}
