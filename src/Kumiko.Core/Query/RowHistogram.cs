using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Query;

/// <summary>Counts of the rows of another set than logs by step and band.</summary>
internal static class RowHistogram
{
    /// <summary>Columns that tell how bad a row is.</summary>
    private static readonly string[] Grades = ["status", "level"];

    private const int Warning = 4;
    private const int Error = 5;

    /// <summary>Null where the rows have no time.</summary>
    public static Histogram? Of(RunPlan plan, Window span, long step)
    {
        var query = plan.Pipeline.Bound with { Stages = new Seq<Stage>(plan.Pipeline.Bound.Stages.Take(plan.RecordStages - 1)) };
        var columns = plan.Build(query, span).Schema.Columns;
        if (columns.FirstOrDefault()?.Role != ColumnRole.Time)
            return null;
        var grade = Array.Find(Grades, g => columns.Any(c => c.Name == g && c.Role == ColumnRole.Key));
        var counted = plan.Build(
            query.Counted(grade is null ? null : [new Field(grade)], Quantities.Duration(step)),
            span,
            countsKept: true
        );
        var counts = new long[(int)((span.Length + step - 1) / step) * Histogram.Bands];
        var gradeAt = grade is null ? -1 : counted.Schema.IndexOf(grade);
        foreach (var row in plan.Guarded(plan.Executor.Answer(counted)))
        {
            var place = (row.Slots[0].AsLong - span.From) / step;
            var count = row.Slots[^1];
            if (place < 0 || place * Histogram.Bands >= counts.Length || count.IsMissing)
                continue;
            counts[(place * Histogram.Bands) + (gradeAt < 0 ? 0 : BandOf(row.Slots[gradeAt]))] += count.AsLong;
        }
        return new Histogram(span, step, counts);
    }

    private static int BandOf(Value grade) =>
        grade.ToText() switch
        {
            "error" or "critical" => Error,
            "warning" => Warning,
            _ => 0,
        };
}
