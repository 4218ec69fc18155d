using Kumiko.Core.Frames;
using Kumiko.Core.Records;

namespace Kumiko.Core.Storage;

/// <summary>Records sorted by id that never change: in memory, or a segment.</summary>
public abstract class RecordBatch
{
    public abstract int Count { get; }
    public abstract long MinTime { get; }
    public abstract long MaxTime { get; }

    /// <summary>The rows, decoded where needed.</summary>
    /// <param name="records">Whether records will be read, and not times and severities alone.</param>
    /// <exception cref="Segments.DamagedSegmentException">The batch cannot be read.</exception>
    public abstract IRecordRows Open(bool records);

    /// <summary>The places [First, End) of the records inside a window.</summary>
    public (int First, int End) Range(Window window)
    {
        if (window.From <= MinTime && MaxTime < window.To) return (0, Count);
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
            if (times[middle] < time) low = middle + 1; else high = middle;
        }
        return low;
    }
}

/// <summary>Records held in memory.</summary>
public sealed class RecentBatch : RecordBatch, IRecordRows
{
    private readonly LogRecord[] _records;
    private readonly long[] _times;
    private readonly byte[] _bands;

    private RecentBatch(LogRecord[] sorted)
    {
        _records = sorted;
        // Counting over time reads these two columns and never the records.
        _times = Array.ConvertAll(sorted, r => r.Time);
        _bands = Array.ConvertAll(sorted, r => (byte)Severity.Band(r.SeverityNumber));
        (MinSequence, MaxSequence) = (sorted.Min(r => r.Sequence), sorted.Max(r => r.Sequence));
    }

    /// <param name="records">At least one, in any order.</param>
    public static RecentBatch Of(LogRecord[] records)
    {
        var sorted = true;
        for (var i = 1; i < records.Length && sorted; i++) sorted = records[i - 1].Id <= records[i].Id;
        if (!sorted)
        {
            records = [.. records];
            Array.Sort(records, (a, b) => a.Id.CompareTo(b.Id));
        }
        return new RecentBatch(records);
    }

    public static RecentBatch Merge(RecentBatch a, RecentBatch b) => Of([.. a._records, .. b._records]);

    public override int Count => _records.Length;
    public override long MinTime => _times[0];
    public override long MaxTime => _times[^1];
    public long MinSequence { get; }
    public long MaxSequence { get; }
    public LogRecord this[int index] => _records[index];
    public ReadOnlySpan<LogRecord> Records => _records;
    public ReadOnlySpan<long> Times => _times;
    public ReadOnlySpan<byte> Bands => _bands;
    public override IRecordRows Open(bool records) => this;

    /// <summary>Those that are left when some sequences are gone; null for none, itself for all.</summary>
    public RecentBatch? Without(Func<long, bool> gone)
    {
        var left = Array.FindAll(_records, r => !gone(r.Sequence));
        return left.Length == 0 ? null : left.Length == _records.Length ? this : new RecentBatch(left);
    }
}
