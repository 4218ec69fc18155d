namespace Kumiko.Core.Analysis;

/// <summary>
/// How much counts scatter beyond chance: records that come in bursts tell less than as many that come by themselves. A count
/// divided by its design effect is worth as many independent ones (Kish, Survey Sampling, 1965, 5.4).
/// </summary>
public static class DesignEffect
{
    /// <summary>Fewer stretches than these say nothing of scatter.</summary>
    private const int Fewest = 12;

    /// <summary>Wider stretches are looked at by these steps.</summary>
    private const int Widening = 4;

    /// <summary>
    /// Variance over mean of counts one after the other, 1 at least. The variance is of successive differences (von Neumann, The
    /// mean square successive difference, 1941), so that a rise that lasts and a season do not count as scatter.
    /// </summary>
    /// <param name="counts">Of stretches of one length.</param>
    public static double Of(ReadOnlySpan<int> counts)
    {
        var (squares, sum) = (0.0, 0L);
        for (var i = 0; i < counts.Length; i++)
        {
            sum += counts[i];
            if (i > 0)
                squares += Math.Pow(counts[i] - counts[i - 1], 2);
        }
        if (counts.Length < Fewest || sum == 0)
            return 1;
        return Math.Max(1, squares / 2 / (counts.Length - 1) / ((double)sum / counts.Length));
    }

    /// <summary>The largest over ever wider stretches: scatter that has a memory shows in wide ones only.</summary>
    public static double OverWidths(ReadOnlySpan<int> counts)
    {
        var largest = Of(counts);
        var wide = counts.ToArray();
        while (wide.Length / Widening >= Fewest)
        {
            wide = [.. wide.Chunk(Widening).Where(c => c.Length == Widening).Select(c => c.Sum())];
            largest = Math.Max(largest, Of(wide));
        }
        return largest;
    }
}
