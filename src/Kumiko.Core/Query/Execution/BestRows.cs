using Kumiko.Core.Evaluation;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Segments;

namespace Kumiko.Core.Query.Execution;

/// <summary>Finds the first few of sorted records: of each batch the keys are read from its columns, and records are made only of
/// those that are among the first so far.</summary>
internal sealed class BestRows(
    Pipeline pipeline,
    Sorting sorting,
    LogConditions conditions,
    FieldRefs fields,
    ScanMeter meter,
    CancellationToken cancel
)
{
    /// <summary>What the store calls the field that is sorted by, where it is one as it is stored; else null.</summary>
    private readonly string? _stored =
        sorting.Field is { } field && pipeline is { RecordSteps.Count: 0, Moved: 0 }
            ? new RecordScope(fields, pipeline.Signal).Stored(field)
            : null;

    /// <summary>A record that may be among the first: itself, or where it lies.</summary>
    private sealed record Candidate(Value[] Keys, RecordId Id, SegmentBatch? Segment, int Place)
    {
        public LogRecord? Record { get; set; }
    }

    /// <summary>The candidates of one worker; the worst is on top, ready to go.</summary>
    private sealed class Found(Sorting sorting)
    {
        private readonly PriorityQueue<Candidate, Candidate> _best = new(
            Comparer<Candidate>.Create((a, b) => Compare(sorting, b, a))
        );

        public IEnumerable<Candidate> All => _best.UnorderedItems.Select(i => i.Element);

        public bool IsFull => _best.Count >= sorting.Most;

        /// <summary>Whether a row with such keys can be among the first.</summary>
        public bool Takes(Value[] keys) => !IsFull || sorting.Compare(keys, _best.Peek().Keys) <= 0;

        /// <summary>The value that a row must reach where there is one key and it is a whole number of this kind; null where any
        /// may.</summary>
        public long? Least(ValueKind kind) =>
            IsFull && _best.Peek().Keys[0] is var worst && worst.Kind == kind ? worst.AsLong : null;

        public void Add(Candidate candidate)
        {
            if (!IsFull)
                _best.Enqueue(candidate, candidate);
            else if (Compare(sorting, candidate, _best.Peek()) < 0)
                _best.EnqueueDequeue(candidate, candidate);
        }
    }

    /// <summary>By keys, and of equal ones the newest first, as they are read.</summary>
    private static int Compare(Sorting sorting, Candidate a, Candidate b) =>
        sorting.Compare(a.Keys, b.Keys) is var order && order != 0 ? order : b.Id.CompareTo(a.Id);

    /// <summary>The first, newest first, with their slots filled.</summary>
    public IEnumerable<Row> Of(Snapshot snapshot)
    {
        var touched = snapshot
            .Batches.Where(b => pipeline.Reads.Overlaps(b.MinTime, b.MaxTime))
            .OrderByDescending(b => b.MaxTime)
            .ToArray();
        var workers = Enumerable.Range(0, Math.Min(2, touched.Length)).Select(_ => new Found(sorting)).ToArray();
        var next = -1;
        Parallel.For(0, workers.Length, new ParallelOptions { MaxDegreeOfParallelism = 2, CancellationToken = cancel }, worker =>
        {
            for (var i = Interlocked.Increment(ref next); i < touched.Length; i = Interlocked.Increment(ref next))
            {
                cancel.ThrowIfCancellationRequested();
                Look(touched[i], workers[worker]);
            }
        });
        var first = new Found(sorting);
        foreach (var candidate in workers.SelectMany(w => w.All))
            first.Add(candidate);
        Read(first.All);
        return first
            .All.OrderByDescending(c => c.Id)
            .Where(c => c.Record is not null)
            .Select(c => pipeline.RowOf(c.Record!))
            .Where(row => pipeline.RecordSteps.All(step => step.OnRow!(row)));
    }

    /// <summary>Reads the records that are known by their places alone.</summary>
    private void Read(IEnumerable<Candidate> candidates) =>
        Parallel.ForEach(
            candidates.Where(c => c.Segment is not null).GroupBy(c => c.Segment!),
            new ParallelOptions { MaxDegreeOfParallelism = 2, CancellationToken = cancel },
            of =>
            {
                try
                {
                    of.Key.Scan(conditions.PatternOf, scan =>
                    {
                        foreach (var candidate in of)
                            candidate.Record = scan.Record(candidate.Place);
                        return 0;
                    });
                }
                // The store has set it aside and said so; the rest goes on.
                catch (DamagedSegmentException) { }
            }
        );

    private void Look(RecordBatch batch, Found found)
    {
        if (batch is RecentBatch recent)
        {
            var (first, end) = recent.Range(pipeline.Reads);
            for (var i = first; i < end; i++)
            {
                if (i % BatchTest.CancelEvery == 0)
                    cancel.ThrowIfCancellationRequested();
                var record = recent[i];
                var row = pipeline.RowOf(record);
                if (conditions.Written.All(c => c.OnRow(row)) && Keys(row, found) is { } keys)
                    found.Add(new Candidate(keys, record.Id, null, 0) { Record = record });
            }
            return;
        }
        try
        {
            Look((SegmentBatch)batch, found);
        }
        // The store has set it aside and said so; the rest goes on.
        catch (DamagedSegmentException) { }
    }

    private void Look(SegmentBatch segment, Found found)
    {
        if (!conditions.MayMatch(segment, pipeline.Reads))
        {
            meter.Skip(segment);
            return;
        }
        segment.Scan(conditions.PatternOf, scan =>
        {
            var (first, end) = scan.Range(pipeline.Reads);
            var rows = conditions.Find(segment, scan, RowMask.Between(scan.Count, first, end), cancel);
            var (numbers, kind) = Numbers(scan);
            var descending = sorting.Keys[0].Descending;
            for (int place = rows.Next(0), read = 0; place >= 0; place = rows.Next(place + 1), read++)
            {
                if (read % BatchTest.CancelEvery == 0)
                    cancel.ThrowIfCancellationRequested();
                // Most are told to be too small or too large by their number alone.
                if (
                    numbers is not null
                    && found.Least(kind) is { } least
                    && (descending ? numbers[place] < least : numbers[place] > least)
                )
                    continue;
                if (Keys(pipeline.RowOf(scan, place), found) is { } keys)
                    found.Add(new Candidate(keys, scan.Id(place), segment, place));
            }
            meter.Read(segment, scan.BytesRead);
            return 0;
        });
    }

    /// <summary>What is sorted by, where it is a column of whole numbers that all rows have; else null.</summary>
    private (long[]? Numbers, ValueKind Kind) Numbers(SegmentScan scan)
    {
        if (_stored is null)
            return (null, default);
        if (_stored == SpanFields.Duration)
            return (scan.Durations, ValueKind.Duration);
        return
            !RecordFields.IsColumn(_stored)
            && scan.Column(fields.Get(_stored)).TryWholes(scan.Arena, out var numbers, out var there, out var kind)
            && there is null
            ? (numbers, kind)
            : (null, default);
    }

    /// <summary>The keys of a row that passes the steps on single records and may be among the first; null for others.</summary>
    private Value[]? Keys(Row row, Found found) =>
        pipeline.RecordSteps.All(step => step.OnRow!(row)) && sorting.KeysOf(row) is var keys && found.Takes(keys) ? keys : null;
}
