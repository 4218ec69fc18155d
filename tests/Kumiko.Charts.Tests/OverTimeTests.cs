using CsCheck;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;

namespace Kumiko.Charts.Tests;

public class OverTimeTests
{
    private static readonly double?[] Rising = [0, 1, 2, 3, 4, 5];

    private static Drawing Draw(Frame frame, ChartSpec spec, ChartView? view = null) =>
        Chart.Draw(frame, spec, view ?? Frames.View()) ?? throw new InvalidOperationException("nothing drawn");

    private static List<PathMark> Lines(Drawing drawing) =>
        [.. drawing.Marks.OfType<PathMark>().Where(m => m.Style.StartsWith("line series-", StringComparison.Ordinal))];

    [Fact]
    public void Each_series_is_a_line_that_rises_with_its_values()
    {
        var drawing = Draw(Frames.Counts(("wrong sailing", Rising), ("ticket void", [5, 5, 5, 5, 5, 5])), Frames.Spec());
        var lines = Lines(drawing);
        Assert.Equal(2, lines.Count);
        Assert.Equal(2, lines.Select(l => l.Style).Distinct().Count());
        var rising = Assert.Single(lines[1].Pieces);
        Assert.Equal(rising.Select(p => p.X), rising.Select(p => p.X).Order());
        Assert.Equal(rising.Select(p => p.Y), rising.Select(p => p.Y).OrderDescending());
        Assert.All(rising, p => Assert.InRange(p.Y, drawing.Plot!.Top, drawing.Plot!.Bottom));
    }

    [Fact]
    public void Missing_values_break_the_line_and_a_lone_point_is_a_dot()
    {
        var drawing = Draw(Frames.Counts(("a", [1, 2, null, 3, null, 4])), Frames.Spec());
        Assert.Equal([2], Assert.Single(Lines(drawing)).Pieces.Select(p => p.Count));
        Assert.Equal(2, drawing.Marks.OfType<DotMark>().Count());
    }

    [Fact]
    public void One_point_is_a_dot() => Assert.Single(Draw(Frames.Counts(("a", [7])), Frames.Spec()).Marks.OfType<DotMark>());

    [Fact]
    public void Nothing_is_said_in_words()
    {
        var drawing = Draw(Frames.Counts(), Frames.Spec());
        Assert.Contains(drawing.Marks.OfType<TextMark>(), m => m.Text.StartsWith("Nothing to draw", StringComparison.Ordinal));
        Assert.Empty(drawing.Legend);
    }

    [Fact]
    public void A_frame_without_steps_has_no_chart() =>
        Assert.Null(
            Chart.Draw(
                new Frame(
                    new Schema([new Column("n", ColumnRole.Value)], null, new Window(0, 1)),
                    [
                        [Value.Of(1L)],
                    ]
                ),
                Frames.Spec(),
                Frames.View()
            )
        );

    [Fact]
    public void Columns_stack_without_gaps_or_overlap()
    {
        var drawing = Draw(Frames.Counts(("a", Rising), ("b", [5, 4, 3, 2, 1, 1])), Frames.Spec(ChartForms.StackedColumn));
        var columns = drawing.Marks.OfType<RectMark>().GroupBy(r => r.X).ToList();
        Assert.Equal(6, columns.Count);
        foreach (var column in columns)
        {
            var parts = column.OrderByDescending(r => r.Y).ToList();
            Assert.Equal(drawing.Plot!.Bottom, parts[0].Y + parts[0].Height, 6);
            for (var i = 1; i < parts.Count; i++)
                Assert.Equal(parts[i - 1].Y, parts[i].Y + parts[i].Height, 6);
        }
        // Every full column but the last adds up to five.
        Assert.Single(columns.SkipLast(1).Select(c => Math.Round(c.Sum(r => r.Height), 6)).Distinct());
    }

    [Fact]
    public void An_unfinished_step_is_drawn_so_and_is_not_the_last_value()
    {
        var drawing = Draw(Frames.Counts(("a", Rising)), Frames.Spec(), Frames.View("2026-11-23T17:27:00Z"));
        Assert.Contains(drawing.Marks, m => m.Style.Contains("unfinished"));
        Assert.Equal("4", Assert.Single(drawing.Legend).Last);
        Assert.DoesNotContain(Draw(Frames.Counts(("a", Rising)), Frames.Spec()).Marks, m => m.Style.Contains("unfinished"));
    }

    [Fact]
    public void More_series_than_can_be_told_apart_are_left_out_and_said()
    {
        var series = Enumerable.Range(0, 14).Select(i => ($"s{i}", new double?[] { i, i })).ToArray();
        var drawing = Draw(Frames.Counts(series), Frames.Spec());
        Assert.Equal(10, drawing.Legend.Count);
        Assert.Contains("10 of 14", drawing.Note);
        Assert.Equal("s13", drawing.Legend[0].Name);
        Assert.Equal(10, drawing.Legend.Select(l => l.Style).Distinct().Count());
    }

    [Fact]
    public void A_name_keeps_its_colour_in_other_company()
    {
        string StyleOf(Drawing drawing) => drawing.Legend.Single(l => l.Name == "ticket void").Style;
        var two = Draw(Frames.Counts(("ticket void", Rising), ("a", Rising)), Frames.Spec());
        var other = Draw(Frames.Counts(("ticket void", Rising), ("b", Rising)), Frames.Spec());
        Assert.Equal(StyleOf(two), StyleOf(other));
    }

    [Fact]
    public void Limits_are_inside_the_picture_with_their_names()
    {
        var drawing = Draw(
            Frames.Counts(("a", Rising)),
            Frames.Spec() with
            {
                Thresholds = [new Threshold(80, "critical above 80", "critical")],
            }
        );
        var limit = Assert.Single(drawing.Marks.OfType<LineMark>(), m => m.Style == "limit critical");
        Assert.InRange(limit.Y1, drawing.Plot!.Top, drawing.Plot!.Bottom);
        Assert.Contains(drawing.Marks.OfType<TextMark>(), m => m.Text == "critical above 80");
    }

    [Fact]
    public void Hovering_tells_the_step_and_every_value()
    {
        var drawing = Draw(Frames.Counts(("a", Rising), ("b", [null, 1, 1, 1, 1, 1])), Frames.Spec());
        Assert.Equal(6, drawing.Hover.Count);
        Assert.Equal("Mon 23 Nov, 17:00 to 17:05", drawing.Hover[0].Title);
        Assert.Equal(["0", "–"], drawing.Hover[0].Values);
    }

    [Fact]
    public void Whatever_the_values_all_marks_lie_in_the_picture() =>
        Gen.Select(Gen.Double[-1e12, 1e12].Select(d => (double?)Math.Round(d)).List[1, 30], Gen.Bool)
            .Sample(
                (values, column) =>
                {
                    var drawing = Draw(
                        Frames.Counts(("a", [.. values])),
                        Frames.Spec(column ? ChartForms.StackedColumn : ChartForms.Line)
                    );
                    foreach (var (x, y) in drawing.Marks.SelectMany(Frames.Points))
                    {
                        Assert.InRange(x, -0.001, drawing.Width + 0.001);
                        Assert.InRange(y, -0.001, drawing.Height + 0.001);
                    }
                    Assert.DoesNotContain("NaN", SvgWriter.Write(drawing, "x"));
                },
                iter: Cases.Of(500)
            );
}
