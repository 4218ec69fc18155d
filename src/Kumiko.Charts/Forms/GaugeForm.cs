using Kumiko.Core.Frames;

namespace Kumiko.Charts;

/// <summary>A gauge: one figure on a half ring with its limits; several stand beside each other.</summary>
internal sealed class GaugeForm() : ChartForm("Gauge", "gauge")
{
    private const double Least = 200;
    private const double From = -0.25;
    private const double To = 0.25;

    public override bool Takes(FrameShape shape) => true;

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
        var width = view.Width / perRow;
        var height = Math.Max(150, Math.Min(260, (view.Height - above) / rows));
        var unit = ChartUnit.Of(all[0].Column, spec.Left.Unit);
        var top = Math.Max(all.Max(f => f.Value ?? 0), spec.Thresholds.Select(t => t.Value).DefaultIfEmpty(0).Max());
        var axis = ValueAxis.For(
            Math.Min(0, all.Min(f => f.Value ?? 0)),
            unit.IsShare && spec.Left.Max is null && top <= 1 && all[0].Column.Unit == "1" ? 1 : top,
            unit,
            4,
            spec.Left,
            zero: true
        );
        var marks = new List<Mark>();
        for (var i = 0; i < all.Count; i++)
            One(i, i % perRow * width, above + (i / perRow * height), width, height);
        marks.AddRange(Surround.Marks(spec, view, []));
        var total = Math.Max(view.Height, above + (rows * height));
        return new Drawing(
            view.Width,
            total,
            spec.Title,
            string.Join(" ", all.Take(5).Select(f => $"{f.Name}: {Text(f)} of {unit.Text(axis.Max)}.")),
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
            ViewHeight = total > view.Height ? view.Height : null,
            Note = Bars.Noted(
                figures.How,
                figures.All.Count > all.Count ? $"the {all.Count} highest of {figures.All.Count}" : null
            ),
        };

        string Text(Figure f) => f.Value is { } v ? unit.Text(v, spec.Left.Decimals) : "–";

        void One(int place, double left, double y, double room, double high)
        {
            var figure = all[place];
            var outer = Math.Max(30, Math.Min((room / 2) - 34, high - 66));
            var (x, foot) = (left + (room / 2), y + 26 + outer);
            double Turn(double value) => From + (Math.Clamp(axis.Share(value), 0, 1) * (To - From));
            marks.Add(new ArcMark(x, foot, outer * 0.72, outer, From, To, "track"));
            var level = figure.Value is { } v
                ? spec.Thresholds.Where(t => v > t.Value).OrderByDescending(t => t.Value).FirstOrDefault()?.Level
                : null;
            if (figure.Value is { } value)
                marks.Add(
                    new ArcMark(
                        x,
                        foot,
                        outer * 0.72,
                        outer,
                        Turn(Math.Clamp(0, axis.Min, axis.Max)),
                        Turn(value),
                        "gauge " + (level ?? "plain")
                    )
                    {
                        Tip = $"{figure.Name}: {Text(figure)}",
                        Of = place,
                    }
                );
            foreach (var threshold in spec.Thresholds.Where(t => axis.Share(t.Value) is > 0 and < 1))
            {
                var angle = Turn(threshold.Value) * 2 * Math.PI;
                var (dx, dy) = (Math.Sin(angle), -Math.Cos(angle));
                marks.Add(
                    new LineMark(
                        x + (dx * outer * 0.66),
                        foot + (dy * outer * 0.66),
                        x + (dx * outer * 1.06),
                        foot + (dy * outer * 1.06),
                        "limit whole " + threshold.Level
                    )
                    {
                        Tip = threshold.Label,
                    }
                );
            }
            marks.Add(new TextMark(x, foot - 4, Text(figure), Anchor.Middle, "gauge-value"));
            marks.Add(new TextMark(x - (outer * 0.86), foot + 14, axis.Label(axis.Min), Anchor.Middle, "tick"));
            marks.Add(new TextMark(x + (outer * 0.86), foot + 14, axis.Label(axis.Max), Anchor.Middle, "tick"));
            marks.Add(
                new TextMark(
                    x,
                    foot + 32,
                    TextSize.Fit(figure.Keys.Count > 0 ? figure.Name : figure.Column.Name, room - 12),
                    Anchor.Middle,
                    "single-name"
                )
                {
                    Tip = figure.Name,
                }
            );
        }
    }
}
