using Kumiko.Core.Evaluation;
using Kumiko.Core.Query.Execution;

namespace Kumiko.Core.Query;

/// <summary>What each line of a query left, counted beside the answer.</summary>
internal sealed class RunCounts(RunPlan plan)
{
    private CountingPass? _counting;

    /// <summary>How many records the match, each condition and each stage left in the focus.</summary>
    public StageCounts All()
    {
        if (!plan.ReadsStore)
            return CountsOfRows();
        var stages = plan.Question.Parsed.Query.Stages;
        var counting = Counting();
        counting.Run(plan.Snapshot, plan.Cancel);
        var (recordStages, others) = (plan.RecordStages, plan.Executor.Allowed is null ? 0 : 1);
        var counts = counting.Counts(stages.Count, recordStages, others, done: true);
        if (recordStages == stages.Count + 1)
            return counts;
        var behind = Behind();
        var left = counts.Left.ToList();
        for (var stage = recordStages; stage <= stages.Count; stage++)
            left.Add(behind.GetValueOrDefault(stage, left[^1]));
        // Stages behind the records that still give records count records too.
        var records = 1 + stages.TakeWhile(s => s.KeepsRecords).Count();
        return counts with
        {
            Left = left,
            RecordStages = plan.IsGrouped ? Math.Max(recordStages, Math.Min(records, stages.Count)) : left.Count,
            Joins = Joins(),
        };
    }

    private List<JoinCount> Joins() =>
        [
            .. plan
                .Pipeline.Steps.Where(s => s.Join is not null)
                .Select(s => new JoinCount(s.Index, s.Join!.Unmatched, s.Join.Multiplied)),
        ];

    private const int BeforeAll = Pipeline.BeforeMatch - 1;

    /// <summary>Rows of another set: what was read, and what each line left.</summary>
    private StageCounts CountsOfRows()
    {
        var behind = Behind();
        var last = behind.GetValueOrDefault(Pipeline.BeforeMatch, behind.GetValueOrDefault(BeforeAll, StageCounts.NotCounted));
        var all = last;
        var left = new List<long>();
        for (var stage = 0; stage <= plan.Question.Parsed.Query.Stages.Count; stage++)
            left.Add(last = behind.GetValueOrDefault(stage, last));
        return new StageCounts(all, left, 0) { Joins = Joins() };
    }

    /// <summary>What is counted by now, at least; null before counting began.</summary>
    public StageCounts? SoFar =>
        Volatile.Read(ref _counting) is { } counting && plan.IsMade
            ? counting.Counts(
                plan.Question.Parsed.Query.Stages.Count,
                plan.RecordStages,
                plan.Executor.Allowed is null ? 0 : 1,
                done: false
            )
            : null;

    private CountingPass Counting()
    {
        var counting = new CountingPass(plan.Pipeline, plan.Executor.Conditions(plan.Pipeline), plan.Context, plan.Fields);
        Volatile.Write(ref _counting, counting);
        return counting;
    }

    /// <summary>Rows that each stage behind the records left.</summary>
    private Dictionary<int, long> Behind()
    {
        var left = new Dictionary<int, long>();
        IEnumerable<Row> Counted(int index, IEnumerable<Row> rows)
        {
            left[index] = 0;
            using var each = rows.GetEnumerator();
            try
            {
                while (each.MoveNext())
                {
                    left[index]++;
                    yield return each.Current;
                }
            }
            finally
            {
                // A limit behind it stops asking; what it left out is counted all the same.
                while (!plan.Cancel.IsCancellationRequested && each.MoveNext())
                    left[index]++;
            }
        }
        var (rows, steps) = (plan.Executor.Start(plan.Pipeline), plan.Pipeline.Steps);
        if (plan.Pipeline.Group is { } group)
            rows = Counted(group.Index, rows);
        else
            rows = Counted(BeforeAll, rows);
        foreach (var step in steps)
            rows = Counted(step.Index, step.Run(rows));
        foreach (var _ in rows)
            plan.Cancel.ThrowIfCancellationRequested();
        return left;
    }
}
