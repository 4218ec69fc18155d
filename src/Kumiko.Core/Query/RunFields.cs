using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query.Fields;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Query;

/// <summary>The fields of what a query reads, counted.</summary>
internal sealed class RunFields(RunPlan plan)
{
    /// <summary>The fields of the records that pass, in stretches of them.</summary>
    public FieldCounts OfRecords(IReadOnlyList<(MatchSet Matches, Window Window)> parts, int mostValues, string? only) =>
        FieldCounting.Count(parts, mostValues, only, Computed(), plan.Cancel);

    /// <summary>The fields of the rows of another set that the lines on single rows leave.</summary>
    public FieldCounts OfRows(IReadOnlyList<Window> windows, int mostValues, string? only)
    {
        var query = plan.Pipeline.Bound with { Stages = new Seq<Stage>(plan.Pipeline.Bound.Stages.Take(plan.RecordStages - 1)) };
        var pipelines = windows.Select(window => plan.Build(query, window)).ToList();
        // Where no step looks at single rows, things with many rows are counted once each.
        if (pipelines.TrueForAll(p => p.Steps.Count == 0 && p.RecordSteps.Count == 0 && p.Scan?.Things() is not null))
        {
            // They are the same in all stretches.
            var first = pipelines[0];
            return FieldCounting.Count(Things(first.Scan!.Columns), first.Scan.Things()!, mostValues, only, plan.Cancel);
        }
        // Which columns there are may differ between stretches.
        var columns = pipelines.SelectMany(p => p.Schema.Columns).DistinctBy(c => c.Name).ToList();
        return FieldCounting.Count(columns, pipelines.SelectMany(p => Arranged(p, columns)), mostValues, only, plan.Cancel);

        IEnumerable<Row> Arranged(Pipeline pipeline, List<Column> all)
        {
            var own = new ColumnScope(pipeline.Schema.Columns);
            var places = all.ConvertAll(c => own.IndexOf(c.Name));
            return plan
                .Executor.Answer(pipeline)
                .Select(row => row with { Slots = [.. places.Select(at => at < 0 ? Value.Missing : row.Slots[at])] });
        }
    }

    /// <summary>What single rows have is no field of a thing.</summary>
    private static IReadOnlyList<Column> Things(IReadOnlyList<Column> columns) =>
        [.. columns.Select(c => c.Role == ColumnRole.Value || c.Kind == ValueKind.Time ? c with { Role = ColumnRole.Time } : c)];

    private ComputedFields? Computed()
    {
        if (
            plan.Pipeline.RecordSteps.Count == 0
            || plan.Pipeline.Scope is not RecordScope scope
            || (scope.Added.IsEmpty && scope.ObjectSlots.Count == 0)
        )
            return null;
        var readers = scope.Added.Select(name => (name, Read: scope.Bind(name))).ToList();
        return new ComputedFields(
            (source, place) =>
                plan.Pipeline.RowOf(source, place) is var row && plan.Pipeline.RecordSteps.All(s => s.OnRow!(row)) ? row : null,
            row =>
                readers
                    .Select(r => (r.name, r.Read(row)))
                    .Concat(
                        scope
                            .ObjectSlots.Select(slot => row.Slots[slot])
                            .Where(v => v.Kind == ValueKind.Object)
                            .SelectMany(v => v.AsObject.Names.ToArray().Zip(v.AsObject.Values.ToArray()))
                    ),
            readers.Select(r => r.name).ToHashSet(StringComparer.Ordinal)
        );
    }
}
