namespace Kumiko.Charts;

/// <summary>Leaves out points of a line that no pixel would show, but never an extreme.</summary>
public static class Thinned
{
    /// <summary>The first, the lowest, the highest and the last point of each pixel, in their order.</summary>
    public static List<(double X, double Y)> Extremes(IReadOnlyList<(double X, double Y)> points)
    {
        var kept = new List<(double X, double Y)>();
        for (var i = 0; i < points.Count; )
        {
            var pixel = Math.Floor(points[i].X);
            var (first, low, high, last) = (i, i, i, i);
            for (; i < points.Count && Math.Floor(points[i].X) == pixel; i++)
            {
                if (points[i].Y < points[low].Y)
                    low = i;
                if (points[i].Y > points[high].Y)
                    high = i;
                last = i;
            }
            var before = -1;
            foreach (var place in new[] { first, Math.Min(low, high), Math.Max(low, high), last })
            {
                if (place == before)
                    continue;
                kept.Add(points[place]);
                before = place;
            }
        }
        return kept;
    }

    /// <summary>So many points: of each stretch the one that makes the largest triangle with the point kept before and the mean
    /// of the next stretch. Steinarsson 2013.</summary>
    public static List<(double X, double Y)> Triangles(IReadOnlyList<(double X, double Y)> points, int most)
    {
        if (points.Count <= most || most < 3)
            return [.. points];
        var kept = new List<(double X, double Y)> { points[0] };
        var size = (points.Count - 2) / (double)(most - 2);
        var last = 0;
        for (var i = 0; i < most - 2; i++)
        {
            var (from, to) = ((int)(i * size) + 1, (int)((i + 1) * size) + 1);
            var end = Math.Min((int)((i + 2) * size) + 1, points.Count);
            var (x, y) = (0.0, 0.0);
            for (var j = to; j < end; j++)
                (x, y) = (x + points[j].X, y + points[j].Y);
            var next = end - to;
            (x, y) = next > 0 ? (x / next, y / next) : points[^1];
            var (best, area) = (from, -1.0);
            for (var j = from; j < to; j++)
            {
                var size2 = Math.Abs(
                    ((points[last].X - x) * (points[j].Y - points[last].Y))
                        - ((points[last].X - points[j].X) * (y - points[last].Y))
                );
                if (size2 > area)
                    (best, area) = (j, size2);
            }
            kept.Add(points[best]);
            last = best;
        }
        kept.Add(points[^1]);
        return kept;
    }
}
