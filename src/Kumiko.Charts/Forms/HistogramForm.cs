using Kumiko.Core.Frames;
using Kumiko.Core.Records;

namespace Kumiko.Charts;

/// <summary>A histogram: how often which values are. Counts by a number are taken as they are; single values are put into
/// ranges.</summary>
internal sealed class HistogramForm() : ChartForm("Histogram", "histogram")
{
    private const double Left = 58;
    private const double Right = 18;
    private const double Top = 14;
    private const double Bottom = 30;
    private const int MostRanges = 60;

    public override bool TakesSeries => false;

    public override bool Takes(FrameShape shape) => !shape.IsOverTime && shape.NumericKey is not null;

    public override (Suits How, string Reason)? Suggest(FrameShape shape) =>
        shape is { IsOverTime: false, Figures: 1, Rows: > 2, NumericKey: { } key }
            ? (Suits.Best, $"Figures by the number {key} are a histogram.")
            : null;

    public override Drawing? Draw(Frame frame, ChartSpec spec, ChartView view)
    {
        var columns = frame.Schema.Columns;
        var figures = Enumerable.Range(0, columns.Count).Where(i => columns[i].Role == ColumnRole.Value).ToList();
        var key = Enumerable
            .Range(0, columns.Count)
            .FirstOrDefault(
                i =>
                    columns[i].Role == ColumnRole.Key
                    && frame.Rows.Count > 0
                    && frame.Rows.All(r => SeriesTable.Number(r[i]) is not null),
                -1
            );
        if (figures.Count == 0)
            return null;
        var counted = key >= 0 && figures.Count == 1;
        var bars = counted ? Counted(frame, key, figures[0]) : Ranged(frame, figures[0]);
        if (bars.Count == 0)
            return Nothing.Draw(spec, view);
        var of = counted ? columns[key] : columns[figures[0]];
        var unit = ChartUnit.Of(of.Unit, counted ? frame.Rows[0][key].Kind : of.Kind);
        var (above, _) = Surround.Heights(spec, view, []);
        var plot = (
            Left,
            Top: Top + above,
            Width: Math.Max(10, view.Width - Left - Right),
            Height: Math.Max(10, view.Height - Top - Bottom - above)
        );
        var values = ValueAxis.For(
            0,
            bars.Max(b => b.Count),
            ChartUnit.Of("", ValueKind.Integer),
            Math.Max(2, (int)(plot.Height / 44)),
            spec.Left,
            zero: true
        );
        var (from, to) = (bars[0].From, bars[^1].To);
        var across = ValueAxis.For(from, to, unit, Math.Max(2, (int)(plot.Width / 90)), new AxisSpec(Zero: false), zero: false);
        double X(double v) => plot.Left + ((v - from) / Math.Max(to - from, double.Epsilon) * plot.Width);
        double Y(double v) => plot.Top + plot.Height - (Math.Clamp(values.Share(v), 0, 1) * plot.Height);
        var marks = new List<Mark>();
        foreach (var tick in values.Ticks)
        {
            marks.Add(new LineMark(plot.Left, Y(tick), plot.Left + plot.Width, Y(tick), tick == 0 ? "axis" : "grid"));
            marks.Add(new TextMark(plot.Left - 8, Y(tick) + 4, values.Label(tick), Anchor.End, "tick"));
        }
        foreach (var (low, high, count) in bars)
            if (count > 0)
                marks.Add(
                    new RectMark(
                        X(low),
                        Y(count),
                        Math.Max(0.5, X(high) - X(low) - (X(high) - X(low) > 4 ? 1 : 0)),
                        Y(0) - Y(count),
                        "column series-0"
                    )
                    {
                        Tip = $"{unit.Text(low)} to {unit.Text(high)}: {Format.Number((long)count)}",
                    }
                );
        foreach (var tick in across.Ticks.Where(t => t >= from && t <= to))
        {
            marks.Add(new LineMark(X(tick), plot.Top + plot.Height, X(tick), plot.Top + plot.Height + 4, "axis"));
            if (X(tick) + (TextSize.Width(across.Label(tick)) / 2) < view.Width)
                marks.Add(new TextMark(X(tick), plot.Top + plot.Height + 18, across.Label(tick), Anchor.Middle, "tick"));
        }
        foreach (var threshold in spec.Thresholds.Where(t => t.Value > from && t.Value < to))
        {
            marks.Add(
                new LineMark(X(threshold.Value), plot.Top, X(threshold.Value), plot.Top + plot.Height, "limit " + threshold.Level)
            );
            marks.Add(
                new TextMark(
                    X(threshold.Value) + 5,
                    plot.Top + 10,
                    threshold.Label,
                    Anchor.Start,
                    "limit-label " + threshold.Level
                )
            );
        }
        marks.AddRange(Surround.Marks(spec, view, []));
        var n = bars.Sum(b => b.Count);
        return new Drawing(
            view.Width,
            view.Height,
            spec.Title,
            $"Histogram of {of.Name}: {Format.Count((long)n, "value", "values")} from {unit.Text(from)} to {unit.Text(to)}.",
            marks,
            null
        )
        {
            Note = counted
                ? null
                : $"{Format.Number((long)n)} values in {bars.Count} ranges of {unit.Text(bars[0].To - bars[0].From)}.",
        };
    }

    private static List<(double From, double To, double Count)> Counted(Frame frame, int key, int value)
    {
        var counts = new SortedDictionary<double, double>();
        foreach (var row in frame.Rows)
            counts[SeriesTable.Number(row[key])!.Value] =
                counts.GetValueOrDefault(SeriesTable.Number(row[key])!.Value) + (SeriesTable.Number(row[value]) ?? 0);
        double[] at = [.. counts.Keys];
        // The most frequent distance is the width; a lone value has one of its own size.
        var width = at.Length < 2 ? Math.Max(Math.Abs(at.FirstOrDefault()), 1) : at.Zip(at.Skip(1), (a, b) => b - a).Min();
        return [.. counts.Select(c => (c.Key, c.Key + width, c.Value))];
    }

    /// <summary>Ranges of round width, as many as Freedman and Diaconis propose (Zeitschrift für Wahrscheinlichkeitstheorie 57,
    /// 1981).</summary>
    private static List<(double From, double To, double Count)> Ranged(Frame frame, int value)
    {
        double[] all =
        [
            .. frame.Rows.Select(r => SeriesTable.Number(r[value])).Where(v => v is not null).Select(v => v!.Value).Order(),
        ];
        if (all.Length == 0)
            return [];
        var spread = all[(int)(all.Length * 0.75)] - all[(int)(all.Length * 0.25)];
        var width = 2 * spread / Math.Cbrt(all.Length);
        var range = all[^1] - all[0];
        width = ChartUnit
            .Of(frame.Schema.Columns[value])
            .Step(Math.Max(width > 0 ? width : range / 10, Math.Max(range / MostRanges, Math.Abs(all[0]) * 1e-9 + 1e-12)));
        var first = Math.Floor(all[0] / width);
        var counts = new double[Math.Min((int)(Math.Floor(all[^1] / width) - first) + 1, MostRanges * 3)];
        foreach (var v in all)
            counts[Math.Clamp((int)(Math.Floor(v / width) - first), 0, counts.Length - 1)]++;
        return [.. counts.Select((c, i) => ((first + i) * width, (first + i + 1) * width, c))];
    }
}
