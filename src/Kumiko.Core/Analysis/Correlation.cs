using MathNet.Numerics.Distributions;

namespace Kumiko.Core.Analysis;

/// <summary>How two series on the same steps go together.</summary>
/// <param name="Lag">Steps by which the second follows the first; negative where it goes before it.</param>
/// <param name="R">Pearson's coefficient at that lag, −1 to 1.</param>
/// <param name="P">Two-sided, for as many steps as are worth something by themselves, corrected for the lags that were
/// tried.</param>
/// <param name="Pairs">Steps that both have at that lag.</param>
/// <param name="Effective">As many independent steps as these are worth.</param>
public sealed record Correlation(int Lag, double R, double P, int Pairs, double Effective)
{
    /// <summary>Fewer steps in common say nothing.</summary>
    public const int Fewest = 12;

    /// <summary>Coefficients that differ by less are as good as each other.</summary>
    private const double AsGood = 0.03;

    /// <summary>
    /// The lag at which two series go together best. Neighbouring steps of a series resemble each other, so that many steps say
    /// less
    /// than their number: the significance counts effective ones (Pyper and Peterman: Comparison of methods to account for
    /// autocorrelation in correlation analyses, 1998).
    /// </summary>
    /// <param name="first">Values by step; null where there is none.</param>
    /// <param name="second">The same steps of the other.</param>
    /// <param name="mostLag">Steps to try in both directions.</param>
    /// <returns>Null where too few steps have both, or one of them never moves.</returns>
    public static Correlation? Best(ReadOnlySpan<double?> first, ReadOnlySpan<double?> second, int mostLag)
    {
        if (first.Length != second.Length)
            throw new ArgumentException("Both need the same steps.", nameof(second));
        var reach = Math.Min(mostLag, Math.Max(0, first.Length - 1));
        var found = new (double R, int Pairs)?[(2 * reach) + 1];
        for (var lag = -reach; lag <= reach; lag++)
            found[lag + reach] = At(first, second, lag);
        double Height(int place) => place < 0 || place >= found.Length || found[place] is not var (r, _) ? -1 : Math.Abs(r);
        var highest = Enumerable.Range(0, found.Length).Max(Height);
        if (highest < 0)
            return null;
        // What repeats goes together again a season later, nearly as well: of such peaks the nearest is meant.
        var best = Enumerable
            .Range(0, found.Length)
            .Where(i => Height(i) >= highest - AsGood && Height(i) >= Height(i - 1) && Height(i) >= Height(i + 1))
            .OrderBy(i => Math.Abs(i - reach))
            .ThenByDescending(Height)
            .First();
        var (coefficient, pairs) = found[best]!.Value;
        var effective = Independent(first, second, pairs);
        return new Correlation(
            best - reach,
            coefficient,
            Math.Min(1, Probability(coefficient, effective) * found.Count(f => f is not null)),
            pairs,
            effective
        );
    }

    /// <summary>Pearson's coefficient of the first with the second so many steps later, and the pairs it is of; null for too few,
    /// or where one never moves.</summary>
    public static (double R, int Pairs)? At(ReadOnlySpan<double?> first, ReadOnlySpan<double?> second, int lag)
    {
        var (n, sumX, sumY) = (0, 0.0, 0.0);
        var (from, to) = (Math.Max(0, -lag), Math.Min(first.Length, second.Length - lag));
        for (var i = from; i < to; i++)
            if (first[i] is { } x && second[i + lag] is { } y)
            {
                n++;
                sumX += x;
                sumY += y;
            }
        if (n < Fewest)
            return null;
        var (meanX, meanY) = (sumX / n, sumY / n);
        var (xx, yy, xy) = (0.0, 0.0, 0.0);
        for (var i = from; i < to; i++)
            if (first[i] is { } x && second[i + lag] is { } y)
            {
                xx += (x - meanX) * (x - meanX);
                yy += (y - meanY) * (y - meanY);
                xy += (x - meanX) * (y - meanY);
            }
        // What differs only by rounding does not move.
        return xx <= 1e-20 * meanX * meanX * n || yy <= 1e-20 * meanY * meanY * n || xx == 0 || yy == 0
            ? null
            : (Math.Clamp(xy / Math.Sqrt(xx * yy), -1, 1), n);
    }

    private static double Independent(ReadOnlySpan<double?> first, ReadOnlySpan<double?> second, int pairs)
    {
        var inverse = 1.0 / pairs;
        for (var lag = 1; lag <= pairs / 5; lag++)
        {
            if (At(first, first, lag) is not var (x, _) || At(second, second, lag) is not var (y, _))
                break;
            inverse += 2.0 / pairs * ((double)(pairs - lag) / pairs) * x * y;
        }
        return Math.Clamp(1 / Math.Max(inverse, 1e-9), 1, pairs);
    }

    private static double Probability(double r, double effective)
    {
        var freedom = effective - 2;
        if (freedom < 1)
            return 1;
        if (Math.Abs(r) >= 1)
            return 0;
        return 2 * StudentT.CDF(0, 1, freedom, -Math.Abs(r) * Math.Sqrt(freedom / (1 - (r * r))));
    }
}
