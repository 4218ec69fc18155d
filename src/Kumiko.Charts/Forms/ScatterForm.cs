using Kumiko.Core.Frames;
using Kumiko.Core.Records;

namespace Kumiko.Charts;

/// <summary>A scatter: one figure across, another upwards, a dot for each row.</summary>
internal sealed class ScatterForm() : ChartForm("Scatter", "scatter")
{
    private const double Top = 14;
    private const double Bottom = 44;
    private const double Right = 18;
    private const int MostDots = 4_000;

    private const int FewRows = 20;

    public override bool Reduces => false;

    public override bool Takes(FrameShape shape) => shape.Figures > 1;

    public override (Suits How, string Reason)? Suggest(FrameShape shape) =>
        shape is { IsOverTime: false, Figures: 2, Rows: > FewRows }
            ? (Suits.Possible, "Two figures for each of many rows are a scatter.")
            : null;

    public override Drawing? Draw(Frame frame, ChartSpec spec, ChartView view)
    {
        var columns = frame.Schema.Columns;
        var figures = Enumerable.Range(0, columns.Count).Where(i => columns[i].Role == ColumnRole.Value).ToList();
        if (figures.Count < 2)
            return null;
        var keys = Enumerable.Range(0, columns.Count).Where(i => columns[i].Role == ColumnRole.Key).ToList();
        var time = frame.Schema.IndexOf(ColumnRole.Time);
        var dots = frame
            .Rows.Select(r =>
                (
                    X: SeriesTable.Number(r[figures[0]]),
                    Y: SeriesTable.Number(r[figures[1]]),
                    Name: SeriesTable.NameOf(r, keys, "", false),
                    Row: r
                )
            )
            .Where(d => d.X is not null && d.Y is not null)
            .ToList();
        if (dots.Count == 0)
            return Nothing.Draw(spec, view);
        var names = dots.GroupBy(d => d.Name).OrderByDescending(g => g.Count()).Select(g => g.Key).ToList();
        var slots = names.Count == 1 ? [0] : Palette.SlotsOf(names);
        var legend = names.Count is > 1 and <= 20 ? names.Select((n, i) => (n, Palette.StyleOf(slots[i]))).ToList() : [];
        var (above, below) = Surround.Heights(spec, view, legend);
        var (unitX, unitY) = (ChartUnit.Of(columns[figures[0]]), ChartUnit.Of(columns[figures[1]], spec.Left.Unit));
        var height = Math.Max(10, view.Height - Top - Bottom - above - below);
        var up = ValueAxis.For(
            dots.Min(d => d.Y!.Value),
            dots.Max(d => d.Y!.Value),
            unitY,
            Math.Max(2, (int)(height / 44)),
            spec.Left,
            zero: false
        );
        var left = Math.Max(46, up.Ticks.Max(t => TextSize.Width(up.Label(t))) + 34);
        var width = Math.Max(10, view.Width - left - Right);
        var across = ValueAxis.For(
            dots.Min(d => d.X!.Value),
            dots.Max(d => d.X!.Value),
            unitX,
            Math.Max(2, (int)(width / 90)),
            spec.Right,
            zero: false
        );
        double X(double v) => left + (across.Share(v) * width);
        double Y(double v) => Top + above + height - (up.Share(v) * height);
        var marks = new List<Mark>();
        foreach (var tick in up.Ticks)
        {
            marks.Add(new LineMark(left, Y(tick), left + width, Y(tick), "grid"));
            marks.Add(new TextMark(left - 8, Y(tick) + 4, up.Label(tick), Anchor.End, "tick"));
        }
        foreach (var tick in across.Ticks)
        {
            marks.Add(new LineMark(X(tick), Top + above, X(tick), Top + above + height, "grid"));
            if (X(tick) + (TextSize.Width(across.Label(tick)) / 2) < view.Width)
                marks.Add(new TextMark(X(tick), Top + above + height + 17, across.Label(tick), Anchor.Middle, "tick"));
        }
        marks.Add(
            new TextMark(
                left + (width / 2),
                Top + above + height + 36,
                TextSize.Fit(columns[figures[0]].Name, width),
                Anchor.Middle,
                "axis-title"
            )
        );
        marks.Add(
            new TextMark(
                12,
                Top + above + (height / 2),
                TextSize.Fit(columns[figures[1]].Name, height),
                Anchor.Middle,
                "axis-title"
            )
            {
                Turned = true,
            }
        );
        var (first, last) = time < 0 ? (0, 0) : (dots.Min(d => d.Row[time].AsLong), dots.Max(d => d.Row[time].AsLong));
        // Evenly left out, as no dot is more telling than another here.
        var every = (dots.Count + MostDots - 1) / MostDots;
        for (var i = 0; i < dots.Count; i += every)
        {
            var d = dots[i];
            if (double.IsNaN(X(d.X!.Value)) || double.IsNaN(Y(d.Y!.Value)))
                continue;
            var tip =
                (d.Name.Length > 0 ? d.Name + ": " : "")
                + $"{unitX.Text(d.X.Value)}, {unitY.Text(d.Y!.Value)}"
                + (time >= 0 ? $" at {Format.Moment(d.Row[time].AsLong, view.Zone)}" : "");
            var shade =
                spec.ShadeByTime && time >= 0
                    ? $"heat-{Math.Clamp((int)((d.Row[time].AsLong - first) / (double)Math.Max(1, last - first) * HeatMapForm.Shades), 0, HeatMapForm.Shades - 1)}"
                    : "dot open " + Palette.StyleOf(slots[names.IndexOf(d.Name)]);
            marks.Add(new DotMark(X(d.X.Value), Y(d.Y.Value), 3, shade) { Tip = tip });
        }
        marks.AddRange(Surround.Marks(spec, view, legend));
        return new Drawing(
            view.Width,
            view.Height,
            spec.Title,
            $"{columns[figures[1]].Name} against {columns[figures[0]].Name}: {Format.Count(dots.Count, "dot", "dots")}.",
            marks,
            null
        )
        {
            Legend = [.. legend.Select(l => new LegendEntry(l.n, l.Item2, "", ""))],
            Note = Bars.Noted(
                every > 1 ? $"Every {every}th of {Format.Number(dots.Count)} dots is drawn" : null,
                spec.ShadeByTime && time >= 0 ? "the darker, the later" : null
            ),
        };
    }
}
