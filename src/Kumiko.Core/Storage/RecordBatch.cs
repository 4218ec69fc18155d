using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Blocks;

namespace Kumiko.Core.Storage;

/// <summary>Records sorted by id that never change: in memory, or a segment.</summary>
public abstract class RecordBatch
{
    /// <summary>What its rows are.</summary>
    public abstract Signal Signal { get; }
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

/// <summary>Records held in memory, or read into it when they are asked for.</summary>
public sealed class RecentBatch : RecordBatch, IRecordRows
{
    private readonly Func<RecordBlock>? _read;
    private WeakReference<Rows>? _last;
    private Rows? _rows;

    private sealed record Rows(RecordBlock Block, byte[] Bands);

    private RecentBatch(RecordBlock sorted)
    {
        _rows = RowsOf(sorted);
        (Signal, Count, MinTime, MaxTime) = (sorted.Signal, sorted.Count, sorted.TimeOf[0], sorted.TimeOf[^1]);
        (MinSequence, MaxSequence) = (sorted.SequenceOf.Min(), sorted.SequenceOf.Max());
    }

    private RecentBatch(Signal signal, int count, (long, long) times, (long, long) sequences, Func<RecordBlock> read)
    {
        (Signal, Count, _read) = (signal, count, read);
        ((MinTime, MaxTime), (MinSequence, MaxSequence)) = (times, sequences);
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

    /// <summary>Rows that are read when they are asked for, and held no longer than somebody needs them.</summary>
    /// <param name="times">No row is earlier or later.</param>
    /// <param name="sequences">The first and the last.</param>
    internal static RecentBatch Later(
        Signal signal,
        int count,
        (long First, long Last) times,
        (long First, long Last) sequences,
        Func<RecordBlock> read
    ) => new(signal, count, times, sequences, read);

    public static RecentBatch Merge(RecentBatch a, RecentBatch b)
    {
        RecordBlock[] blocks = [a.Block, b.Block];
        var rows = BlockGather.Rows(blocks);
        BlockGather.Sort(blocks, rows);
        return new RecentBatch(BlockGather.Of(blocks, rows));
    }

    /// <summary>The columns behind it, sorted.</summary>
    internal RecordBlock Block => Loaded.Block;

    private Rows Loaded
    {
        get
        {
            if (_rows is { } held || _last?.TryGetTarget(out held) == true)
                return held!;
            var rows = RowsOf(BlockGather.Sorted(_read!()));
            _last = new WeakReference<Rows>(rows);
            return rows;
        }
    }

    // Counting over time reads the bands and the times, and never the records.
    private static Rows RowsOf(RecordBlock sorted) =>
        new(sorted, Array.ConvertAll(sorted.SeverityOf, s => (byte)Severity.Band(s)));

    /// <summary>Whether its rows are not held.</summary>
    internal bool IsLater => _read is not null;

    /// <summary>Holds its rows from now on, as they can be read no more.</summary>
    internal void Hold(RecordBlock block) => _rows = RowsOf(BlockGather.Sorted(block));

    public override Signal Signal { get; }
    public override int Count { get; }
    public override long MinTime { get; }
    public override long MaxTime { get; }
    public long MinSequence { get; }
    public override long MaxSequence { get; }
    public LogRecord this[int index] => Block[index];
    public ReadOnlySpan<long> Times => Block.Times;
    public ReadOnlySpan<byte> Bands => Loaded.Bands;

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
