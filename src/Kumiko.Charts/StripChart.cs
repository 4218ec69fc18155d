using Kumiko.Core.Frames;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using NodaTime;

namespace Kumiko.Charts;

/// <summary>A stretch on the lane of alerts.</summary>
public sealed record StripAlert(string Name, long From, long? To, bool Critical);

/// <summary>What the time strip shows.</summary>
/// <param name="Records">Counts by severity over the strip's span.</param>
/// <param name="Usual">Counts of the baseline, moved onto the same span; null without one.</param>
/// <param name="Focus">The stretch being looked at.</param>
public sealed record StripSpec(Histogram Records, Histogram? Usual, Window Focus, IReadOnlyList<StripAlert> Alerts, double Width, DateTimeZone Zone, long Now);

/// <summary>Draws the time strip: an axis, a lane of records by severity, a lane of alerts, the focus frame.</summary>
public static class StripChart
{
    public const double Height = 104;
    private const double LabelY = 13, RecordsTop = 20, RecordsBottom = 76, AlertsTop = 82, AlertHeight = 16, TickWidth = 96;

    public static Drawing Draw(StripSpec spec)
    {
        var window = spec.Records.Window;
        var plot = new Plot(0, RecordsTop, spec.Width, RecordsBottom - RecordsTop, window.From, window.To);
        var highest = Highest(spec);
        var marks = new List<Mark>();
        marks.AddRange(Ticks(spec, plot));
        marks.AddRange(Bars(spec, plot, highest));
        if (spec.Usual is not null) marks.Add(Usual(spec.Usual, plot, highest));
        marks.Add(new LineMark(0, RecordsBottom, spec.Width, RecordsBottom, "lane"));
        marks.AddRange(Alerts(spec, plot));
        marks.AddRange(Focus(spec, plot));
        return new Drawing(spec.Width, Height, "Time strip", Describe(spec), marks, plot);
    }

    private static double Highest(StripSpec spec)
    {
        var now = Enumerable.Range(0, spec.Records.Steps).Select(spec.Records.Total);
        var usual = spec.Usual is { } u ? Enumerable.Range(0, u.Steps).Select(u.Total) : [];
        return Math.Max(1, now.Concat(usual).DefaultIfEmpty(0).Max());
    }

    private static IEnumerable<Mark> Ticks(StripSpec spec, Plot plot)
    {
        foreach (var tick in TimeAxis.Ticks(new Window(plot.From, plot.To), spec.Zone, Math.Max(1, (int)(spec.Width / TickWidth))))
        {
            var x = plot.X(tick.Time);
            yield return new LineMark(x, RecordsTop - 4, x, RecordsBottom, tick.IsDay ? "day" : "grid");
            if (x > 20 && x < spec.Width - 24) yield return new TextMark(x, LabelY, tick.Label, Anchor.Middle, tick.IsDay ? "tick day-label" : "tick");
        }
        if (plot.To <= spec.Now || plot.From > spec.Now) yield break;
        var now = plot.X(spec.Now);
        yield return new LineMark(now, RecordsTop - 4, now, Height, "now");
    }

    private static IEnumerable<Mark> Bars(StripSpec spec, Plot plot, double highest)
    {
        // Calm ones at the foot, worse ones above, so that trouble stands on top of the usual.
        (string Style, int First, int Last)[] parts = [("bar-calm", 0, 3), ("bar-warn", 4, 4), ("bar-error", 5, 6)];
        var histogram = spec.Records;
        for (var step = 0; step < histogram.Steps; step++)
        {
            var from = histogram.Window.From + (step * histogram.Step);
            var (x, end) = (plot.X(from), plot.X(Math.Min(from + histogram.Step, plot.To)));
            var foot = plot.Bottom;
            foreach (var (style, first, last) in parts)
            {
                var count = 0L;
                for (var band = first; band <= last; band++) count += histogram[step, band];
                if (count == 0) continue;
                // What is there is never invisible.
                var height = Math.Max(0.75, count / highest * plot.Height);
                yield return new RectMark(x, foot - height, Math.Max(0.5, end - x - 1), height, style);
                foot -= height;
            }
        }
    }

    private static PathMark Usual(Histogram usual, Plot plot, double highest)
    {
        var points = new List<(double, double)>();
        for (var step = 0; step < usual.Steps; step++)
        {
            var x = plot.Left + ((step + 0.5) * usual.Step / usual.Window.Length * plot.Width);
            points.Add((Math.Min(x, plot.Right), plot.Bottom - (usual.Total(step) / highest * plot.Height)));
        }
        return new PathMark([points], "usual");
    }

    private static IEnumerable<Mark> Alerts(StripSpec spec, Plot plot)
    {
        foreach (var alert in spec.Alerts.Where(a => a.From < plot.To && (a.To ?? long.MaxValue) > plot.From))
        {
            var x = Math.Max(0, plot.X(alert.From));
            var end = Math.Min(spec.Width, plot.X(Math.Min(alert.To ?? spec.Now, plot.To)));
            var level = alert.Critical ? "critical" : "warning";
            var width = Math.Max(3, end - x);
            var tip = $"{alert.Name}: {level}, {Format.Clock(alert.From, spec.Zone)} to {(alert.To is { } to ? Format.Clock(to, spec.Zone) : "now")}";
            yield return new RectMark(x, AlertsTop, width, AlertHeight, "alert alert-" + level) { Tip = tip };
            var text = alert.Name + " · " + level;
            if (text.Length * 6.2 < width - 8) yield return new TextMark(x + 5, AlertsTop + 12, text, Anchor.Start, "alert-name");
            else if (x > (text.Length * 6.2) + 8) yield return new TextMark(x - 5, AlertsTop + 12, text, Anchor.End, "alert-beside");
        }
    }

    private static IEnumerable<Mark> Focus(StripSpec spec, Plot plot)
    {
        var x = Math.Clamp(plot.X(spec.Focus.From), 0, spec.Width);
        var end = Math.Clamp(plot.X(spec.Focus.To), 0, spec.Width);
        if (end - x < 1) yield break;
        yield return new RectMark(x, RecordsTop - 3, end - x, Height - RecordsTop + 2, "focus");
    }

    private static string Describe(StripSpec spec)
    {
        var total = Enumerable.Range(0, spec.Records.Steps).Sum(spec.Records.Total);
        return $"{Format.Count(total, "record", "records")} from {Format.Stretch(spec.Records.Window.From, spec.Records.Window.To, spec.Zone, spec.Now)}, "
            + $"in steps of {Format.Duration(spec.Records.Step)}. Focus {Format.Stretch(spec.Focus.From, spec.Focus.To, spec.Zone, spec.Now)}.";
    }
}
