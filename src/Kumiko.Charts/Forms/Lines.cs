namespace Kumiko.Charts;

/// <summary>Lines between the middles of steps.</summary>
internal sealed class LineForm() : OverTimeForm("Line", "line")
{
    public override bool FillsFromZero => false;

    public override (Suits How, string Reason)? Suggest(FrameShape shape) =>
        shape.IsOverTime ? (Suits.Possible, "Figures over steps of time are lines.") : null;

    public override void Draw(TimePicture picture, IReadOnlyList<Series> series)
    {
        foreach (var one in series)
            Lines.Draw(picture, one, Lines.Middles, area: false);
    }
}

/// <summary>Lines that are level for each step.</summary>
internal sealed class StepForm() : OverTimeForm("Step", "step")
{
    public override bool FillsFromZero => false;

    public override void Draw(TimePicture picture, IReadOnlyList<Series> series)
    {
        foreach (var one in series)
            Lines.Draw(picture, one, Lines.Edges, area: false);
    }
}

/// <summary>Lines with the area below them.</summary>
internal sealed class AreaForm() : OverTimeForm("Area", "area")
{
    public override int Depth => 1;

    public override void Draw(TimePicture picture, IReadOnlyList<Series> series)
    {
        foreach (var one in series)
            Lines.Draw(picture, one, Lines.Middles, area: true);
    }
}

/// <summary>How lines are drawn: what is filled in or unfinished looks otherwise, and gaps stay gaps.</summary>
internal static class Lines
{
    private enum Look
    {
        Plain,
        Filled,
        Partial,
    }

    public static (double, double)[] Middles(TimePicture picture, int i, double y) => [(picture.Middle(i), y)];

    public static (double, double)[] Edges(TimePicture picture, int i, double y)
    {
        var (x, end) = picture.Edges(i);
        return [(x, y), (end, y)];
    }

    /// <param name="points">Of a step at a height.</param>
    public static void Draw(
        TimePicture picture,
        Series series,
        Func<TimePicture, int, double, (double, double)[]> points,
        bool area
    )
    {
        var pieces = Pieces(picture, series, points);
        if (area)
            Area(picture, series, pieces);
        foreach (var (_, dots) in pieces.Where(p => p.Points.Count == 1))
            picture.Add(
                new DotMark(dots[0].X, dots[0].Y, 2.5, "dot " + series.Style) { Tip = series.Name, Of = picture.Place(series) }
            );
        foreach (
            var (look, style) in new[]
            {
                (Look.Plain, "line "),
                (Look.Filled, "line filled "),
                (Look.Partial, "line unfinished "),
            }
        )
        {
            var lines = pieces.Where(p => p.Look == look && p.Points.Count > 1).Select(p => picture.Thin(p.Points)).ToList();
            if (lines.Count > 0)
                picture.Add(
                    new PathMark(lines, style + series.Style)
                    {
                        Tip = look == Look.Plain ? series.Name : null,
                        Of = picture.Place(series),
                    }
                );
        }
    }

    private static List<(Look Look, List<(double X, double Y)> Points)> Pieces(
        TimePicture picture,
        Series series,
        Func<TimePicture, int, double, (double, double)[]> pointsOf
    )
    {
        var axis = picture.AxisOf(series.Layer.Side);
        var pieces = new List<(Look Look, List<(double X, double Y)> Points)>();
        (Look Look, List<(double, double)> Points)? open = null;
        for (var i = 0; i < picture.Times.Count; i++)
        {
            if (series.Values[i] is not { } value || double.IsNaN(axis.Share(value)))
            {
                open = null;
                continue;
            }
            var look = LookOf(picture, series, i);
            var points = pointsOf(picture, i, picture.Y(axis, value));
            // Where the look changes, the piece that is not plain holds on to its neighbour.
            if (open is { } before && before.Look == look)
                before.Points.AddRange(points);
            else
            {
                var next = new List<(double, double)>();
                if (open is { } other)
                {
                    if (look != Look.Plain)
                        next.Add(other.Points[^1]);
                    else
                        other.Points.Add(points[0]);
                }
                next.AddRange(points);
                open = (look, next);
                pieces.Add(open.Value);
            }
        }
        return pieces;
    }

    private static Look LookOf(TimePicture picture, Series series, int i)
    {
        if (picture.IsPartial(i))
            return Look.Partial;
        return series.IsFilled(i) ? Look.Filled : Look.Plain;
    }

    private static void Area(TimePicture picture, Series series, List<(Look Look, List<(double X, double Y)> Points)> pieces)
    {
        var foot = picture.Foot(picture.AxisOf(series.Layer.Side));
        var areas = pieces
            .Where(p => p.Points.Count > 1)
            .Select(p => (IReadOnlyList<(double, double)>)[(p.Points[0].X, foot), .. p.Points, (p.Points[^1].X, foot)])
            .ToList();
        if (areas.Count > 0)
            picture.Add(new PathMark(areas, "area " + series.Style) { Of = picture.Place(series) });
    }
}
