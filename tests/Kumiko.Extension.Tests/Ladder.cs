using Kumiko.Charts;
using Kumiko.Core.Frames;

namespace Kumiko.Extension.Tests;

/// <summary>A made-up form: a rung for each key, as high as its figure.</summary>
public sealed class Ladder() : ChartForm("TideLadder", "ladder")
{
    public override bool Takes(FrameShape shape) => shape is { Figures: 1, Keys.Count: 1 };

    public override (Suits How, string Reason)? Suggest(FrameShape shape) =>
        shape.Frame.Schema.IndexOf("rung") >= 0 ? (Suits.Best, "Figures by rung are a ladder.") : null;

    public override Drawing? Draw(Frame frame, ChartSpec spec, ChartView view)
    {
        var value = frame.Schema.IndexOf(ColumnRole.Value);
        if (value < 0)
            return null;
        Mark[] rungs =
        [
            .. frame.Rows.Select(
                (row, i) => (Mark)new LineMark(10 * i, view.Height - row[value].AsDouble, 10 * (i + 1), view.Height, "rung")
            ),
        ];
        return new Drawing(view.Width, view.Height, spec.Title, $"{rungs.Length} rungs.", rungs, null);
    }
}

/// <summary>A made-up form over time: a dot for each step.</summary>
public sealed class Dots() : OverTimeForm("TideDots", "dots")
{
    public override void Draw(TimePicture picture, IReadOnlyList<Series> series)
    {
        foreach (var one in series)
            for (var i = 0; i < picture.Times.Count; i++)
                if (one.Values[i] is { } value)
                    picture.Add(
                        new DotMark(picture.Middle(i), picture.Y(picture.AxisOf(Side.Left), value), 3, "tide " + one.Style)
                    );
    }
}
