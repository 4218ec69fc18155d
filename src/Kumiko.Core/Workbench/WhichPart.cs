using Kumiko.Core.Analysis;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;

namespace Kumiko.Core.Workbench;

/// <summary>What moved a formula between two stretches.</summary>
/// <param name="Before">The formula's value over the first, from the means of its parts.</param>
/// <param name="Parts">The largest effect first.</param>
public sealed record PartsMoved(double Before, double After, IReadOnlyList<PartMoved> Parts);

/// <summary>Which part of a formula moved it.</summary>
public static class WhichPart
{
    /// <param name="before">Frames of the parts before, by name.</param>
    /// <param name="after">The same after.</param>
    /// <param name="keys">Of the series that is looked at; of none, parts are summed up.</param>
    /// <returns>Null where a part has no value, or the formula has none for some mixture.</returns>
    public static PartsMoved? Of(
        SeriesFormula formula,
        IReadOnlyDictionary<string, Frame> before,
        IReadOnlyDictionary<string, Frame> after,
        IReadOnlyList<(string Name, Value Value)> keys,
        EvaluationContext context
    )
    {
        var parts = new List<(string, double, double)>();
        foreach (var name in formula.Parts)
        {
            if (Mean(before[name], keys) is not { } was || Mean(after[name], keys) is not { } now)
                return null;
            parts.Add((name, was, now));
        }
        var value = new Compiler(context, new ColumnScope([.. formula.Parts.Select(p => new Column(p, ColumnRole.Value))])).Value(
            formula.Expr
        );
        double? Figure(double[] values) =>
            value(new Row(RowSource.Columns, 0, Array.ConvertAll(values, v => Value.Of(v)))) is { IsQuantity: true } figure
                ? figure.AsDouble
                : null;
        if (
            Attribution.Of(parts, Figure) is not { } moved
            || Figure([.. parts.Select(p => p.Item2)]) is not { } first
            || Figure([.. parts.Select(p => p.Item3)]) is not { } last
        )
            return null;
        return new PartsMoved(first, last, moved);
    }

    private static double? Mean(Frame frame, IReadOnlyList<(string Name, Value Value)> keys) =>
        Together.Values(frame, keys) is { Count: > 0 } values ? values.Values.Average() : null;
}
