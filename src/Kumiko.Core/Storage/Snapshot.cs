using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Segments;

namespace Kumiko.Core.Storage;

/// <summary>
/// All records up to one commit, or all spans: an immutable list that reading never blocks and writing never changes. While it
/// is not disposed, the segments in it stay, whatever becomes of them.
/// </summary>
public sealed class Snapshot : IDisposable
{
    private readonly RecordBatch[] _batches;
    private readonly BatchLists _lists;
    private readonly VersionPins<BatchLists>.Pin _pin;

    internal Snapshot(BatchLists lists, Signal signal, VersionPins<BatchLists>.Pin pin) =>
        (_lists, Signal, _pin, _batches) = (lists, signal, pin, lists.Of(signal));

    /// <summary>What its rows are.</summary>
    public Signal Signal { get; }

    /// <summary>The same moment as another kind of rows sees it. It ends with this one.</summary>
    public Snapshot Of(Signal signal) => signal == Signal ? this : new(_lists, signal, _pin) { Patterns = Patterns };

    /// <summary>Batches of all kinds.</summary>
    internal IEnumerable<RecordBatch> Everything => _lists.All;

    /// <summary>Segments of all kinds.</summary>
    internal IEnumerable<SegmentBatch> AllSegments => _lists.All.OfType<SegmentBatch>();

    /// <summary>In no certain order.</summary>
    public IReadOnlyList<RecordBatch> Batches => _batches;

    public IEnumerable<SegmentBatch> Segments => _batches.OfType<SegmentBatch>();

    /// <summary>Number of records.</summary>
    public long Count => _lists.CountOf(Signal);

    /// <summary>The highest sequence of all; those that are committed later have higher ones. −1 where there is none.</summary>
    public long LastSequence => _batches.Length == 0 ? -1 : _batches.Max(b => b.MaxSequence);

    /// <summary>The patterns of the store it is of; null where nobody can tell.</summary>
    public Patterns.PatternView? Patterns { get; init; }

    /// <summary>The same records for another reader, who disposes them separately.</summary>
    public Snapshot Share() => new(_lists, Signal, _pin.Again()) { Patterns = Patterns };

    internal Snapshot With(Patterns.PatternBook patterns) =>
        new(_lists, Signal, _pin) { Patterns = new Patterns.PatternView(patterns, _batches) };

    public void Dispose() => _pin.Dispose();

    /// <summary>Records in a window that pass a test, newest first, read only as far as asked.</summary>
    /// <param name="before">Starts below this id; null starts at the window's end.</param>
    public IEnumerable<LogRecord> NewestFirst(Window window, BatchTest test, RecordId? before, CancellationToken cancel) =>
        Merge(window, test, newest: true, before, cancel);

    /// <summary>The same, oldest first, starting above an id.</summary>
    public IEnumerable<LogRecord> OldestFirst(Window window, BatchTest test, RecordId? after, CancellationToken cancel) =>
        Merge(window, test, newest: false, after, cancel);

    private IEnumerable<LogRecord> Merge(Window window, BatchTest test, bool newest, RecordId? from, CancellationToken cancel)
    {
        if (from is { } edge)
            window = newest
                ? window with
                {
                    To = Math.Min(window.To, edge.Time == long.MaxValue ? edge.Time : edge.Time + 1),
                }
                : window with
                {
                    From = Math.Max(window.From, edge.Time),
                };
        // Batches wait in the order of their first possible record and join the merge only when it is reached.
        var touched = _batches.Where(b => window.Overlaps(b.MinTime, b.MaxTime));
        var waiting = new Queue<RecordBatch>(
            newest ? touched.OrderByDescending(b => b.MaxTime) : touched.OrderBy(b => b.MinTime)
        );
        var direction = newest ? -1 : 1;
        var merge = new PriorityQueue<IEnumerator<LogRecord>, RecordId>(
            Comparer<RecordId>.Create((a, b) => direction * a.CompareTo(b))
        );
        (RecordBatch Batch, Task<TestedBatch> Look)? ahead = null;
        var opened = 0;
        try
        {
            while (true)
            {
                while (waiting.TryPeek(out var next) && (merge.Count == 0 || Reaches(next, merge)))
                {
                    waiting.Dequeue();
                    var mine = ahead is { } before && before.Batch == next ? before.Look : null;
                    // While one batch is looked through, another worker goes on with the next.
                    ahead = !test.PassesAll && waiting.TryPeek(out var following) ? (following, Ahead(following)) : null;
                    var cursor = Cursor(
                            mine is null ? Test(next, window, test, newest, cancel) : mine.GetAwaiter().GetResult(),
                            newest,
                            from,
                            opened++ < KeptSegments
                        )
                        .GetEnumerator();
                    if (cursor.MoveNext())
                        merge.Enqueue(cursor, cursor.Current.Id);
                }
                if (!merge.TryPeek(out var first, out _))
                    yield break;
                yield return first.Current;
                if (first.MoveNext())
                    merge.DequeueEnqueue(first, first.Current.Id);
                else
                    merge.Dequeue();
            }
        }
        finally
        {
            while (merge.TryDequeue(out var left, out _))
                left.Dispose();
        }

        Task<TestedBatch> Ahead(RecordBatch batch)
        {
            // Whoever asked may be gone before it is done.
            var pin = _pin.Again();
            return Task.Run(
                () =>
                {
                    using (pin)
                        return Test(batch, window, test, newest, cancel);
                },
                CancellationToken.None
            );
        }

        bool Reaches(RecordBatch batch, PriorityQueue<IEnumerator<LogRecord>, RecordId> queue) =>
            queue.TryPeek(out _, out var head) && (newest ? batch.MaxTime >= head.Time : batch.MinTime <= head.Time);
    }

    /// <param name="Few">The records, where they are so few that they were put together by themselves.</param>
    private sealed record TestedBatch(MatchSet.Part Part, LogRecord[]? Few);

    private static TestedBatch Test(RecordBatch batch, Window window, BatchTest test, bool newest, CancellationToken cancel)
    {
        var part = Part(batch, window, test, cancel);
        return new TestedBatch(
            part,
            batch is SegmentBatch segment && part.Count is > 0 and <= FewRecords ? Few(segment, part, newest) : null
        );
    }

    /// <param name="keep">Whether a segment stays unpacked for the next reader.</param>
    private static IEnumerable<LogRecord> Cursor(TestedBatch looked, bool newest, RecordId? from, bool keep)
    {
        var part = looked.Part;
        if (part.Count == 0)
            yield break;
        var places = Enumerable.Range(0, part.Count).Select(n => part[newest ? part.Count - 1 - n : n]);
        IEnumerable<LogRecord> records;
        if (looked.Few is { } few)
            records = few;
        else if (part.Batch is SegmentBatch segment && (!keep || part.Count < segment.Count / SmallPart))
            records = segment.Records(places);
        else
            records = part.TryOpen(records: true) is { } rows ? places.Select(place => rows[place]) : [];
        foreach (var record in records)
            if (from is not { } edge || (newest ? record.Id < edge : record.Id > edge))
                yield return record;
    }

    /// <summary>So many segments that reading in order comes to first are kept for the next page; a long reading must not drive
    /// out what pages use.</summary>
    private const int KeptSegments = 3;

    /// <summary>So many records of a segment are put together as it is looked through, by whichever worker does.</summary>
    private const int FewRecords = 32;

    /// <summary>For a smaller part of its rows a segment is not unpacked to be kept.</summary>
    private const int SmallPart = 32;

    private static LogRecord[] Few(SegmentBatch segment, MatchSet.Part part, bool newest)
    {
        try
        {
            return segment.Scan(null, scan =>
            {
                var records = new LogRecord[part.Count];
                for (var n = 0; n < records.Length; n++)
                    records[n] = scan.Record(part[newest ? part.Count - 1 - n : n]);
                return records;
            });
        }
        // The store has set it aside and said so; the rest goes on.
        catch (DamagedSegmentException)
        {
            return [];
        }
    }

    /// <summary>Tests every record in a window once, on two workers, newest batches first.</summary>
    public MatchSet Scan(Window window, BatchTest test, CancellationToken cancel) => Scan(window, test, _ => true, cancel);

    private MatchSet Scan(Window window, BatchTest test, Func<RecordBatch, bool> wanted, CancellationToken cancel)
    {
        var touched = _batches
            .Where(b => window.Overlaps(b.MinTime, b.MaxTime) && wanted(b))
            .OrderByDescending(b => b.MaxTime)
            .ToArray();
        var parts = new MatchSet.Part[touched.Length];
        var next = -1;
        Parallel.For(
            0,
            Math.Min(2, touched.Length),
            new ParallelOptions { MaxDegreeOfParallelism = 2, CancellationToken = cancel },
            _ =>
            {
                for (var i = Interlocked.Increment(ref next); i < touched.Length; i = Interlocked.Increment(ref next))
                    parts[i] = Part(touched[i], window, test, cancel);
            }
        );
        return new MatchSet(parts, this);
    }

    /// <summary>Ids of the records in a window that pass a test and were committed after a sequence, in no order.</summary>
    public List<RecordId> CommittedAfter(long sequence, Window window, BatchTest test, CancellationToken cancel)
    {
        var ids = new List<RecordId>();
        foreach (var part in Scan(window, test, batch => batch.MaxSequence > sequence, cancel).PartsIn(window))
        {
            cancel.ThrowIfCancellationRequested();
            if (part.Batch is RecentBatch recent)
                Add(recent.Times, recent.Block.SequenceOf, part);
            else
                try
                {
                    ((SegmentBatch)part.Batch).Scan(null, scan =>
                    {
                        Add(scan.Times, scan.Sequences, part);
                        return 0;
                    });
                }
                // The store has set it aside and said so; the rest goes on.
                catch (DamagedSegmentException) { }
        }
        return ids;

        void Add(ReadOnlySpan<long> times, ReadOnlySpan<long> sequences, MatchSet.Part part)
        {
            for (var i = 0; i < part.Count; i++)
                if (sequences[part[i]] > sequence)
                    ids.Add(new RecordId(times[part[i]], sequences[part[i]]));
        }
    }

    private static MatchSet.Part Part(RecordBatch batch, Window window, BatchTest test, CancellationToken cancel)
    {
        cancel.ThrowIfCancellationRequested();
        try
        {
            if (!test.MayMatch(batch, window))
                return new MatchSet.Part(batch, 0, 0, []);
            var (first, end) = batch.Range(window);
            if (test.PassesAll || first == end)
                return new MatchSet.Part(batch, first, end, null);
            var found = test.Matches(batch, cancel);
            var (low, high) = (LowerBound(found, first), LowerBound(found, end));
            return new MatchSet.Part(batch, first, end, low == 0 && high == found.Length ? found : found[low..high]);
        }
        // The store has set it aside and said so; the rest goes on.
        catch (DamagedSegmentException)
        {
            return new MatchSet.Part(batch, 0, 0, []);
        }
    }

    private static int LowerBound(int[] sorted, int value)
    {
        var at = Array.BinarySearch(sorted, value);
        return at < 0 ? ~at : at;
    }
}
