using System.Collections.Concurrent;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Patterns;
using Kumiko.Core.Storage.Segments;

namespace Kumiko.Core.Query.Execution;

/// <summary>
/// Runs pipelines over a snapshot: conditions on whole segments, groups on their columns by two workers, and what is
/// left row by row with the steps of the row evaluator.
/// </summary>
internal sealed class Executor(
    Snapshot snapshot,
    EvaluationContext context,
    FieldRefs fields,
    PatternView? patterns,
    Expr? allowed,
    CancellationToken cancel
)
{
    private const int Workers = 2;

    private readonly ConcurrentDictionary<Pipeline, LogConditions> _conditions = new(ReferenceEqualityComparer.Instance);
    private readonly ConcurrentDictionary<Pipeline, BatchTest> _tests = new(ReferenceEqualityComparer.Instance);

    public ScanMeter Meter { get; } = new();

    /// <summary>The condition that leaves only what the person may read; null for all.</summary>
    public Expr? Allowed { get; } = allowed;

    /// <summary>The conditions of a pipeline, as batches are asked.</summary>
    public LogConditions Conditions(Pipeline pipeline) => _conditions.GetOrAdd(pipeline, p =>
        {
            var all = p.Conditions.ToList();
            if (Allowed is not null)
                all.Insert(0, (0, Allowed));
            return new LogConditions(all, context, fields, patterns, p.Signal);
        });

    /// <summary>The test that a pipeline's records pass: its conditions and the steps on single records.</summary>
    public BatchTest Test(Pipeline pipeline) => _tests.GetOrAdd(pipeline, p =>
        {
            if (p.Scan is not null)
                return BatchTest.Of(_ => false);
            var conditions = Conditions(p);
            var drops = p.RecordSteps.Any(s => s.Drops);
            bool MayMatch(SegmentBatch batch, Window window)
            {
                if (conditions.MayMatch(batch, window))
                    return true;
                Meter.Skip(batch);
                return false;
            }
            if (conditions.IsEmpty && !drops)
                return BatchTest.All;
            return new BatchTest(
                (batch, token) =>
                {
                    if (!drops)
                        return conditions.Places(batch, Meter, token);
                    var found = conditions.IsEmpty
                        ? [.. Enumerable.Range(0, batch.Count)]
                        : conditions.Places(batch, Meter, token);
                    return Steps(p, batch, found, token);
                },
                conditions.IsEmpty ? null : MayMatch
            );
        });

    /// <summary>The places that pass the steps on single records too.</summary>
    private int[] Steps(Pipeline pipeline, RecordBatch batch, int[] places, CancellationToken token)
    {
        if (batch is SegmentBatch segment && places.Length > 0)
            return segment.Scan(patterns is null ? null : patterns.ValueOf, scan => Look(place => pipeline.RowOf(scan, place)));
        return Look(place => pipeline.RowOf(((RecentBatch)batch)[place]));

        int[] Look(Func<int, Row> rowOf)
        {
            var kept = new List<int>(places.Length);
            for (var i = 0; i < places.Length; i++)
            {
                if (i % BatchTest.CancelEvery == 0)
                    token.ThrowIfCancellationRequested();
                var row = rowOf(places[i]);
                if (pipeline.RecordSteps.All(step => step.OnRow!(row)))
                    kept.Add(places[i]);
            }
            return [.. kept];
        }
    }

    /// <summary>The records or spans that a pipeline reads.</summary>
    private Snapshot Rows(Pipeline pipeline) => snapshot.Of(pipeline.Signal);

    /// <summary>Records that a pipeline starts from, with their slots filled, newest first.</summary>
    /// <param name="before">Reads on below this one.</param>
    public IEnumerable<Row> Passing(Pipeline pipeline, RecordId? before = null)
    {
        if (pipeline.Scan is { } scan)
            return scan.Rows(pipeline.Moved, sorted: true);
        var moved = before is { } id ? id with { Time = id.Time - pipeline.Moved } : (RecordId?)null;
        // The steps drop rows and fill slots; the conditions alone decide what is read.
        var test = Filter(pipeline);
        var records = Rows(pipeline).NewestFirst(pipeline.Reads, test, moved, cancel).Select(pipeline.RowOf);
        return pipeline.RecordSteps.Count == 0
            ? records
            : records.Where(row => pipeline.RecordSteps.All(step => step.OnRow!(row)));
    }

    /// <summary>Records of a window above one, with their slots filled, oldest first.</summary>
    public IEnumerable<Row> PassingUp(Pipeline pipeline, RecordId after, Window window)
    {
        if (pipeline.Scan is not null)
            return [];
        var records = Rows(pipeline)
            .OldestFirst(
                window.Shift(-pipeline.Moved),
                Filter(pipeline),
                after with
                {
                    Time = after.Time - pipeline.Moved,
                },
                cancel
            )
            .Select(pipeline.RowOf);
        return pipeline.RecordSteps.Count == 0
            ? records
            : records.Where(row => pipeline.RecordSteps.All(step => step.OnRow!(row)));
    }

    private readonly ConcurrentDictionary<Pipeline, BatchTest> _filters = new(ReferenceEqualityComparer.Instance);

    /// <summary>The test of the conditions alone.</summary>
    public BatchTest Filter(Pipeline pipeline) =>
        pipeline.RecordSteps.Count == 0
            ? Test(pipeline)
            : _filters.GetOrAdd(pipeline, p =>
                Conditions(p) is { IsEmpty: false } conditions
                    ? new BatchTest((batch, token) => conditions.Places(batch, Meter, token), conditions.MayMatch)
                    : BatchTest.All
            );

    /// <summary>The whole answer of a pipeline, read as far as asked.</summary>
    public IEnumerable<Row> Answer(Pipeline pipeline) =>
        pipeline.Steps.Aggregate(Start(pipeline), (rows, step) => step.Run(rows));

    /// <summary>The answer as it is gathered, where nothing comes behind a group of samples; null elsewhere.</summary>
    public static Frame? Gathered(Pipeline pipeline) =>
        pipeline is { Scan: { } scan, Group: { } group, Steps.Count: 0 }
        && scan.Gather(group.Plan, group.Highest, pipeline.Moved) is var frame
        && frame.Rows.Count <= pipeline.Limit
            ? frame with
            {
                Schema = pipeline.Schema with { Columns = Frame.WithKinds(pipeline.Schema.Columns, frame.Rows) },
            }
            : null;

    /// <summary>The rows that the steps behind the records or their group begin with.</summary>
    public IEnumerable<Row> Start(Pipeline pipeline) =>
        pipeline.Group is not { } group
            ? Best(pipeline) ?? Passing(pipeline)
            : Pipeline.RowsOf(
                pipeline.Scan is { } scan
                    ? scan.Gather(group.Plan, group.Highest, pipeline.Moved)
                    : Gather(pipeline, group.Plan).Collect(group.Highest)
            );

    /// <summary>Where only the first few of sorted records are wanted: those, and few besides, found without making a record of each;
    /// null elsewhere.</summary>
    private IEnumerable<Row>? Best(Pipeline pipeline)
    {
        if (pipeline is not { Scan: null, Steps: [{ Sorting: { WantsFew: true, Most: > 0 } sorting }, ..] })
            return null;
        return new BestRows(pipeline, sorting, Conditions(pipeline), fields, Meter, cancel).Of(Rows(pipeline));
    }

    /// <summary>What the first group of a pipeline with slices gathers.</summary>
    public GroupTable Table(Pipeline pipeline)
    {
        var plan = pipeline.Group!.Value.Plan;
        if (pipeline.Scan is { } scan && pipeline.BeforeGroup.Count == 0 && scan.CanGather(plan))
            return scan.GatherTable(plan, pipeline.Moved);
        if (pipeline.Scan is null)
            return Gather(pipeline, plan);
        var table = new GroupTable(plan);
        foreach (var row in pipeline.BeforeGroup.Aggregate(Passing(pipeline), (rows, step) => step.Run(rows)))
        {
            cancel.ThrowIfCancellationRequested();
            table.Add(row);
        }
        return table;
    }

    /// <summary>The groups of a pipeline's records: segments by two workers, each with a table of its own.</summary>
    private GroupTable Gather(Pipeline pipeline, GroupPlan plan)
    {
        var conditions = Conditions(pipeline);
        var touched = Rows(pipeline)
            .Batches.Where(b => pipeline.Reads.Overlaps(b.MinTime, b.MaxTime))
            .OrderByDescending(b => b.MaxTime)
            .ToArray();
        var tables = new ConcurrentBag<GroupTable>();
        var next = -1;
        var columns = new ColumnGrouping(plan, fields, patterns, pipeline.Moved, new RecordScope(fields, pipeline.Signal).Stored);
        try
        {
            Parallel.For(
                0,
                Math.Min(Workers, Math.Max(1, touched.Length)),
                new ParallelOptions { MaxDegreeOfParallelism = Workers, CancellationToken = cancel },
                _ =>
                {
                    var table = new GroupTable(plan);
                    tables.Add(table);
                    for (var i = Interlocked.Increment(ref next); i < touched.Length; i = Interlocked.Increment(ref next))
                    {
                        cancel.ThrowIfCancellationRequested();
                        Add(pipeline, conditions, touched[i], columns, table);
                    }
                }
            );
        }
        catch (AggregateException e) when (e.InnerExceptions.OfType<QueryRefusedException>().FirstOrDefault() is { } refused)
        {
            throw refused;
        }
        var all = tables.ToList();
        if (all.Count == 0)
            return new GroupTable(plan);
        foreach (var more in all.Skip(1))
            all[0].Merge(more);
        return all[0];
    }

    private void Add(Pipeline pipeline, LogConditions conditions, RecordBatch batch, ColumnGrouping columns, GroupTable table)
    {
        if (batch is not SegmentBatch segment)
        {
            var recent = (RecentBatch)batch;
            var (first, end) = recent.Range(pipeline.Reads);
            for (var i = first; i < end; i++)
            {
                if (i % BatchTest.CancelEvery == 0)
                    cancel.ThrowIfCancellationRequested();
                var row = pipeline.RowOf(recent[i]);
                if (conditions.Written.All(c => c.OnRow(row)) && pipeline.RecordSteps.All(s => s.OnRow!(row)))
                    table.Add(row);
            }
            return;
        }
        try
        {
            if (!conditions.MayMatch(segment, pipeline.Reads))
            {
                Meter.Skip(segment);
                return;
            }
            segment.Scan(conditions.PatternOf, scan =>
            {
                var (first, end) = scan.Range(pipeline.Reads);
                var rows = conditions.Find(segment, scan, RowMask.Between(scan.Count, first, end), cancel);
                if (pipeline.RecordSteps.Count == 0)
                    columns.Add(scan, rows, table, cancel);
                else
                    for (int place = rows.Next(0), read = 0; place >= 0; place = rows.Next(place + 1), read++)
                    {
                        if (read % BatchTest.CancelEvery == 0)
                            cancel.ThrowIfCancellationRequested();
                        var row = pipeline.RowOf(scan, place);
                        if (pipeline.RecordSteps.All(s => s.OnRow!(row)))
                            table.Add(row);
                    }
                Meter.Read(segment, scan.BytesRead);
                return 0;
            });
        }
        // The store has set it aside and said so; the rest goes on.
        catch (DamagedSegmentException) { }
    }
}
