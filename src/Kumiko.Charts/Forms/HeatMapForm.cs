using Kumiko.Core.Frames;
using Kumiko.Core.Records;

namespace Kumiko.Charts;

/// <summary>A heat map: steps of time across, values or groups upwards, a shade for each cell.</summary>
internal sealed class HeatMapForm() : ChartForm("HeatMap", "heat map")
{
    private const double Bottom = 48;
    private const double Top = 8;
    private const double TickWidth = 78;
    private const double LeastRow = 7;
    private const double NamedRow = 15;
    public const int Shades = 7;

    /// <summary>Shades have one scale, so only the first figure that is not hidden is drawn.</summary>
    private static Frame FirstFigure(Frame frame, ChartSpec spec)
    {
        var first = frame.Schema.Columns.FirstOrDefault(c =>
            c.Role == ColumnRole.Value && !spec.Layers.Any(l => l.Column == c.Name && l.Hidden)
        );
        return frame with
        {
            Schema = frame.Schema with
            {
                Columns =
                [
                    .. frame.Schema.Columns.Select(c =>
                        c.Role == ColumnRole.Value && c != first ? c with { Role = ColumnRole.Detail } : c
                    ),
                ],
            },
        };
    }

    private const int ManySeries = 40;

    public override bool Reduces => false;

    public override bool IsHigh => true;

    public override bool Takes(FrameShape shape) => shape.IsOverTime;

    public override (Suits How, string Reason)? Suggest(FrameShape shape)
    {
        if (shape is not { IsOverTime: true, Figures: 1 })
            return null;
        if (shape.NumericKey is { } key)
            return (Suits.Best, $"Figures by time and by the number {key} are a heat map.");
        return shape.Series is > ManySeries and var series
            ? (Suits.Best, $"{series} series are too many for lines; a heat map has a row for each.")
            : null;
    }

    public override Drawing? Draw(Frame frame, ChartSpec spec, ChartView view)
    {
        if (
            SeriesTable.Of(FirstFigure(frame, spec), spec with { Most = int.MaxValue }) is not { } table
            || frame.Schema.Step is not { } step
        )
            return null;
        if (table.Series.Count == 0)
            return Nothing.Draw(spec, view);
        // Rows of numbers are a scale, from below upwards; rows of names go by total, the highest on top.
        var numeric = table.Series.All(s => s.Keys is [var key] && SeriesTable.Number(key.Value) is not null);
        IReadOnlyList<Series> ordered = numeric
            ? [.. table.Series.OrderByDescending(s => s.Keys[0].Value.AsDouble)]
            : table.Series;
        if (numeric)
            ordered = Evenly(ordered, table.Times.Count);
        var (above, _) = Surround.Heights(spec, view, []);
        var room = view.Height - Top - Bottom - above;
        var kept = numeric || ordered.Count * LeastRow <= room ? ordered : [.. ordered.Take(Math.Max(spec.Most, 400))];
        var row = Math.Max(LeastRow, Math.Min(28, room / kept.Count));
        var unit = ChartUnit.Of(table.First, spec.Left.Unit);
        string Name(Series s) => numeric ? Format.Value(s.Keys[0].Value, view.Zone) : s.Name;
        var left = Math.Min(view.Width * 0.3, kept.Max(s => TextSize.Width(Name(s))) + 18);
        var from = Math.Min(frame.Schema.Window.From, table.Times[0]);
        var plot = new Plot(
            left,
            Top + above,
            Math.Max(10, view.Width - left - 16),
            kept.Count * row,
            from,
            frame.Schema.Window.To
        );
        var most = kept.Max(s => s.Values.Max() ?? 0);
        var marks = new List<Mark>();
        var every = Math.Max(1, (int)Math.Ceiling(NamedRow / row));
        for (var r = 0; r < kept.Count; r++)
        {
            var y = plot.Top + (r * row);
            if (r % every == 0)
                marks.Add(
                    new TextMark(plot.Left - 8, y + (row / 2) + 4, TextSize.Fit(Name(kept[r]), left - 14), Anchor.End, "tick")
                    {
                        Tip = Name(kept[r]),
                    }
                );
            for (var i = 0; i < table.Times.Count; i++)
            {
                if (kept[r].Values[i] is not { } value)
                    continue;
                var (x, end) = (plot.X(Math.Max(table.Times[i], plot.From)), plot.X(Math.Min(table.Times[i] + step, plot.To)));
                if (value == 0 && numeric)
                    continue;
                marks.Add(
                    new RectMark(
                        x,
                        y,
                        Math.Max(0.5, end - x - (end - x > 4 ? 0.6 : 0)),
                        Math.Max(0.5, row - (row > 4 ? 0.6 : 0)),
                        $"heat-{Shade(value, most)}"
                    )
                    {
                        Of = r,
                    }
                );
            }
        }
        marks.Add(new LineMark(plot.Left, plot.Bottom, plot.Right, plot.Bottom, "axis"));
        var last = double.NegativeInfinity;
        foreach (
            var tick in TimeAxis.Ticks(new Window(plot.From, plot.To), view.Zone, Math.Max(1, (int)(plot.Width / TickWidth)))
        )
        {
            var (x, half) = (plot.X(tick.Time), TextSize.Width(tick.Label) / 2);
            marks.Add(new LineMark(x, plot.Bottom, x, plot.Bottom + 4, "axis"));
            if (x - half < last + 6 || x + half > view.Width - 2)
                continue;
            marks.Add(new TextMark(x, plot.Bottom + 17, tick.Label, Anchor.Middle, tick.IsDay ? "tick day-label" : "tick"));
            last = x + half;
        }
        Scale(marks, plot, most, unit, spec);
        marks.AddRange(Surround.Marks(spec, view, []));
        var height = plot.Bottom + Bottom;
        return new Drawing(
            view.Width,
            height,
            spec.Title,
            $"{table.First.Name} over time for {Format.Count(kept.Count, "row", "rows")}. Highest: {unit.Text(most)}.",
            marks,
            plot
        )
        {
            Legend = [.. kept.Select(s => new LegendEntry(Name(s), "", "", "") { Keys = s.Keys, Column = s.Column.Name })],
            HoverOf = () =>
                [
                    .. table.Times.Select(
                        (t, i) =>
                            new HoverPoint(
                                plot.X(Math.Clamp(t + (step / 2), plot.From, plot.To)),
                                $"{Format.Day(t, view.Zone)}, {Format.Clock(t, view.Zone)} to {Format.Clock(t + step, view.Zone)}",
                                [.. kept.Select(s => s.Values[i] is { } v ? unit.Text(v, spec.Left.Decimals) : "–")],
                                [.. kept.Select(s => s.Values[i])]
                            )
                            {
                                Start = t,
                                End = t + step,
                            }
                    ),
                ],
            ViewHeight = height > view.Height ? view.Height : null,
            Note =
                kept.Count < ordered.Count
                    ? $"{kept.Count} of {ordered.Count} rows are drawn: {SeriesTable.InWords(Choice.HighestTotal)}."
                    : null,
        };
    }

    /// <summary>Numbers at equal distances from the highest down, with rows for those that nothing has; as they are where that
    /// would be too many.</summary>
    private static IReadOnlyList<Series> Evenly(IReadOnlyList<Series> falling, int steps)
    {
        const int MostRows = 200;
        if (falling.Count < 3)
            return falling;
        double[] at = [.. falling.Select(s => s.Keys[0].Value.AsDouble)];
        var width = at.Zip(at.Skip(1), (a, b) => a - b).Min();
        var rows = (at[0] - at[^1]) / width;
        if (!(rows < MostRows) || at.Any(a => Math.Abs(((at[0] - a) / width) - Math.Round((at[0] - a) / width)) > 1e-6))
            return falling;
        var byRow = falling.ToDictionary(s => (int)Math.Round((at[0] - s.Keys[0].Value.AsDouble) / width));
        return
        [
            .. Enumerable
                .Range(0, (int)Math.Round(rows) + 1)
                .Select(r =>
                    byRow.GetValueOrDefault(r)
                    ?? falling[0] with
                    {
                        Values = new double?[steps],
                        Keys = [(falling[0].Keys[0].Name, Number(falling[0].Keys[0].Value, at[0] - (r * width)))],
                    }
                ),
        ];
    }

    private static Value Number(Value like, double number) =>
        like.Kind switch
        {
            ValueKind.Integer => Value.Of((long)Math.Round(number)),
            ValueKind.Duration => Value.Duration((long)Math.Round(number)),
            ValueKind.Size => Value.Size((long)Math.Round(number)),
            _ => Value.Of(number),
        };

    private static int Shade(double value, double most) =>
        most <= 0 ? 0 : Math.Clamp((int)Math.Ceiling(Math.Max(0, value) / most * (Shades - 1)), 0, Shades - 1);

    /// <summary>What the shades mean.</summary>
    private static void Scale(List<Mark> marks, Plot plot, double most, ChartUnit unit, ChartSpec spec)
    {
        const double Box = 22;
        var (x, y) = (plot.Right - (Shades * Box) - TextSize.Width(unit.Text(most, spec.Left.Decimals)) - 6, plot.Bottom + 28);
        marks.Add(new TextMark(x - 6, y + 9, unit.Label(0, 1), Anchor.End, "tick"));
        for (var shade = 0; shade < Shades; shade++)
            marks.Add(new RectMark(x + (shade * Box), y, Box - 1, 10, $"heat-{shade}"));
        marks.Add(new TextMark(x + (Shades * Box) + 5, y + 9, unit.Text(most, spec.Left.Decimals), Anchor.Start, "tick"));
    }
}
