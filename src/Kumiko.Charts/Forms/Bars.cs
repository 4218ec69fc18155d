using Kumiko.Core.Frames;

namespace Kumiko.Charts;

/// <summary>Bars, one for each key.</summary>
internal sealed class BarForm() : ChartForm("Bar", "bars")
{
    public override bool Takes(FrameShape shape) => true;

    public override (Suits How, string Reason)? Suggest(FrameShape shape) =>
        shape is { IsOverTime: false, Figures: 1, Keys.Count: 1 } ? (Suits.Possible, "Figures by one key are bars.") : null;

    public override Drawing? Draw(Frame frame, ChartSpec spec, ChartView view) => Bars.Draw(frame, spec, view, ranking: false);
}

/// <summary>Keys by their figures, the highest first.</summary>
internal sealed class RankingForm() : ChartForm("Ranking", "ranking")
{
    public override bool Takes(FrameShape shape) => true;

    public override Drawing? Draw(Frame frame, ChartSpec spec, ChartView view) => Bars.Draw(frame, spec, view, ranking: true);
}

/// <summary>Lying bars, one a group; a ranking numbers them and tells their shares. As high as it has groups, so that hundreds
/// scroll.</summary>
internal static class Bars
{
    private const double Row = 24;
    private const double Bar = 13;
    private const double Top = 24;
    private const double Side = 12;
    private const double TickWidth = 84;

    public static Drawing? Draw(Frame frame, ChartSpec spec, ChartView view, bool ranking)
    {
        if (Figures.Of(frame, spec, view) is not { } figures)
            return null;
        // A ranking is one by size; bars stay in the order of the answer unless they were reduced from steps.
        var all = ranking || frame.Schema.Step is not null ? figures.HighestFirst : figures.All;
        var marks = new List<Mark>();
        var (above, _) = Surround.Heights(spec, view, []);
        if (all.Count == 0)
            return Nothing.Draw(spec, view);
        var unit = ChartUnit.Of(all[0].Column, spec.Left.Unit);
        var numbers = ranking ? TextSize.Width(all.Count.ToString(System.Globalization.CultureInfo.InvariantCulture)) + 14 : 0;
        var total = all.Sum(f => Math.Max(0, f.Value ?? 0));
        // Shares of shares, of lengths of time and of means say nothing.
        var shares = ranking && !unit.IsShare && !unit.IsTime && (frame.Schema.Step is null || spec.Reduce == Reduction.Sum);
        var figureRoom = all.Max(f => TextSize.Width(Text(f))) + (shares ? TextSize.Width("100 %") + 16 : 0) + 14;
        var names = Math.Max(
            20,
            Math.Min(
                Math.Min(view.Width * 0.4, view.Width - figureRoom - numbers - (2 * Side) - 40),
                all.Max(f => TextSize.Width(f.Name)) + 12
            )
        );
        var top = above + (ranking ? 8 : Top);
        var plot = (Left: Side + numbers + names, Right: Math.Max(Side + numbers + names + 40, view.Width - Side - figureRoom));
        var axis = ValueAxis.For(
            Math.Min(0, all.Min(f => f.Value ?? 0)),
            Math.Max(0, all.Max(f => f.Value ?? 0)),
            unit,
            Math.Max(2, (int)((plot.Right - plot.Left) / TickWidth)),
            ranking ? new AxisSpec() : spec.Left,
            zero: true
        );
        double X(double value) => plot.Left + (Math.Clamp(axis.Share(value), 0, 1) * (plot.Right - plot.Left));
        var height = top + (all.Count * Row) + 8;
        if (!ranking)
            foreach (var tick in axis.Ticks)
            {
                marks.Add(new LineMark(X(tick), top - 4, X(tick), height - 6, tick == 0 ? "axis" : "grid"));
                if (X(tick) + (TextSize.Width(axis.Label(tick)) / 2) < view.Width)
                    marks.Add(new TextMark(X(tick), top - 10, axis.Label(tick), Anchor.Middle, "tick"));
            }
        var slots = Palette.SlotsOf([.. all.Select(f => f.Column.Name).Distinct()]);
        var columns = all.Select(f => f.Column.Name).Distinct().ToList();
        for (var i = 0; i < all.Count; i++)
        {
            var (figure, y) = (all[i], top + (i * Row));
            var foot = X(Math.Clamp(0, axis.Min, axis.Max));
            if (ranking)
                marks.Add(
                    new TextMark(
                        Side + numbers - 10,
                        y + 16,
                        (i + 1).ToString(System.Globalization.CultureInfo.InvariantCulture),
                        Anchor.End,
                        "tick"
                    )
                );
            marks.Add(
                new TextMark(Side + numbers, y + 16, TextSize.Fit(figure.Name, names - 8), Anchor.Start, "bar-name")
                {
                    Tip = figure.Name,
                }
            );
            if (figure.Value is { } value)
            {
                var end = X(value);
                // What is there is never invisible.
                marks.Add(
                    new RectMark(
                        Math.Min(foot, end),
                        y + 5,
                        Math.Max(1, Math.Abs(end - foot)),
                        Bar,
                        "column "
                            + (
                                columns.Count == 1
                                    ? Palette.StyleOf(0)
                                    : Palette.StyleOf(slots[columns.IndexOf(figure.Column.Name)])
                            )
                    )
                    {
                        Tip = $"{figure.Name}: {Text(figure)}",
                        Of = i,
                    }
                );
            }
            marks.Add(
                new TextMark(
                    plot.Right + figureRoom - 8 - (shares ? TextSize.Width("100 %") + 16 : 0),
                    y + 16,
                    Text(figure),
                    Anchor.End,
                    "bar-figure"
                )
            );
            if (shares && total > 0)
                marks.Add(
                    new TextMark(
                        plot.Right + figureRoom - 8,
                        y + 16,
                        Format.Percent(Math.Max(0, figure.Value ?? 0) / total),
                        Anchor.End,
                        "tick"
                    )
                );
        }
        Thresholds(spec, marks, X, top, height, axis);
        marks.AddRange(Surround.Marks(spec, view, []));
        return new Drawing(
            view.Width,
            height,
            spec.Title,
            $"{(ranking ? "Ranking" : "Bars")} of {Format.Count(all.Count, "group", "groups")}. {(figures.HighestFirst is [var highest, ..] ? $"Highest: {highest.Name}, {Text(highest)}." : "None has a value.")}",
            marks,
            null
        )
        {
            Legend =
            [
                .. all.Select(f => new LegendEntry(f.Name, Palette.StyleOf(0), Text(f), Text(f))
                {
                    Keys = f.Keys,
                    Column = f.Column.Name,
                }),
            ],
            ViewHeight = height > view.Height ? view.Height : null,
            Note = Noted(figures.How, height > view.Height ? $"{all.Count} groups; scroll for the rest." : null),
        };

        string Text(Figure f) => f.Value is { } v ? ChartUnit.Of(f.Column, spec.Left.Unit).Text(v, spec.Left.Decimals) : "–";
    }

    private static void Thresholds(
        ChartSpec spec,
        List<Mark> marks,
        Func<double, double> x,
        double top,
        double height,
        ValueAxis axis
    )
    {
        foreach (var threshold in spec.Thresholds.Where(t => axis.Share(t.Value) is >= 0 and <= 1))
            marks.Add(
                new LineMark(x(threshold.Value), top - 4, x(threshold.Value), height - 6, "limit " + threshold.Level)
                {
                    Tip = threshold.Label,
                }
            );
    }

    /// <summary>Several notes as one; null where there is none.</summary>
    public static string? Noted(params string?[] notes)
    {
        var told = notes
            .Where(n => !string.IsNullOrEmpty(n))
            .Select(n => char.ToUpperInvariant(n![0]) + n[1..].TrimEnd('.') + ".")
            .ToList();
        return told.Count == 0 ? null : string.Join(" ", told);
    }
}

/// <summary>The picture of an answer without anything to draw.</summary>
internal static class Nothing
{
    public static Drawing Draw(ChartSpec spec, ChartView view) =>
        new(
            view.Width,
            view.Height,
            spec.Title,
            "An empty chart.",
            [
                new TextMark(
                    view.Width / 2,
                    view.Height / 2,
                    "Nothing to draw in this stretch of time.",
                    Anchor.Middle,
                    "chart-empty"
                ),
                .. Surround.Marks(spec, view, []),
            ],
            null
        );
}
