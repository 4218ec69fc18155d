using Kumiko.Core.Frames;
using Kumiko.Core.Records;

namespace Kumiko.Charts;

/// <summary>Draws a frame over time, as lines or as stacked columns. A pure function of its arguments.</summary>
public static class ChartOverTime
{
    private const double Left = 64, Right = 16, Top = 14, Bottom = 26, TickWidth = 78, TickHeight = 46;

    /// <summary>The picture; null where the frame has no steps of time or no figures.</summary>
    public static Drawing? Draw(Frame frame, ChartSpec spec)
    {
        if (SeriesTable.Of(frame, ChartSpec.MostSeries) is not { } table || frame.Schema.Step is not { } step) return null;
        var window = frame.Schema.Window;
        // The axis begins with the first step, which may begin before the focus.
        if (table.Times.Count > 0) window = window with { From = Math.Min(window.From, table.Times[0]) };
        var plot = new Plot(Left, Top, Math.Max(10, spec.Width - Left - Right), Math.Max(10, spec.Height - Top - Bottom), window.From, window.To);
        var (min, max) = Range(table, spec);
        var axis = ValueAxis.For(min, max, table.Kind, Math.Max(2, (int)(plot.Height / TickHeight)));
        var marks = new List<Mark>();
        marks.AddRange(Grid(plot, axis));
        marks.AddRange(TimeLabels(plot, window, spec));
        if (table.Series.Count == 0 || table.Times.Count == 0)
            marks.Add(new TextMark(plot.Left + (plot.Width / 2), plot.Top + (plot.Height / 2), "Nothing to draw in this stretch of time.", Anchor.Middle, "chart-empty"));
        else if (spec.Form == ChartForm.Column) marks.AddRange(Columns(table, plot, axis, step, spec.Now, frame.Schema.Window));
        else marks.AddRange(Lines(table, plot, axis, step, spec.Now, frame.Schema.Window));
        marks.AddRange(Limits(spec, plot, axis));
        return new Drawing(spec.Width, spec.Height, spec.Title, Describe(table, frame.Schema.Window, spec), marks, plot)
        {
            Legend = [.. table.Series.Select(s => Entry(s, table, step, spec.Now))],
            Hover = [.. table.Times.Select((t, i) => Hover(t, i, table, plot, step, spec))],
            Note = table.Left > 0 ? $"{table.Series.Count} of {Format.Number(table.Series.Count + table.Left)} series are drawn: those with the highest totals." : null,
        };
    }

    private static (double, double) Range(SeriesTable table, ChartSpec spec)
    {
        var limits = spec.Limits.Select(l => l.Value);
        var values = spec.Form == ChartForm.Column
            ? Enumerable.Range(0, table.Times.Count).Select(i => table.Series.Sum(s => Math.Max(0, s.Values[i] ?? 0)))
            : table.Series.SelectMany(s => s.Values).Where(v => v is not null).Select(v => v!.Value);
        var all = values.Concat(limits).DefaultIfEmpty(0).ToList();
        return (all.Min(), all.Max());
    }

    private static double Y(Plot plot, ValueAxis axis, double value) => plot.Bottom - (axis.Share(value) * plot.Height);

    private static IEnumerable<Mark> Grid(Plot plot, ValueAxis axis)
    {
        foreach (var tick in axis.Ticks)
        {
            var y = Y(plot, axis, tick);
            yield return new LineMark(plot.Left, y, plot.Right, y, tick == 0 ? "axis" : "grid");
            yield return new TextMark(plot.Left - 8, y + 4, axis.Label(tick), Anchor.End, "tick");
        }
    }

    private static IEnumerable<Mark> TimeLabels(Plot plot, Window window, ChartSpec spec)
    {
        foreach (var tick in TimeAxis.Ticks(window, spec.Zone, Math.Max(1, (int)(plot.Width / TickWidth))))
        {
            var x = plot.X(tick.Time);
            yield return new LineMark(x, plot.Top, x, plot.Bottom + 4, tick.IsDay ? "day" : "grid");
            // A label that would be cut off at an edge is left out; its line stays.
            if (x >= plot.Left + 10 && x <= plot.Right - 14) yield return new TextMark(x, plot.Bottom + 18, tick.Label, Anchor.Middle, tick.IsDay ? "tick day-label" : "tick");
        }
    }

    /// <summary>Whether a step is cut by the focus or not over yet, so that its figure is not comparable.</summary>
    private static bool IsPartial(long start, long step, long now, Window window) =>
        start < window.From || start + step > Math.Min(window.To, now);

    private static IEnumerable<Mark> Lines(SeriesTable table, Plot plot, ValueAxis axis, long step, long now, Window window)
    {
        foreach (var series in table.Series)
        {
            var pieces = new List<List<(double X, double Y)>> { new() };
            var partial = new List<List<(double X, double Y)>>();
            (double X, double Y)? before = null;
            for (var i = 0; i < table.Times.Count; i++)
            {
                if (series.Values[i] is not { } value) { pieces.Add([]); before = null; continue; }
                var point = (plot.X(Math.Clamp(table.Times[i] + (step / 2), plot.From, plot.To)), Y(plot, axis, value));
                if (!IsPartial(table.Times[i], step, now, window)) pieces[^1].Add(point);
                else
                {
                    // An unfinished step hangs on by a thin dashed line.
                    if (before is { } last) partial.Add([last, point]);
                    else if (i + 1 < table.Times.Count && series.Values[i + 1] is { } next)
                        partial.Add([point, (plot.X(table.Times[i + 1] + (step / 2)), Y(plot, axis, next))]);
                    else pieces[^1].Add(point);
                }
                before = point;
            }
            foreach (var lone in pieces.Where(p => p.Count == 1)) yield return new DotMark(lone[0].X, lone[0].Y, 2.5, "dot " + series.Style) { Tip = series.Name };
            var lines = pieces.Where(p => p.Count > 1).ToList();
            if (lines.Count > 0) yield return new PathMark(lines, "line " + series.Style) { Tip = series.Name };
            if (partial.Count > 0) yield return new PathMark(partial, "line unfinished " + series.Style);
        }
    }

    private static IEnumerable<Mark> Columns(SeriesTable table, Plot plot, ValueAxis axis, long step, long now, Window window)
    {
        for (var i = 0; i < table.Times.Count; i++)
        {
            var x = plot.X(Math.Max(table.Times[i], plot.From));
            var end = plot.X(Math.Min(table.Times[i] + step, plot.To));
            var gap = end - x > 4 ? 1 : 0;
            var foot = 0.0;
            foreach (var series in table.Series)
            {
                if (series.Values[i] is not { } value || value <= 0) continue;
                var (top, bottom) = (Y(plot, axis, foot + value), Y(plot, axis, foot));
                var style = IsPartial(table.Times[i], step, now, window) ? "column unfinished " : "column ";
                yield return new RectMark(x, top, Math.Max(0.5, end - x - gap), bottom - top, style + series.Style);
                foot += value;
            }
        }
    }

    private static IEnumerable<Mark> Limits(ChartSpec spec, Plot plot, ValueAxis axis)
    {
        foreach (var limit in spec.Limits)
        {
            var y = Y(plot, axis, limit.Value);
            yield return new LineMark(plot.Left, y, plot.Right, y, "limit " + limit.Style);
            yield return new TextMark(plot.Right - 4, y - 4, limit.Label, Anchor.End, "limit-label " + limit.Style);
        }
    }

    private static LegendEntry Entry(Series series, SeriesTable table, long step, long now)
    {
        var last = Enumerable.Range(0, table.Times.Count).LastOrDefault(i => series.Values[i] is not null && table.Times[i] + step <= now, -1);
        var known = series.Values.Where(v => v is not null).Select(v => v!.Value).ToList();
        var counts = table.Kind == ValueKind.Integer;
        var total = known.Count == 0 ? "–" : counts ? Format.Number(known.Sum()) : Format.Quantity(known.Average(), table.Kind);
        return new LegendEntry(series.Name, series.Style, last < 0 ? "–" : Format.Quantity(series.Values[last]!.Value, table.Kind), total) { Keys = series.Keys };
    }

    private static HoverPoint Hover(long time, int i, SeriesTable table, Plot plot, long step, ChartSpec spec)
    {
        var x = plot.X(Math.Clamp(time + (step / 2), plot.From, plot.To));
        var title = step >= Instants.Day ? Format.Day(time, spec.Zone)
            : $"{Format.Day(time, spec.Zone)}, {Ends(time, spec, step)} to {Ends(time + step, spec, step)}";
        return new HoverPoint(x, title, [.. table.Series.Select(s => s.Values[i] is { } v ? Format.Quantity(v, table.Kind) : "–")]);
    }

    private static string Ends(long time, ChartSpec spec, long step) =>
        step < Instants.Minute ? Format.ClockSeconds(time, spec.Zone) : Format.Clock(time, spec.Zone);

    private static string Describe(SeriesTable table, Window window, ChartSpec spec)
    {
        if (table.Series.Count == 0) return "An empty chart.";
        var highest = table.Series.SelectMany(s => s.Values.Select((v, i) => (s.Name, Value: v ?? double.MinValue, Time: table.Times[i]))).MaxBy(p => p.Value);
        return $"{table.Unit} over time, {Format.Stretch(window.From, window.To, spec.Zone, spec.Now)}, {Format.Count(table.Series.Count, "series", "series")}. "
            + $"Highest: {Format.Quantity(highest.Value, table.Kind)} for {highest.Name} at {Format.Clock(highest.Time, spec.Zone)}.";
    }
}
