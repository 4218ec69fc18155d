using Kumiko.Core.Records;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Storage.Blocks;

/// <summary>Puts rows of several blocks together into a new one, a run of neighbours at a time.</summary>
internal sealed class BlockGather
{
    private readonly IReadOnlyList<RecordBlock> _from;
    private readonly int[]?[] _resources;
    private readonly int[]?[] _sources;
    private readonly int[]?[] _shapes;
    private readonly RowIndexes<Resource> _allResources = new(ReferenceEqualityComparer.Instance);
    private readonly RowIndexes<string> _allSources = new(StringComparer.Ordinal);
    private readonly RowIndexes<RecordShape> _allShapes = new(EqualityComparer<RecordShape>.Default);

    /// <summary>Different things in the order in which they came.</summary>
    private sealed class RowIndexes<T>(IEqualityComparer<T> comparer)
        where T : notnull
    {
        private readonly Dictionary<T, int> _places = new(comparer);
        private readonly List<T> _all = [];

        public int Of(T item)
        {
            if (_places.TryGetValue(item, out var place))
                return place;
            _places.Add(item, place = _all.Count);
            _all.Add(item);
            return place;
        }

        public T[] All => [.. _all];
    }

    private BlockGather(IReadOnlyList<RecordBlock> from)
    {
        _from = from;
        (_resources, _sources, _shapes) = (new int[from.Count][], new int[from.Count][], new int[from.Count][]);
    }

    /// <summary>All rows of blocks.</summary>
    public static RowRef[] Rows(IReadOnlyList<RecordBlock> blocks)
    {
        var rows = new RowRef[blocks.Sum(b => b.Count)];
        var at = 0;
        for (var b = 0; b < blocks.Count; b++)
        for (var row = 0; row < blocks[b].Count; row++)
            rows[at++] = new RowRef(b, row);
        return rows;
    }

    /// <summary>Puts rows into the order of their ids.</summary>
    public static void Sort(IReadOnlyList<RecordBlock> blocks, RowRef[] rows)
    {
        for (var i = 1; i < rows.Length; i++)
        {
            if (Id(rows[i - 1]) <= Id(rows[i]))
                continue;
            Array.Sort(Array.ConvertAll(rows, Id), rows);
            return;
        }

        RecordId Id(RowRef row) => blocks[row.Block].IdOf(row.Row);
    }

    /// <summary>The rows in this order.</summary>
    public static RecordBlock Of(IReadOnlyList<RecordBlock> blocks, ReadOnlySpan<RowRef> rows) =>
        new BlockGather(blocks).Gather(rows);

    /// <summary>A block in the order of its ids: itself where it is so.</summary>
    public static RecordBlock Sorted(RecordBlock block)
    {
        if (block.IsSorted)
            return block;
        RecordBlock[] blocks = [block];
        var rows = Rows(blocks);
        Sort(blocks, rows);
        return Of(blocks, rows);
    }

    private RecordBlock Gather(ReadOnlySpan<RowRef> rows)
    {
        var (cells, bytes) = (0, 0);
        foreach (var row in rows)
        {
            var from = _from[row.Block];
            cells += from.CellOf[row.Row + 1] - from.CellOf[row.Row];
            bytes = checked(bytes + from.StartOf[row.Row + 1] - from.StartOf[row.Row]);
        }
        var into = new RecordBlock(rows.Length, cells, bytes) { Signal = _from.Count == 0 ? Signal.Logs : _from[0].Signal };
        (cells, bytes) = (0, 0);
        for (var i = 0; i < rows.Length; )
        {
            var end = i + 1;
            while (end < rows.Length && rows[end].Block == rows[i].Block && rows[end].Row == rows[end - 1].Row + 1)
                end++;
            Copy(rows[i].Block, rows[i].Row, end - i, into, i, ref cells, ref bytes);
            i = end;
        }
        (into.StartOf[rows.Length], into.CellOf[rows.Length]) = (bytes, cells);
        return into.With(_allResources.All, _allSources.All, _allShapes.All);
    }

    private void Copy(int block, int first, int count, RecordBlock into, int at, ref int cells, ref int bytes)
    {
        var from = _from[block];
        into.TakeMade(from, first, count, at);
        Array.Copy(from.TimeOf, first, into.TimeOf, at, count);
        Array.Copy(from.ObservedOf, first, into.ObservedOf, at, count);
        Array.Copy(from.SequenceOf, first, into.SequenceOf, at, count);
        Array.Copy(from.SeverityOf, first, into.SeverityOf, at, count);
        Array.Copy(
            from.Texts,
            first * RecordBlock.TextParts,
            into.Texts,
            at * RecordBlock.TextParts,
            count * RecordBlock.TextParts
        );
        var (cellShift, byteShift) = (cells - from.CellOf[first], bytes - from.StartOf[first]);
        for (var i = 0; i < count; i++)
        {
            into.StartOf[at + i] = from.StartOf[first + i] + byteShift;
            into.CellOf[at + i] = from.CellOf[first + i] + cellShift;
        }
        Map(from.ResourceOf, from.Resources, _resources, _allResources, into.ResourceOf);
        Map(from.SourceOf, from.Sources, _sources, _allSources, into.SourceOf);
        Map(from.ShapeOf, from.Shapes, _shapes, _allShapes, into.ShapeOf);
        var (moreCells, moreBytes) = (
            from.CellOf[first + count] - from.CellOf[first],
            from.StartOf[first + count] - from.StartOf[first]
        );
        Array.Copy(from.Cells, from.CellOf[first], into.Cells, cells, moreCells);
        Buffer.BlockCopy(from.Bytes, from.StartOf[first], into.Bytes, bytes, moreBytes);
        cells += moreCells;
        bytes += moreBytes;

        void Map<T>(int[] placeOf, T[] things, int[]?[] maps, RowIndexes<T> all, int[] to)
            where T : notnull
        {
            if (maps[block] is not { } map)
            {
                maps[block] = map = new int[things.Length];
                Array.Fill(map, -1);
            }
            for (var i = 0; i < count; i++)
            {
                ref var place = ref map[placeOf[first + i]];
                if (place < 0)
                    place = all.Of(things[placeOf[first + i]]);
                to[at + i] = place;
            }
        }
    }
}
