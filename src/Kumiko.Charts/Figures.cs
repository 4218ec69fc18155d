using Kumiko.Core.Frames;
using Kumiko.Core.Records;

namespace Kumiko.Charts;

/// <summary>One figure of a frame with what it is of: a row, or the steps of a series brought to one number.</summary>
/// <param name="Value">Null where there is none.</param>
/// <param name="Steps">The values it was made from, in order of time; null where it was not reduced.</param>
/// <param name="Partial">Which of these steps are cut by the focus or not over yet.</param>
internal sealed record Figure(
    string Name,
    double? Value,
    Column Column,
    IReadOnlyList<(string Name, Value Value)> Keys,
    double?[]? Steps,
    bool[]? Partial
)
{
    /// <summary>Whether it lies somewhere beyond its value.</summary>
    public bool IsBeyond { get; init; }
}

/// <summary>A frame as figures by name.</summary>
internal sealed record Figures(IReadOnlyList<Figure> All, string How)
{
    /// <summary>Null where the frame has no figure.</summary>
    public static Figures? Of(Frame frame, ChartSpec spec, ChartView view)
    {
        var columns = frame.Schema.Columns;
        if (frame.Schema.Step is { } step && SeriesTable.Of(frame, spec with { Most = int.MaxValue }) is { } table)
        {
            bool[] partial =
            [
                .. table.Times.Select(t => t < frame.Schema.Window.From || t + step > Math.Min(frame.Schema.Window.To, view.Now)),
            ];
            return new Figures(
                [
                    .. table.Series.Select(s => new Figure(
                        s.Name,
                        Reduced(s, partial, spec.Reduce),
                        s.Column,
                        s.Keys,
                        s.Values,
                        partial
                    )
                    {
                        IsBeyond = IsBeyond(s, partial, spec.Reduce),
                    }),
                ],
                InWords(spec.Reduce, step)
            );
        }
        var keys = Enumerable.Range(0, columns.Count).Where(i => columns[i].Role is ColumnRole.Key or ColumnRole.Detail).ToList();
        var values = Enumerable
            .Range(0, columns.Count)
            .Where(i => columns[i].Role == ColumnRole.Value && !spec.Layers.Any(l => l.Column == columns[i].Name && l.Hidden))
            .ToList();
        if (values.Count == 0)
            return null;
        return new Figures(
            [
                .. frame.Rows.SelectMany(row =>
                    values.Select(v => new Figure(
                        SeriesTable.NameOf(row, keys, columns[v].Name, values.Count > 1),
                        SeriesTable.Number(row[v]),
                        columns[v],
                        [.. keys.Select(k => (columns[k].Name, row[k]))],
                        null,
                        null
                    )
                    {
                        IsBeyond = row[v].Marks.HasFlag(ValueMarks.Beyond),
                    })
                ),
            ],
            ""
        );
    }

    /// <summary>The steps as one figure. One that is not over is neither the last nor counted in a mean or an extreme; only a sum
    /// has all.</summary>
    private static double? Reduced(Series series, bool[] partial, Reduction how)
    {
        if (how == Reduction.Sum)
            return series.Values.Any(v => v is not null) ? series.Values.Sum(v => v ?? 0) : null;
        double[] values = [.. series.Finished(i => partial[i]).Select(i => series.Values[i]!.Value)];
        return values.Length == 0
            ? null
            : how switch
            {
                Reduction.Mean => values.Average(),
                Reduction.Min => values.Min(),
                Reduction.Max => values.Max(),
                _ => values[^1],
            };
    }

    /// <summary>Of a mean or a sum with such steps no limit can be told; of others those steps tell it.</summary>
    private static bool IsBeyond(Series series, bool[] partial, Reduction how)
    {
        var steps = series.Finished(i => partial[i]).ToList();
        return series.Beyond is not null
            && steps.Count > 0
            && how switch
            {
                Reduction.Last => series.IsBeyond(steps[^1]),
                Reduction.Min => steps.All(series.IsBeyond),
                _ => steps.Exists(series.IsBeyond),
            };
    }

    private static string InWords(Reduction how, long step) =>
        how switch
        {
            Reduction.Mean => $"mean of the steps of {Format.Duration(step)}",
            Reduction.Min => $"lowest step of {Format.Duration(step)}",
            Reduction.Max => $"highest step of {Format.Duration(step)}",
            Reduction.Sum => "sum of all steps",
            _ => $"last whole step of {Format.Duration(step)}",
        };

    /// <summary>Those with a value, the highest first.</summary>
    public IReadOnlyList<Figure> HighestFirst =>
        [.. All.Where(f => f.Value is not null).OrderByDescending(f => f.Value).ThenBy(f => f.Name, StringComparer.Ordinal)];
}
