namespace Kumiko.Charts;

/// <summary>Columns side by side.</summary>
internal sealed class ColumnForm() : OverTimeForm("Column", "columns")
{
    public override int Depth => 3;

    public override void Draw(TimePicture picture, IReadOnlyList<Series> series)
    {
        for (var i = 0; i < picture.Times.Count; i++)
        {
            var (x, end) = picture.Edges(i);
            var gap = end - x > 4 * series.Count ? 1 : 0;
            var width = Math.Max(0.5, (end - x - gap) / series.Count);
            for (var s = 0; s < series.Count; s++)
            {
                if (series[s].Values[i] is not { } value)
                    continue;
                var axis = picture.AxisOf(series[s].Layer.Side);
                var (foot, top) = (picture.Foot(axis), picture.Y(axis, value));
                if (!double.IsNaN(top))
                    Add(picture, i, series[s], x + (s * width), foot, top, width);
            }
        }
    }

    /// <summary>A column of a step between two heights.</summary>
    public static void Add(TimePicture picture, int i, Series series, double x, double from, double to, double width)
    {
        string look;
        if (picture.IsPartial(i))
            look = "column unfinished ";
        else
            look = series.IsFilled(i) ? "column filled " : "column ";
        picture.Add(
            new RectMark(x, Math.Min(from, to), width, Math.Abs(from - to), look + series.Style) { Of = picture.Place(series) }
        );
    }
}

/// <summary>Columns on top of one another; what is below zero hangs.</summary>
internal sealed class StackedColumnForm() : OverTimeForm("StackedColumn", "stacked columns")
{
    private const int FewSteps = 16;

    public override int Depth => 4;

    public override bool IsStacked => true;

    public override (Suits How, string Reason)? Suggest(FrameShape shape) =>
        shape is { IsOverTime: true, Figures: 1, Steps: < FewSteps and var steps }
            ? (Suits.Well, $"{steps} steps are few; columns show each of them.")
            : null;

    public override void Draw(TimePicture picture, IReadOnlyList<Series> series)
    {
        for (var i = 0; i < picture.Times.Count; i++)
        {
            var (x, end) = picture.Edges(i);
            var width = Math.Max(0.5, end - x - (end - x > 4 ? 1 : 0));
            var (up, down) = (0.0, 0.0);
            foreach (var one in series)
            {
                if (one.Values[i] is not { } value || value == 0)
                    continue;
                var axis = picture.AxisOf(one.Layer.Side);
                var from = value > 0 ? up : down;
                ColumnForm.Add(picture, i, one, x, picture.Y(axis, from), picture.Y(axis, from + value), width);
                if (value > 0)
                    up += value;
                else
                    down += value;
            }
        }
    }
}
