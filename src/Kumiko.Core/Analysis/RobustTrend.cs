namespace Kumiko.Core.Analysis;

/// <summary>
/// A straight line through points that a few outliers do not bend: the median of the slopes between all pairs, and the median of
/// what
/// they leave (Theil, Proc. Kon. Ned. Akad. v. Wetensch. A 53, 1950; Sen, JASA 63, 1968).
/// </summary>
/// <param name="Level">At the time that was asked.</param>
/// <param name="Slope">For each unit of time.</param>
/// <param name="IsClear">Whether three quarters of all pairs agree which way it goes.</param>
public readonly record struct RobustTrend(double Level, double Slope, bool IsClear)
{
    /// <param name="points">Times relative to the one that is asked, with values; those that are no numbers are left out.</param>
    /// <returns>Null with fewer than three points.</returns>
    public static RobustTrend? Of(IReadOnlyList<(double Time, double Value)> points)
    {
        var there = points.Where(p => double.IsFinite(p.Value)).ToList();
        if (there.Count < 3)
            return null;
        var slopes = new List<double>(there.Count * (there.Count - 1) / 2);
        for (var i = 0; i < there.Count; i++)
        for (var j = i + 1; j < there.Count; j++)
            if (there[j].Time != there[i].Time)
                slopes.Add((there[j].Value - there[i].Value) / (there[j].Time - there[i].Time));
        if (slopes.Count == 0)
            return null;
        slopes.Sort();
        var slope = Robust.Quantile(slopes, 0.5);
        var levels = there.Select(p => p.Value - (slope * p.Time)).Order().ToList();
        return new RobustTrend(
            Robust.Quantile(levels, 0.5),
            slope,
            Robust.Quantile(slopes, 0.25) > 0 || Robust.Quantile(slopes, 0.75) < 0
        );
    }
}

/// <summary>Middle and spread that a few outliers do not move.</summary>
public static class Robust
{
    /// <summary>What the median absolute deviation must be multiplied with to be the standard deviation of a normal
    /// distribution.</summary>
    public const double NormalSpread = 1.4826;

    /// <summary>By linear interpolation: type 7 of Hyndman and Fan, The American Statistician 50 (1996).</summary>
    /// <param name="sorted">Rising, at least one.</param>
    public static double Quantile(IReadOnlyList<double> sorted, double share)
    {
        var place = (sorted.Count - 1) * share;
        var below = (int)Math.Floor(place);
        var above = Math.Min(below + 1, sorted.Count - 1);
        return sorted[below] + ((place - below) * (sorted[above] - sorted[below]));
    }

    /// <summary>Median and scaled median absolute deviation (Hampel, JASA 69, 1974).</summary>
    /// <param name="values">At least one, in any order.</param>
    public static (double Median, double Spread) Of(IEnumerable<double> values)
    {
        var sorted = values.Order().ToList();
        var median = Quantile(sorted, 0.5);
        var off = sorted.Select(v => Math.Abs(v - median)).Order().ToList();
        return (median, Quantile(off, 0.5) * NormalSpread);
    }
}
