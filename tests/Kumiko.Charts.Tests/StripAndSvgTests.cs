using System.Xml.Linq;
using Kumiko.Core.Frames;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using NodaTime;

namespace Kumiko.Charts.Tests;

public class StripAndSvgTests
{
    private static readonly Window Span = new(Frames.At("2026-11-23T12:00:00Z"), Frames.At("2026-11-23T18:00:00Z"));

    private static StripSpec Spec(params StripAlert[] alerts) =>
        new(
            new Histogram(Span, 2 * Instants.Minute, new long[180 * Histogram.Bands]),
            new double[180],
            new Window(Frames.At("2026-11-23T17:00:00Z"), Frames.At("2026-11-23T18:00:00Z")),
            alerts,
            1048,
            DateTimeZone.Utc,
            Frames.At("2026-11-23T17:55:00Z")
        );

    [Fact]
    public void The_focus_stands_where_its_time_is()
    {
        var drawing = StripChart.Draw(Spec());
        var focus = Assert.Single(drawing.Marks.OfType<RectMark>(), m => m.Style == "focus");
        Assert.Equal(1048 * 5.0 / 6, focus.X, 3);
        Assert.Equal(1048, focus.X + focus.Width, 3);
    }

    [Fact]
    public void An_open_alert_reaches_to_now_and_an_old_one_is_left_out()
    {
        var drawing = StripChart.Draw(
            Spec(
                new StripAlert("gate refusals", Frames.At("2026-11-23T16:00:00Z"), null, true),
                new StripAlert("long ago", Frames.At("2026-11-20T16:00:00Z"), Frames.At("2026-11-20T17:00:00Z"), false)
            )
        );
        var alert = Assert.Single(drawing.Marks.OfType<RectMark>(), m => m.Style.StartsWith("alert ", StringComparison.Ordinal));
        Assert.Equal("alert alert-critical", alert.Style);
        Assert.Equal(drawing.Plot!.X(Frames.At("2026-11-23T17:55:00Z")), alert.X + alert.Width, 3);
        Assert.Contains(drawing.Marks.OfType<TextMark>(), m => m.Text == "gate refusals · critical");
    }

    [Fact]
    public void Changes_are_diamonds_at_their_time_named_where_there_is_room()
    {
        var drawing = StripChart.Draw(
            Spec() with
            {
                Changes =
                [
                    new StripChange("gate firmware 7.3", "all of it", Frames.At("2026-11-23T13:00:00Z")),
                    new StripChange("a name that has no room before the next", "more", Frames.At("2026-11-23T17:00:00Z")),
                    new StripChange("tide-feed 4.2", "…", Frames.At("2026-11-23T17:10:00Z")),
                    new StripChange("before the strip", "…", Frames.At("2026-11-23T11:00:00Z")),
                ],
            }
        );
        var diamonds = drawing.Marks.OfType<PathMark>().Where(m => m.Style == "change").ToList();
        Assert.Equal(3, diamonds.Count);
        Assert.Equal(drawing.Plot!.X(Frames.At("2026-11-23T13:00:00Z")), diamonds[0].Pieces[0][0].X, 3);
        Assert.Equal("all of it", diamonds[0].Tip);
        Assert.Equal(
            ["gate firmware 7.3", "tide-feed 4.2"],
            drawing.Marks.OfType<TextMark>().Where(m => m.Style == "change-name").Select(m => m.Text)
        );
    }

    [Fact]
    public void A_baseline_in_view_has_a_frame_of_its_own()
    {
        var drawing = StripChart.Draw(
            Spec() with
            {
                Baseline = new Window(Frames.At("2026-11-23T13:00:00Z"), Frames.At("2026-11-23T14:00:00Z")),
            }
        );
        var frame = Assert.Single(drawing.Marks.OfType<RectMark>(), m => m.Style == "baseline-frame");
        Assert.Equal(1048 / 6.0, frame.X, 3);
        Assert.Equal(1048 / 6.0, frame.Width, 3);
    }

    [Fact]
    public void Svg_escapes_text_and_is_well_formed()
    {
        var drawing = StripChart.Draw(
            Spec(new StripAlert("<script>alert(1)</script> \" & '", Frames.At("2026-11-23T14:00:00Z"), null, false))
        );
        var svg = SvgWriter.Write(drawing, "strip", [("data-x", "\"><script>")]);
        Assert.DoesNotContain("<script", svg);
        Assert.DoesNotContain("style=", svg);
        var parsed = XDocument.Parse(svg);
        Assert.Equal("\"><script>", parsed.Root!.Attribute("data-x")!.Value);
        Assert.Contains("<script>alert(1)</script> \" & '", parsed.Root.Value);
        Assert.StartsWith(
            "Time strip: 0 records from 12:00 to 18:00",
            parsed.Root.Element("{http://www.w3.org/2000/svg}title")!.Value
        );
    }
}
