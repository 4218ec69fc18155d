using Kumiko.Core.Records;
using NodaTime;

namespace Kumiko.Charts.Tests;

/// <summary>Limits on charts: those that can be moved, and how alerts move with them.</summary>
public class LimitTests
{
    [Fact]
    public void The_number_of_alerts_goes_in_steps_and_the_present_limit_is_marked()
    {
        var drawing = LimitCurve.Draw(
            [(10, 40), (20, 8), (60, 0)],
            [(20, "warning"), (60, "critical")],
            ChartUnit.None,
            600,
            150
        );
        var line = Assert.Single(drawing.Marks.OfType<PathMark>()).Pieces[0];
        Assert.Equal(5, line.Count);
        // Up to the next limit that was tried the number stays.
        Assert.Equal(line[0].Y, line[1].Y);
        Assert.Equal(line[1].X, line[2].X);
        Assert.True(line[0].Y < line[2].Y && line[2].Y < line[4].Y);
        var limits = drawing.Marks.OfType<LineMark>().Where(m => m.Style.StartsWith("limit", StringComparison.Ordinal)).ToList();
        Assert.Equal([line[2].X, line[4].X], limits.Select(m => m.X1));
        Assert.Contains("8 with the limit for warning at 20", drawing.Description);
        Assert.All(drawing.Marks.OfType<TextMark>(), m => Assert.InRange(m.X, 0, 600));
    }

    [Fact]
    public void A_curve_of_one_value_is_no_failure() =>
        Assert.NotEmpty(LimitCurve.Draw([(0, 0), (0, 0)], [], ChartUnit.None, 300, 100).Marks);

    [Fact]
    public void A_limit_that_can_be_moved_says_so_in_the_picture_with_the_scale_to_move_it_on()
    {
        var frame = Frames.Counts(("gate-t1", [1, 4, 2, 5]));
        var drawing = Chart.Draw(
            frame,
            new ChartSpec
            {
                Form = ChartForms.Line,
                Thresholds = [new Threshold(2, "warning", "warning") { Handle = "warning" }, new Threshold(3, "fixed")],
            },
            new ChartView(600, 200, DateTimeZone.Utc, Frames.At("2026-11-23T18:00:00Z"))
        )!;
        Assert.NotNull(drawing.Scale);
        var svg = SvgWriter.Write(drawing, "x");
        Assert.Single(System.Text.RegularExpressions.Regex.Matches(svg, "data-handle=\"warning\""));
        var line = drawing.Marks.OfType<LineMark>().Single(m => m.Handle == "warning");
        var (plot, scale) = (drawing.Plot!, drawing.Scale!.Value);
        Assert.Equal(2, scale.Low + ((plot.Bottom - line.Y1) / plot.Height * (scale.High - scale.Low)), 1e-9);
    }

    [Fact]
    public void Names_of_alerts_on_the_strip_never_lie_on_one_another()
    {
        var span = new Core.Frames.Window(0, 6 * Instants.Hour);
        StripAlert[] alerts =
        [
            .. Enumerable
                .Range(0, 12)
                .Select(i => new StripAlert(
                    "an alert with a name of its own " + i,
                    (i * 25 * Instants.Minute) + Instants.Hour,
                    i % 3 == 0 ? null : ((i * 25) + 90) * Instants.Minute,
                    i % 2 == 0
                )),
        ];
        var drawing = StripChart.Draw(
            new StripSpec(
                new Core.Query.Histogram(span, 2 * Instants.Minute, new long[180 * Core.Query.Histogram.Bands]),
                null,
                span,
                alerts,
                1048,
                DateTimeZone.Utc,
                span.To
            )
        );
        var names = drawing
            .Marks.OfType<TextMark>()
            .Where(m => m.Style.StartsWith("alert-", StringComparison.Ordinal))
            .Select(m =>
                m.Anchor == Anchor.End
                    ? (From: m.X - (m.Text.Length * 6.2), To: m.X)
                    : (From: m.X, To: m.X + (m.Text.Length * 6.2))
            )
            .OrderBy(n => n.From)
            .ToList();
        Assert.NotEmpty(names);
        for (var i = 1; i < names.Count; i++)
            Assert.True(names[i].From >= names[i - 1].To - 8, $"{names[i]} on {names[i - 1]}");
        Assert.Equal(12, drawing.Marks.OfType<RectMark>().Count(m => m.Style.StartsWith("alert ", StringComparison.Ordinal)));
    }
}
