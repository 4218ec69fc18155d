using MathNet.Numerics;

namespace Kumiko.Core.Analysis;

/// <summary>A share of records compared between two sets of them.</summary>
/// <param name="Now">Records with the value, and <paramref name="NowTotal"/> all of this side.</param>
/// <param name="Low">Ends of the 95 % interval of the difference of the shares, now less then.</param>
/// <param name="P">Two-sided, corrected for the number that were tried.</param>
public sealed record ShareShift(long Now, long NowTotal, long Then, long ThenTotal, double Low, double High, double P)
{
    /// <summary>With fewer on a side nothing is said.</summary>
    public const int Fewest = 10;

    private const double Z = 1.959963984540054;

    /// <summary>Up to so many records with, or without, the probability is exact.</summary>
    private const long MostExact = 20_000;

    public double NowShare => (double)Now / NowTotal;
    public double ThenShare => (double)Then / ThenTotal;
    public double Difference => NowShare - ThenShare;

    /// <summary>The difference that is there at least: the end of its interval that is nearer to none; 0 where the interval holds
    /// none.</summary>
    public double Least
    {
        get
        {
            if (Low > 0)
                return Low;
            if (High < 0)
                return -High;
            return 0;
        }
    }

    /// <summary>Whether it is more than chance: of those that are called so, one in twenty is not.</summary>
    public bool IsClear => P <= RateChange.FalseShare && Least > 0;

    /// <summary>
    /// Judges many shares at once. The interval is Newcombe's (Interval estimation for the difference between independent
    /// proportions, 1998, method 10); the probability is Fisher's exact one, and for large counts that of two proportions with a
    /// pooled share; corrected for their number by the procedure of Benjamini and Hochberg (1995).
    /// </summary>
    public static IReadOnlyList<ShareShift> Judge(IReadOnlyList<(long Now, long Then)> counts, long nowTotal, long thenTotal)
    {
        if (nowTotal < Fewest || thenTotal < Fewest)
            return [.. counts.Select(c => new ShareShift(c.Now, nowTotal, c.Then, thenTotal, -1, 1, 1))];
        var corrected = RateChange.BenjaminiHochberg([.. counts.Select(c => Probability(c.Now, nowTotal, c.Then, thenTotal))]);
        return
        [
            .. counts.Select(
                (c, i) =>
                {
                    var (low, high) = Interval(c.Now, nowTotal, c.Then, thenTotal);
                    return new ShareShift(c.Now, nowTotal, c.Then, thenTotal, low, high, corrected[i]);
                }
            ),
        ];
    }

    /// <summary>The 95 % interval of the difference of two shares.</summary>
    public static (double Low, double High) Interval(long first, long firstTotal, long second, long secondTotal)
    {
        var (p1, p2) = ((double)first / firstTotal, (double)second / secondTotal);
        var (l1, u1) = Wilson(p1, firstTotal);
        var (l2, u2) = Wilson(p2, secondTotal);
        return (p1 - p2 - Root(p1 - l1, u2 - p2), p1 - p2 + Root(u1 - p1, p2 - l2));

        static double Root(double a, double b) => Math.Sqrt((a * a) + (b * b));
    }

    private static (double Low, double High) Wilson(double p, double n)
    {
        var middle = (p + (Z * Z / (2 * n))) / (1 + (Z * Z / n));
        var half = Z / (1 + (Z * Z / n)) * Math.Sqrt((p * (1 - p) / n) + (Z * Z / (4 * n * n)));
        return (Math.Max(0, middle - half), Math.Min(1, middle + half));
    }

    /// <summary>The two-sided probability of shares at least as far apart if both sets are alike.</summary>
    public static double Probability(long first, long firstTotal, long second, long secondTotal)
    {
        var (with, all) = (first + second, firstTotal + secondTotal);
        if (with == 0 || with == all)
            return 1;
        if (Math.Min(Math.Min(with, all - with), Math.Min(firstTotal, secondTotal)) > MostExact)
        {
            var pooled = (double)with / all;
            var z =
                (((double)first / firstTotal) - ((double)second / secondTotal))
                / Math.Sqrt(pooled * (1 - pooled) * ((1.0 / firstTotal) + (1.0 / secondTotal)));
            return SpecialFunctions.Erfc(Math.Abs(z) / Math.Sqrt(2));
        }
        // Given both margins the first count is hypergeometric; outcomes no more likely than this one count.
        var (from, to) = (Math.Max(0, with - secondTotal), Math.Min(with, firstTotal));
        double LogMass(long k) => LogChoose(firstTotal, k) + LogChoose(secondTotal, with - k) - LogChoose(all, with);
        var (most, sum) = (LogMass(first) + 1e-7, 0.0);
        var mass = LogMass(from);
        for (var k = from; k <= to; k++)
        {
            if (mass <= most)
                sum += Math.Exp(mass);
            if (k < to)
                mass +=
                    Math.Log((double)(firstTotal - k) * (with - k)) - Math.Log((double)(k + 1) * (secondTotal - with + k + 1));
        }
        return Math.Min(1, sum);
    }

    private static double LogChoose(long n, long k) =>
        SpecialFunctions.GammaLn(n + 1.0) - SpecialFunctions.GammaLn(k + 1.0) - SpecialFunctions.GammaLn(n - k + 1.0);
}
