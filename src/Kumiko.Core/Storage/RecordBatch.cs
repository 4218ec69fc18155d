using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Blocks;

namespace Kumiko.Core.Storage;

/// <summary>Records sorted by id that never change: in memory, or a segment.</summary>
public abstract class RecordBatch
{
    public abstract int Count { get; }
    public abstract long MinTime { get; }
    public abstract long MaxTime { get; }

    /// <summary>The highest sequence in it.</summary>
    public abstract long MaxSequence { get; }

    /// <summary>The rows, decoded where needed.</summary>
    /// <param name="records">Whether records will be read, and not times and severities alone.</param>
    /// <exception cref="Segments.DamagedSegmentException">The batch cannot be read.</exception>
    public abstract IRecordRows Open(bool records);

    /// <summary>The places [First, End) of the records inside a window.</summary>
    public (int First, int End) Range(Window window)
    {
        if (window.From <= MinTime && MaxTime < window.To)
            return (0, Count);
        var times = Open(records: false).Times;
        return (LowerBound(times, window.From), LowerBound(times, window.To));
    }

    /// <summary>The first place whose time is not before this.</summary>
    internal static int LowerBound(ReadOnlySpan<long> times, long time)
    {
        var (low, high) = (0, times.Length);
        while (low < high)
        {
            var middle = (low + high) >>> 1;
            if (times[middle] < time)
                low = middle + 1;
            else
                high = middle;
        }
        return low;
    }
}

/// <summary>Records held in memory.</summary>
public sealed class RecentBatch : RecordBatch, IRecordRows
{
    private readonly byte[] _bands;

    private RecentBatch(RecordBlock sorted)
    {
        Block = sorted;
        // Counting over time reads this column and the times, and never the records.
        _bands = Array.ConvertAll(sorted.SeverityOf, s => (byte)Severity.Band(s));
        (MinSequence, MaxSequence) = (sorted.SequenceOf.Min(), sorted.SequenceOf.Max());
    }

    /// <param name="block">At least one record, in any order.</param>
    public static RecentBatch Of(RecordBlock block) => new(BlockGather.Sorted(block));

    /// <summary>The same in parts of so many rows at most.</summary>
    public static IEnumerable<RecentBatch> Of(RecordBlock block, int mostRows)
    {
        if (block.Count <= mostRows)
            return [Of(block)];
        RecordBlock[] blocks = [block];
        return BlockGather.Rows(blocks).Chunk(mostRows).Select(rows => Of(BlockGather.Of(blocks, rows)));
    }

    public static RecentBatch Merge(RecentBatch a, RecentBatch b)
    {
        RecordBlock[] blocks = [a.Block, b.Block];
        var rows = BlockGather.Rows(blocks);
        BlockGather.Sort(blocks, rows);
        return new RecentBatch(BlockGather.Of(blocks, rows));
    }

    /// <summary>The columns behind it, sorted.</summary>
    internal RecordBlock Block { get; }

    public override int Count => Block.Count;
    public override long MinTime => Block.TimeOf[0];
    public override long MaxTime => Block.TimeOf[^1];
    public long MinSequence { get; }
    public override long MaxSequence { get; }
    public LogRecord this[int index] => Block[index];
    public ReadOnlySpan<long> Times => Block.Times;
    public ReadOnlySpan<byte> Bands => _bands;

    public override IRecordRows Open(bool records) => this;

    /// <summary>Those that are left when some sequences are gone; null for none, itself for all.</summary>
    public RecentBatch? Without(Func<long, bool> gone)
    {
        var left = Enumerable.Range(0, Count).Where(i => !gone(Block.SequenceOf[i])).Select(i => new RowRef(0, i)).ToArray();
        if (left.Length == 0)
            return null;
        if (left.Length == Count)
            return this;
        return new RecentBatch(BlockGather.Of([Block], left));
    }
}
