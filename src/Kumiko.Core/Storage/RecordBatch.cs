using Kumiko.Core.Frames;
using Kumiko.Core.Records;

namespace Kumiko.Core.Storage;

/// <summary>Records held in memory, sorted by id, never changed once made.</summary>
public sealed class RecordBatch
{
    private readonly LogRecord[] _records;
    private readonly long[] _times;
    private readonly byte[] _bands;

    private RecordBatch(LogRecord[] sorted)
    {
        _records = sorted;
        // Counting over time reads these two columns and never the records.
        _times = Array.ConvertAll(sorted, r => r.Time);
        _bands = Array.ConvertAll(sorted, r => (byte)Severity.Band(r.SeverityNumber));
    }

    public static RecordBatch Of(LogRecord[] records)
    {
        var sorted = true;
        for (var i = 1; i < records.Length && sorted; i++) sorted = records[i - 1].Id <= records[i].Id;
        if (!sorted)
        {
            records = [.. records];
            Array.Sort(records, (a, b) => a.Id.CompareTo(b.Id));
        }
        return new RecordBatch(records);
    }

    public static RecordBatch Merge(RecordBatch a, RecordBatch b) => Of([.. a._records, .. b._records]);

    public int Count => _records.Length;
    public long MinTime => _times[0];
    public long MaxTime => _times[^1];
    public LogRecord this[int index] => _records[index];
    public ReadOnlySpan<long> Times => _times;

    /// <summary>Severity bands: 0 for unspecified, then trace to fatal.</summary>
    public ReadOnlySpan<byte> Bands => _bands;

    /// <summary>The places [First, End) of the records inside a window.</summary>
    public (int First, int End) Range(Window window) => (LowerBound(window.From), LowerBound(window.To));

    private int LowerBound(long time)
    {
        var (low, high) = (0, _times.Length);
        while (low < high)
        {
            var middle = (low + high) >>> 1;
            if (_times[middle] < time) low = middle + 1; else high = middle;
        }
        return low;
    }
}
