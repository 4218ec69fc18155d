using Kumiko.Core.Frames;
using Kumiko.Core.Records;

namespace Kumiko.Core.Storage;

/// <summary>All records up to one commit: an immutable list that reading never blocks and writing never changes.</summary>
public sealed class Snapshot(RecordBatch[] batches, long count)
{
    public static readonly Snapshot Empty = new([], 0);

    private const int CancelEvery = 8_192;

    internal RecordBatch[] Batches => batches;

    /// <summary>Number of records.</summary>
    public long Count => count;

    /// <summary>Records in a window that pass a test, newest first, read only as far as asked.</summary>
    /// <param name="before">Starts below this id; null starts at the window's end.</param>
    public IEnumerable<LogRecord> NewestFirst(Window window, Func<LogRecord, bool>? test, RecordId? before, CancellationToken cancel) =>
        Merge(window, test, newest: true, before, cancel);

    /// <summary>The same, oldest first, starting above an id.</summary>
    public IEnumerable<LogRecord> OldestFirst(Window window, Func<LogRecord, bool>? test, RecordId? after, CancellationToken cancel) =>
        Merge(window, test, newest: false, after, cancel);

    private IEnumerable<LogRecord> Merge(Window window, Func<LogRecord, bool>? test, bool newest, RecordId? from, CancellationToken cancel)
    {
        // Batches wait in the order of their first possible record and join the merge only when it is reached.
        var waiting = new Queue<RecordBatch>(batches.Where(b => window.Overlaps(b.MinTime, b.MaxTime))
            .OrderBy(b => newest ? -b.MaxTime : b.MinTime));
        var direction = newest ? -1 : 1;
        var merge = new PriorityQueue<IEnumerator<LogRecord>, RecordId>(Comparer<RecordId>.Create((a, b) => direction * a.CompareTo(b)));
        while (true)
        {
            while (waiting.TryPeek(out var next) && (merge.Count == 0 || Reaches(next, merge)))
            {
                waiting.Dequeue();
                var cursor = Cursor(next, window, test, newest, from, cancel).GetEnumerator();
                if (cursor.MoveNext()) merge.Enqueue(cursor, cursor.Current.Id);
            }
            if (merge.Count == 0) yield break;
            var first = merge.Dequeue();
            yield return first.Current;
            if (first.MoveNext()) merge.Enqueue(first, first.Current.Id);
        }

        bool Reaches(RecordBatch batch, PriorityQueue<IEnumerator<LogRecord>, RecordId> queue) =>
            queue.TryPeek(out _, out var head) && (newest ? batch.MaxTime >= head.Time : batch.MinTime <= head.Time);
    }

    private static IEnumerable<LogRecord> Cursor(RecordBatch batch, Window window, Func<LogRecord, bool>? test, bool newest, RecordId? from, CancellationToken cancel)
    {
        var (first, end) = batch.Range(window);
        for (var n = 0; n < end - first; n++)
        {
            if (n % CancelEvery == 0) cancel.ThrowIfCancellationRequested();
            var record = batch[newest ? end - 1 - n : first + n];
            if (from is { } edge && (newest ? record.Id >= edge : record.Id <= edge)) continue;
            if (test is null || test(record)) yield return record;
        }
    }

    /// <summary>Tests every record in a window once, on two workers.</summary>
    public MatchSet Scan(Window window, Func<LogRecord, bool>? test, CancellationToken cancel)
    {
        var touched = batches.Where(b => window.Overlaps(b.MinTime, b.MaxTime)).ToArray();
        var parts = new MatchSet.Part[touched.Length];
        Parallel.For(0, touched.Length, new ParallelOptions { MaxDegreeOfParallelism = 2, CancellationToken = cancel }, i =>
        {
            var (first, end) = touched[i].Range(window);
            parts[i] = new MatchSet.Part(touched[i], first, end, test is null ? null : Matching(touched[i], first, end, test));
        });
        return new MatchSet(parts);
    }

    private static int[] Matching(RecordBatch batch, int first, int end, Func<LogRecord, bool> test)
    {
        var found = new int[Math.Min(end - first, 256)];
        var count = 0;
        for (var i = first; i < end; i++)
        {
            if (!test(batch[i])) continue;
            if (count == found.Length) Array.Resize(ref found, count * 2);
            found[count++] = i;
        }
        Array.Resize(ref found, count);
        return found;
    }
}
