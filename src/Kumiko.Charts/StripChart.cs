using Kumiko.Core.Frames;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using NodaTime;

namespace Kumiko.Charts;

/// <summary>A stretch on the lane of alerts.</summary>
public sealed record StripAlert(string Name, long From, long? To, bool Critical);

/// <summary>A moment on the lane of changes.</summary>
/// <param name="Name">In a few words.</param>
/// <param name="Tip">All of it.</param>
public sealed record StripChange(string Name, string Tip, long At);

/// <summary>What the time strip shows.</summary>
/// <param name="Records">Counts by severity over the strip's span.</param>
/// <param name="Usual">Mean counts of the baseline for the same steps, not a number where they are not known; null without
/// one.</param>
/// <param name="Focus">The stretch being looked at.</param>
public sealed record StripSpec(
    Histogram Records,
    IReadOnlyList<double>? Usual,
    Window Focus,
    IReadOnlyList<StripAlert> Alerts,
    double Width,
    DateTimeZone Zone,
    long Now
)
{
    public IReadOnlyList<StripChange> Changes { get; init; } = [];

    /// <summary>What is counted, one and several.</summary>
    public (string One, string Many) Noun { get; init; } = ("record", "records");

    /// <summary>The baseline where it is a stretch of its own in view.</summary>
    public Window? Baseline { get; init; }
}

/// <summary>Draws the time strip: an axis, a lane of records by severity, lanes of changes and of alerts, the focus
/// frame.</summary>
public static class StripChart
{
    public const double Height = 128;
    private const double LabelY = 13;
    private const double RecordsTop = 20;
    private const double RecordsBottom = 78;
    private const double ChangesMiddle = 90;
    private const double AlertsTop = 103;
    private const double AlertHeight = 16;
    private const double TickWidth = 96;

    public static Drawing Draw(StripSpec spec)
    {
        var window = spec.Records.Window;
        var plot = new Plot(0, RecordsTop, spec.Width, RecordsBottom - RecordsTop, window.From, window.To);
        var highest = Highest(spec);
        var marks = new List<Mark>();
        marks.AddRange(Ticks(spec, plot));
        if (spec.Baseline is { } baseline)
            marks.AddRange(Frame(baseline, plot, spec.Width, "baseline-frame"));
        marks.AddRange(Bars(spec, plot, highest));
        if (spec.Usual is not null)
            marks.Add(Usual(spec.Usual, spec.Records, plot, highest));
        marks.Add(new LineMark(0, RecordsBottom, spec.Width, RecordsBottom, "lane"));
        marks.Add(new LineMark(0, AlertsTop - 3, spec.Width, AlertsTop - 3, "lane faint"));
        marks.AddRange(Changes(spec, plot));
        marks.AddRange(Alerts(spec, plot));
        marks.AddRange(Frame(spec.Focus, plot, spec.Width, "focus"));
        return new Drawing(spec.Width, Height, "Time strip", Describe(spec), marks, plot);
    }

    private static double Highest(StripSpec spec)
    {
        var now = Enumerable.Range(0, spec.Records.Steps).Select(s => (double)spec.Records.Total(s));
        return Math.Max(1, now.Concat((spec.Usual ?? []).Where(u => !double.IsNaN(u))).DefaultIfEmpty(0).Max());
    }

    private static IEnumerable<Mark> Ticks(StripSpec spec, Plot plot)
    {
        foreach (
            var tick in TimeAxis.Ticks(new Window(plot.From, plot.To), spec.Zone, Math.Max(1, (int)(spec.Width / TickWidth)))
        )
        {
            var x = plot.X(tick.Time);
            yield return new LineMark(x, RecordsTop - 4, x, RecordsBottom, tick.IsDay ? "day" : "grid");
            if (x > 20 && x < spec.Width - 24)
                yield return new TextMark(x, LabelY, tick.Label, Anchor.Middle, tick.IsDay ? "tick day-label" : "tick");
        }
        if (plot.To <= spec.Now || plot.From > spec.Now)
            yield break;
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
                for (var band = first; band <= last; band++)
                    count += histogram[step, band];
                if (count == 0)
                    continue;
                // What is there is never invisible.
                var height = Math.Max(0.75, count / highest * plot.Height);
                yield return new RectMark(x, foot - height, Math.Max(0.5, end - x - 1), height, style);
                foot -= height;
            }
        }
    }

    private static PathMark Usual(IReadOnlyList<double> usual, Histogram records, Plot plot, double highest)
    {
        var points = new List<(double, double)>();
        for (var step = 0; step < usual.Count; step++)
        {
            if (double.IsNaN(usual[step]))
                continue;
            var x = plot.Left + ((step + 0.5) * records.Step / records.Window.Length * plot.Width);
            points.Add((Math.Min(x, plot.Right), plot.Bottom - (usual[step] / highest * plot.Height)));
        }
        return new PathMark([points], "usual");
    }

    /// <summary>A tall diamond for each change, with its name where there is room before the next.</summary>
    private static IEnumerable<Mark> Changes(StripSpec spec, Plot plot)
    {
        var seen = spec.Changes.Where(c => c.At >= plot.From && c.At < plot.To).OrderBy(c => c.At).ToList();
        for (var i = 0; i < seen.Count; i++)
        {
            var x = plot.X(seen[i].At);
            yield return new PathMark(
                [
                    [
                        (x, ChangesMiddle - 7),
                        (x + 4.5, ChangesMiddle),
                        (x, ChangesMiddle + 7),
                        (x - 4.5, ChangesMiddle),
                        (x, ChangesMiddle - 7),
                    ],
                ],
                "change"
            )
            {
                Tip = seen[i].Tip,
            };
            var room = (i + 1 < seen.Count ? plot.X(seen[i + 1].At) - 8 : spec.Width) - x - 9;
            if (seen[i].Name.Length * 6.2 < room)
                yield return new TextMark(x + 8, ChangesMiddle + 4, seen[i].Name, Anchor.Start, "change-name");
        }
    }

    private static IEnumerable<Mark> Alerts(StripSpec spec, Plot plot)
    {
        // The worse lie on top, and are called first; no name on another.
        var shown = spec
            .Alerts.Where(a => a.From < plot.To && (a.To ?? long.MaxValue) > plot.From)
            .OrderBy(a => a.Critical)
            .ThenByDescending(a => a.From)
            .Select(a =>
                (Alert: a, X: Math.Max(0, plot.X(a.From)), End: Math.Min(spec.Width, plot.X(Math.Min(a.To ?? spec.Now, plot.To))))
            )
            .ToList();
        foreach (var (alert, x, end) in shown)
        {
            var level = alert.Critical ? "critical" : "warning";
            var tip =
                $"{alert.Name}: {level}, {Format.Clock(alert.From, spec.Zone)} to {(alert.To is { } to ? Format.Clock(to, spec.Zone) : "now")}";
            yield return new RectMark(x, AlertsTop, Math.Max(3, end - x), AlertHeight, "alert alert-" + level) { Tip = tip };
        }
        var taken = new List<(double From, double To)>();
        foreach (var (alert, x, end) in Enumerable.Reverse(shown))
        {
            var text = alert.Name + " · " + (alert.Critical ? "critical" : "warning");
            var length = (text.Length * 6.2) + 8;
            var inside = length < end - x;
            var place = inside ? (From: x, To: x + length) : (From: x - length, To: x);
            // Beside its own, a name must not lie on the stretch of another either.
            if (
                place.From < 0
                || taken.Exists(t => t.From < place.To && place.From < t.To)
                || (!inside && shown.Exists(o => o.X < place.To - 1 && o.End > place.From))
            )
                continue;
            taken.Add(place);
            yield return inside
                ? new TextMark(x + 5, AlertsTop + 12, text, Anchor.Start, "alert-name")
                : new TextMark(x - 5, AlertsTop + 12, text, Anchor.End, "alert-beside");
        }
    }

    private static IEnumerable<Mark> Frame(Window window, Plot plot, double width, string style)
    {
        var x = Math.Clamp(plot.X(window.From), 0, width);
        var end = Math.Clamp(plot.X(window.To), 0, width);
        if (end - x < 1)
            yield break;
        yield return new RectMark(x, RecordsTop - 3, end - x, Height - RecordsTop + 2, style);
    }

    private static string Describe(StripSpec spec)
    {
        var total = Enumerable.Range(0, spec.Records.Steps).Sum(spec.Records.Total);
        return $"{Format.Count(total, spec.Noun.One, spec.Noun.Many)} from {Format.Stretch(spec.Records.Window.From, spec.Records.Window.To, spec.Zone, spec.Now)}, "
            + $"in steps of {Format.Duration(spec.Records.Step)}. {(spec.Changes.Count > 0 ? Format.Count(spec.Changes.Count, "change", "changes") + ". " : "")}Focus {Format.Stretch(spec.Focus.From, spec.Focus.To, spec.Zone, spec.Now)}.";
    }
}
