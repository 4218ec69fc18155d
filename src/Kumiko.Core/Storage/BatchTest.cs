using System.Collections.Concurrent;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Segments;

namespace Kumiko.Core.Storage;

/// <summary>
/// A test of records that looks at each batch once, whoever asks: rows, strip, counts and fields of one run share
/// what it found.
/// </summary>
/// <param name="test">Null passes all.</param>
/// <param name="mayMatch">False for segments in which surely nothing passes; null where that is not known.</param>
public sealed class BatchTest(Func<LogRecord, bool>? test, Func<SegmentBatch, Window, bool>? mayMatch = null)
{
    private const int CancelEvery = 8_192;

    private readonly ConcurrentDictionary<RecordBatch, Lazy<int[]>> _found = new(ReferenceEqualityComparer.Instance);

    public static readonly BatchTest All = new(null);

    public bool PassesAll => test is null;

    /// <summary>False where no record of the batch inside the window can pass, told without reading its rows.</summary>
    public bool MayMatch(RecordBatch batch, Window window) => mayMatch is null || batch is not SegmentBatch segment || mayMatch(segment, window);

    /// <summary>The places in a batch whose records pass, rising. Not to be called where all pass.</summary>
    /// <exception cref="OperationCanceledException">The token was cancelled while the batch was read.</exception>
    public int[] Matches(RecordBatch batch, CancellationToken cancel) =>
        _found.GetOrAdd(batch, static (b, s) => new Lazy<int[]>(() => s.self.Look(b, s.cancel)), (self: this, cancel)).Value;

    private int[] Look(RecordBatch batch, CancellationToken cancel)
    {
        var found = new int[Math.Min(batch.Count, 256)];
        var count = 0;
        var rows = batch.Open(records: true);
        for (var i = 0; i < batch.Count; i++)
        {
            if (i % CancelEvery == 0) cancel.ThrowIfCancellationRequested();
            if (!test!(rows[i])) continue;
            if (count == found.Length) Array.Resize(ref found, Math.Min(batch.Count, count * 2));
            found[count++] = i;
        }
        Array.Resize(ref found, count);
        return found;
    }
}
