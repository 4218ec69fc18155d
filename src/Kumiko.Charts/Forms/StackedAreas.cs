namespace Kumiko.Charts;

/// <summary>Areas on top of one another.</summary>
internal sealed class StackedAreaForm() : OverTimeForm("StackedArea", "stacked area")
{
    public override int Depth => 2;

    public override bool IsStacked => true;

    public override void Draw(TimePicture picture, IReadOnlyList<Series> series)
    {
        var feet = new double[picture.Times.Count];
        foreach (var one in series)
        {
            var axis = picture.AxisOf(one.Layer.Side);
            var areas = new List<IReadOnlyList<(double, double)>>();
            var tops = new List<IReadOnlyList<(double, double)>>();
            for (var i = 0; i < picture.Times.Count; )
            {
                // A step that none of the series has is a gap; one that only this lacks is nothing on top of the others.
                if (series.All(s => s.Values[i] is null))
                {
                    i++;
                    continue;
                }
                var (upper, lower) = (new List<(double, double)>(), new List<(double, double)>());
                for (; i < picture.Times.Count && series.Any(s => s.Values[i] is not null); i++)
                {
                    lower.Add((picture.Middle(i), picture.Y(axis, feet[i])));
                    feet[i] += Math.Max(0, one.Values[i] ?? 0);
                    upper.Add((picture.Middle(i), picture.Y(axis, feet[i])));
                }
                lower.Reverse();
                if (upper.Count > 1)
                {
                    areas.Add([.. upper, .. lower]);
                    tops.Add(upper);
                }
                else
                    picture.Add(
                        new LineMark(upper[0].Item1, lower[0].Item2, upper[0].Item1, upper[0].Item2, "line " + one.Style)
                        {
                            Of = picture.Place(one),
                        }
                    );
            }
            if (areas.Count == 0)
                continue;
            picture.Add(new PathMark(areas, "stack " + one.Style) { Tip = one.Name, Of = picture.Place(one) });
            picture.Add(new PathMark(tops, "line " + one.Style) { Of = picture.Place(one) });
        }
    }
}
