using Kumiko.Core.Frames;

namespace Kumiko.Charts;

/// <summary>One figure, large, with how it came about, a small line of its steps and how it changed; several stand beside each
/// other.</summary>
internal sealed class SingleValueForm() : ChartForm("Single", "single value")
{
    private const double Least = 180;
    private const double RowHeight = 112;
    private const double LineHeight = 40;
    private const double Pad = 14;

    public override bool Takes(FrameShape shape) => true;

    public override (Suits How, string Reason)? Suggest(FrameShape shape) =>
        shape is { IsOverTime: false, Figures: > 0, Keys.Count: 0, Rows: <= 1 }
            ? (Suits.Well, "One row without keys is a single value.")
            : null;

    public override Drawing? Draw(Frame frame, ChartSpec spec, ChartView view)
    {
        if (Figures.Of(frame, spec, view) is not { } figures)
            return null;
        if (figures.All.Count == 0)
            return Nothing.Draw(spec, view);
        var all = figures.All.Count > spec.Most ? [.. figures.HighestFirst.Take(spec.Most)] : figures.All;
        var (above, _) = Surround.Heights(spec, view, []);
        var perRow = Math.Clamp((int)(view.Width / Least), 1, all.Count);
        var rows = (all.Count + perRow - 1) / perRow;
        var (width, height) = (
            view.Width / perRow,
            Math.Max(RowHeight + (all.Any(f => f.Steps is not null) ? LineHeight : 0), (view.Height - above) / rows)
        );
        var marks = new List<Mark>();
        for (var i = 0; i < all.Count; i++)
        {
            var (x, y) = (i % perRow * width, above + (i / perRow * height));
            if (i % perRow > 0)
                marks.Add(new LineMark(x, y + 8, x, y + height - 8, "grid"));
            One(all[i], figures.How, spec, marks, x + Pad, y, width - (2 * Pad), height, all.Count > 1 || all[i].Keys.Count > 0);
        }
        marks.AddRange(Surround.Marks(spec, view, []));
        var total = Math.Max(view.Height, above + (rows * height));
        return new Drawing(
            view.Width,
            total,
            spec.Title,
            string.Join(
                " ",
                all.Take(5).Select(f => $"{f.Name}: {Text(f, spec)}{(figures.How.Length > 0 ? ", " + figures.How : "")}.")
            ),
            marks,
            null
        )
        {
            Legend =
            [
                .. all.Select(f => new LegendEntry(f.Name, Palette.StyleOf(0), Text(f, spec), Text(f, spec)) { Keys = f.Keys }),
            ],
            ViewHeight = total > view.Height ? view.Height : null,
            Note = figures.All.Count > all.Count ? $"The {all.Count} highest of {figures.All.Count}." : null,
        };
    }

    private static string Text(Figure figure, ChartSpec spec) =>
        figure.Value is { } v
            ? Format.Marked(figure.IsBeyond, ChartUnit.Of(figure.Column, spec.Left.Unit).Text(v, spec.Left.Decimals))
            : "–";

    private static void One(
        Figure figure,
        string how,
        ChartSpec spec,
        List<Mark> marks,
        double x,
        double y,
        double width,
        double height,
        bool named
    )
    {
        var small = figure.Steps is null ? 0 : Math.Clamp(height - RowHeight - 4, LineHeight - 12, 90);
        var name = named ? figure.Name : figure.Column.Name;
        marks.Add(new TextMark(x, y + 20, TextSize.Fit(name, width), Anchor.Start, "single-name") { Tip = figure.Name });
        var level = figure.Value is { } value
            ? spec.Thresholds.Where(t => value > t.Value).OrderByDescending(t => t.Value).FirstOrDefault()
            : null;
        marks.Add(
            new TextMark(
                x,
                y + 56,
                Text(figure, spec),
                Anchor.Start,
                level is null ? "single-value" : "single-value limit-label " + level.Level
            )
        );
        var told = Change(figure, spec);
        if (told.Length > 0)
            marks.Add(new TextMark(x, y + 76, TextSize.Fit(told, width), Anchor.Start, "tick"));
        else if (level is not null)
            marks.Add(new TextMark(x, y + 76, TextSize.Fit(level.Label, width), Anchor.Start, "tick"));
        if (how.Length > 0)
            marks.Add(
                new TextMark(
                    x,
                    y + (told.Length > 0 || level is not null ? 92 : 76),
                    TextSize.Fit(how, width),
                    Anchor.Start,
                    "tick"
                )
            );
        if (figure.Steps is { } steps)
            Line(figure, steps, marks, x, y + height - small - 8, width, small);
    }

    /// <summary>The figure against the same of the earlier half, or the step before it.</summary>
    private static string Change(Figure figure, ChartSpec spec)
    {
        if (figure.Steps is not { } steps || figure.Value is not { } value || spec.Reduce == Reduction.Sum)
            return "";
        double[] whole =
        [
            .. Enumerable
                .Range(0, steps.Length)
                .Where(i => steps[i] is not null && !figure.Partial![i])
                .Select(i => steps[i]!.Value),
        ];
        if (whole.Length < 2)
            return "";
        var (before, against) =
            spec.Reduce == Reduction.Last
                ? (whole[^2], "the step before")
                : (whole[..(whole.Length / 2)].Average(), "the first half");
        var now = spec.Reduce == Reduction.Last ? value : whole[(whole.Length / 2)..].Average();
        var unit = ChartUnit.Of(figure.Column, spec.Left.Unit);
        var change = now - before;
        if (Math.Abs(change) < Math.Abs(before) * 0.0005 || change == 0)
            return "as " + against;
        var sign = change > 0 ? "+" : "\u2212";
        if (unit.IsShare)
            return $"{sign}{unit.Text(Math.Abs(change)).Replace("%", "points", StringComparison.Ordinal)} on {against}";
        return before == 0
            ? $"{sign}{unit.Text(Math.Abs(change))} on {against}"
            : $"{sign}{Format.Number(Math.Round(Math.Abs(change / before) * 100, Math.Abs(change / before) < 0.1 ? 1 : 0))}{Format.ThinSpace}% on {against}";
    }

    private static void Line(Figure figure, double?[] steps, List<Mark> marks, double x, double y, double width, double height)
    {
        double[] known = [.. steps.Where(v => v is not null).Select(v => v!.Value)];
        if (known.Length < 2)
            return;
        var (min, max) = (known.Min(), known.Max());
        double Y(double v) => max > min ? y + height - ((v - min) / (max - min) * height) : y + (height / 2);
        var (whole, partial) = (new List<IReadOnlyList<(double, double)>>(), new List<IReadOnlyList<(double, double)>>());
        List<(double, double)>? open = null;
        for (var i = 0; i < steps.Length; i++)
        {
            if (steps[i] is not { } v)
            {
                open = null;
                continue;
            }
            var point = (x + ((i + 0.5) / steps.Length * width), Y(v));
            if (figure.Partial![i])
            {
                if (open is { Count: > 0 })
                    partial.Add([open[^1], point]);
                open = null;
                continue;
            }
            if (open is null)
                whole.Add(open = []);
            open.Add(point);
        }
        marks.Add(new PathMark([.. whole.Where(w => w.Count > 1)], "line small series-0"));
        if (partial.Count > 0)
            marks.Add(new PathMark(partial, "line unfinished series-0"));
    }
}
