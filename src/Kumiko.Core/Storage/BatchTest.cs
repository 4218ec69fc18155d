using System.Collections.Concurrent;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Segments;

namespace Kumiko.Core.Storage;

/// <summary>
/// A test of records that looks at each batch once, whoever asks: rows, strip, counts and fields of one run share
/// what it found.
/// </summary>
public sealed class BatchTest
{
    /// <summary>After so many rows a reading looks whether it is still wanted: with the slowest conditions known, a few
    /// milliseconds.</summary>
    internal const int CancelEvery = 2_048;

    /// <summary>Beyond so many places a batch is looked at again, so that reading any number of records takes no more memory than
    /// that.</summary>
    private const long MostKept = 32 << 20;

    private readonly ConcurrentDictionary<RecordBatch, Lazy<int[]>> _found = new(ReferenceEqualityComparer.Instance);
    private readonly Func<RecordBatch, CancellationToken, int[]>? _look;
    private readonly Func<SegmentBatch, Window, bool>? _mayMatch;
    private readonly long _mostKept;
    private long _kept;

    public static readonly BatchTest All = new((Func<RecordBatch, CancellationToken, int[]>?)null);

    /// <param name="look">Finds the places in a batch whose records pass, rising; null passes all.</param>
    /// <param name="mayMatch">False for segments in which surely nothing passes; null where that is not known.</param>
    /// <param name="mostKept">Places that are kept for the next who asks.</param>
    public BatchTest(
        Func<RecordBatch, CancellationToken, int[]>? look,
        Func<SegmentBatch, Window, bool>? mayMatch = null,
        long mostKept = MostKept
    ) => (_look, _mayMatch, _mostKept) = (look, mayMatch, mostKept);

    /// <summary>The same, one record after another.</summary>
    public static BatchTest Of(Func<LogRecord, bool> test, Func<SegmentBatch, Window, bool>? mayMatch = null) =>
        new((batch, cancel) => RowsThatPass(test, batch, cancel), mayMatch);

    public bool PassesAll => _look is null;

    /// <summary>False where no record of the batch inside the window can pass, told without reading its rows.</summary>
    public bool MayMatch(RecordBatch batch, Window window) =>
        _mayMatch is null || batch is not SegmentBatch segment || _mayMatch(segment, window);

    /// <summary>The places in a batch whose records pass, rising. Not to be called where all pass.</summary>
    /// <exception cref="OperationCanceledException">The token was cancelled while the batch was read.</exception>
    public int[] Matches(RecordBatch batch, CancellationToken cancel)
    {
        if (_found.TryGetValue(batch, out var known))
            return known.Value;
        var found = _found
            .GetOrAdd(batch, static (b, s) => new Lazy<int[]>(() => s.self._look!(b, s.cancel)), (self: this, cancel))
            .Value;
        if (Interlocked.Add(ref _kept, found.Length) <= _mostKept)
            return found;
        _found.TryRemove(batch, out _);
        Interlocked.Add(ref _kept, -found.Length);
        return found;
    }

    private static int[] RowsThatPass(Func<LogRecord, bool> test, RecordBatch batch, CancellationToken cancel)
    {
        var found = new int[Math.Min(batch.Count, 256)];
        var count = 0;
        var rows = batch.Open(records: true);
        for (var i = 0; i < batch.Count; i++)
        {
            if (i % CancelEvery == 0)
                cancel.ThrowIfCancellationRequested();
            if (!test(rows[i]))
                continue;
            if (count == found.Length)
                Array.Resize(ref found, Math.Min(batch.Count, count * 2));
            found[count++] = i;
        }
        Array.Resize(ref found, count);
        return found;
    }
}
