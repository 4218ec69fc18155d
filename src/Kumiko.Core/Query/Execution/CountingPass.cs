using Kumiko.Core.Evaluation;
using Kumiko.Core.Language;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Segments;

namespace Kumiko.Core.Query.Execution;

/// <summary>
/// Counts what each condition takes alone and after those before it, and what each step leaves: one look at every batch
/// by one worker, so that it stands behind the answer itself. What it knows can be read while it goes on.
/// </summary>
internal sealed class CountingPass
{
    private readonly Pipeline _pipeline;
    private readonly LogConditions _conditions;
    private readonly long[] _alone;
    private readonly long[] _left;
    private readonly long[] _missing;
    private readonly long[] _stepLeft;
    private readonly long[] _stepFits;
    private readonly Func<Row, bool>?[] _absent;
    private readonly SegmentCondition?[] _absentOnSegment;
    private long _all;

    public CountingPass(Pipeline pipeline, LogConditions conditions, EvaluationContext context, FieldRefs fields)
    {
        (_pipeline, _conditions) = (pipeline, conditions);
        var count = conditions.Written.Count;
        (_alone, _left, _missing) = (new long[count], new long[count], new long[count]);
        (_stepLeft, _stepFits) = (new long[pipeline.RecordSteps.Count], new long[pipeline.RecordSteps.Count]);
        var compiler = new Compiler(context, new RecordScope(fields, pipeline.Signal));
        var ofStore = new Compiler(context, new RecordScope(fields));
        var absent = conditions
            .Written.Select(c =>
                c.Expr is Compare { Op: CompareOp.NotEqual, Left: Field field } ? new Not(new Exists(field)) : null
            )
            .ToArray();
        _absent = Array.ConvertAll(absent, a => a is null ? null : compiler.Condition(a));
        _absentOnSegment = Array.ConvertAll(absent, a =>
            a is null ? null : SegmentCondition.Of(StoredNames.Of(a, pipeline.Signal), ofStore, fields, null)
        );
    }

    /// <summary>Looks at all batches of a snapshot.</summary>
    public void Run(Snapshot snapshot, CancellationToken cancel)
    {
        foreach (
            var batch in snapshot
                .Of(_pipeline.Signal)
                .Batches.Where(b => _pipeline.Reads.Overlaps(b.MinTime, b.MaxTime))
                .OrderByDescending(b => b.MaxTime)
        )
        {
            cancel.ThrowIfCancellationRequested();
            if (batch is RecentBatch recent)
            {
                CountBatch(recent, cancel);
                continue;
            }
            var segment = (SegmentBatch)batch;
            try
            {
                segment.Scan(_conditions.PatternOf, scan =>
                {
                    CountBatch(segment, scan, cancel);
                    return 0;
                });
            }
            // The store has set it aside and said so; the rest goes on.
            catch (DamagedSegmentException) { }
        }
    }

    private void CountBatch(RecentBatch batch, CancellationToken cancel)
    {
        var (first, end) = batch.Range(_pipeline.Reads);
        Count(ref _all, end - first);
        for (var i = first; i < end; i++)
        {
            if (i % BatchTest.CancelEvery == 0)
                cancel.ThrowIfCancellationRequested();
            var row = _pipeline.RowOf(batch[i]);
            var passes = true;
            for (var c = 0; c < _alone.Length; c++)
            {
                if (!_conditions.Written[c].OnRow(row))
                {
                    passes = false;
                    continue;
                }
                Count(ref _alone[c], 1);
                if (_absent[c]?.Invoke(row) == true)
                    Count(ref _missing[c], 1);
                if (passes)
                    Count(ref _left[c], 1);
            }
            if (passes)
                Steps(row);
        }
    }

    private void CountBatch(SegmentBatch batch, SegmentScan scan, CancellationToken cancel)
    {
        var (first, end) = scan.Range(_pipeline.Reads);
        Count(ref _all, end - first);
        var window = RowMask.Between(scan.Count, first, end);
        var left = window;
        for (var c = 0; c < _alone.Length; c++)
        {
            var condition = _conditions.Written[c];
            var found = condition.MayMatch(batch, _pipeline.Reads)
                ? condition.OnSegment.Of(scan, text => batch.Facts().MayHaveTokens(text), window, cancel)
                : new RowMask(scan.Count);
            Count(ref _alone[c], found.Size);
            if (_absentOnSegment[c] is { } absent)
                Count(ref _missing[c], absent.Of(scan, _ => true, found, cancel).Size);
            left = left.Copy();
            left.Keep(found);
            Count(ref _left[c], left.Size);
        }
        if (_stepLeft.Length == 0)
            return;
        for (int row = left.Next(0), read = 0; row >= 0; row = left.Next(row + 1), read++)
        {
            if (read % BatchTest.CancelEvery == 0)
                cancel.ThrowIfCancellationRequested();
            Steps(_pipeline.RowOf(scan, row));
        }
    }

    private void Steps(Row row)
    {
        for (var s = 0; s < _stepLeft.Length; s++)
        {
            var step = _pipeline.RecordSteps[s];
            var passes = step.OnRow!(row);
            if (step.FitSlot is { } slot && row.Slots[slot].IsTrue)
                Count(ref _stepFits[s], 1);
            if (!passes)
                return;
            Count(ref _stepLeft[s], 1);
        }
    }

    // One thread writes; others may read at any time.
    private static void Count(ref long number, long more) => Volatile.Write(ref number, number + more);

    /// <summary>What is known so far of the stages on records.</summary>
    /// <param name="stages">Number of stages of the query.</param>
    /// <param name="conditionsOfOthers">How many conditions at the front are not the query's own.</param>
    public StageCounts Counts(int stages, int recordStages, int conditionsOfOthers, bool done)
    {
        var all = conditionsOfOthers > 0 ? Volatile.Read(ref _left[conditionsOfOthers - 1]) : Volatile.Read(ref _all);
        var left = new long[recordStages];
        var current = all;
        var fits = new List<FitCount>();
        for (var stage = 0; stage < recordStages; stage++)
        {
            for (var c = conditionsOfOthers; c < _left.Length; c++)
                if (_conditions.Written[c].Index == stage)
                    current = Volatile.Read(ref _left[c]);
            for (var s = 0; s < _stepLeft.Length; s++)
            {
                if (_pipeline.RecordSteps[s].Index != stage)
                    continue;
                if (_pipeline.RecordSteps[s].FitSlot is not null)
                    fits.Add(new FitCount(stage, Volatile.Read(ref _stepFits[s]), current));
                current = Volatile.Read(ref _stepLeft[s]);
            }
            left[stage] = current;
        }
        var conditions = Enumerable
            .Range(conditionsOfOthers, _left.Length - conditionsOfOthers)
            .Select(c => new ConditionCount(
                _conditions.Written[c].Index,
                _conditions.Written[c].Expr,
                Volatile.Read(ref _alone[c]),
                Volatile.Read(ref _left[c]),
                _absent[c] is null ? null : Volatile.Read(ref _missing[c])
            ));
        return new StageCounts(all, left, recordStages)
        {
            IsDone = done,
            Conditions = [.. conditions],
            Fits = fits,
        };
    }
}
