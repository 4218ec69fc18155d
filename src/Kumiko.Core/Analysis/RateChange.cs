using MathNet.Numerics;

namespace Kumiko.Core.Analysis;

/// <summary>What became of a rate between two windows.</summary>
public enum Trend
{
    TooFewToSay,
    New,
    Rising,
    Steady,
    Settling,
    Gone,
}

/// <summary>A rate compared between two windows.</summary>
/// <param name="Factor">How many times as often as before; infinite where there was none before, 0 where there is none
/// now.</param>
/// <param name="P">Two-sided, corrected for the number that were tried.</param>
public sealed record RateChange(long Before, long Now, double Factor, double P, Trend Trend)
{
    /// <summary>Fewer than these in both windows together say nothing.</summary>
    public const int Fewest = 10;

    /// <summary>The share of false alarms among what is called a change that is put up with.</summary>
    public const double FalseShare = 0.05;

    /// <summary>
    /// Judges many counts at once, each in two windows: the exact conditional test of two Poisson rates (Przyborowski, Wilenski:
    /// Homogeneity of results in testing samples from Poisson series, 1940), its probabilities corrected for their
    /// number by the procedure of Benjamini and Hochberg (1995). Those too few to say are not tried.
    /// </summary>
    /// <param name="counts">Counts before and now.</param>
    /// <param name="before">Length of the window before, in any unit.</param>
    /// <param name="now">Length of the window now, in the same unit.</param>
    public static IReadOnlyList<RateChange> Judge(IReadOnlyList<(long Before, long Now)> counts, double before, double now)
    {
        ArgumentOutOfRangeException.ThrowIfNegativeOrZero(before);
        ArgumentOutOfRangeException.ThrowIfNegativeOrZero(now);
        var tried = Enumerable.Range(0, counts.Count).Where(i => counts[i].Before + counts[i].Now >= Fewest).ToArray();
        var corrected = BenjaminiHochberg(
            Array.ConvertAll(tried, i => Probability(counts[i].Now, counts[i].Before, now, before))
        );
        var changes = counts
            .Select(c => new RateChange(c.Before, c.Now, FactorOf(c, before, now), 1, Trend.TooFewToSay))
            .ToArray();
        for (var t = 0; t < tried.Length; t++)
        {
            var change = changes[tried[t]];
            changes[tried[t]] = change with
            {
                P = corrected[t],
                Trend =
                    corrected[t] > FalseShare
                        ? Trend.Steady
                        : change switch
                        {
                            { Before: 0 } => Trend.New,
                            { Now: 0 } => Trend.Gone,
                            { Factor: > 1 } => Trend.Rising,
                            _ => Trend.Settling,
                        },
            };
        }
        return changes;
    }

    private static double FactorOf((long Before, long Now) count, double before, double now)
    {
        if (count.Before == 0)
        {
            if (count.Now == 0)
                return 1;
            return double.PositiveInfinity;
        }

        return count.Now / now / (count.Before / before);
    }

    /// <summary>
    /// The two-sided probability of counts at least as unlikely as these if both rates are one: given their sum, the first is
    /// binomial. Of outcomes on both sides, as many count as are no more likely than this one.
    /// </summary>
    /// <param name="first">A count.</param>
    /// <param name="second">The other count.</param>
    /// <param name="firstLength">Length of the window of the first.</param>
    /// <param name="secondLength">Length of the window of the other.</param>
    public static double Probability(long first, long second, double firstLength, double secondLength)
    {
        var n = checked(first + second);
        if (n == 0)
            return 1;
        var share = firstLength / (firstLength + secondLength);
        var expected = n * share;
        if (first == expected)
            return 1;
        // Outcomes as likely as this one but for rounding count too.
        var most = LogMass(first) + 1e-7;
        double P(long atMost)
        {
            if (atMost < 0)
                return 0;
            if (atMost >= n)
                return 1;
            return SpecialFunctions.BetaRegularized(n - atMost, atMost + 1.0, 1 - share);
        }
        if (first < expected)
        {
            var from = Edge(Math.Min(n, (long)Math.Ceiling(expected)), n + 1, k => k > n || LogMass(k) <= most);
            return Math.Min(1, P(first) + Above(from));
        }
        var to = Edge(0, (long)Math.Floor(expected) + 1, k => LogMass(k) > most) - 1;
        return Math.Min(1, Above(first) + P(to));

        double LogMass(long k) =>
            SpecialFunctions.GammaLn(n + 1.0)
            - SpecialFunctions.GammaLn(k + 1.0)
            - SpecialFunctions.GammaLn(n - k + 1.0)
            + (k * Math.Log(share))
            + ((n - k) * Math.Log(1 - share));
        // The upper tail by itself, as 1 minus the rest of it would lose all its digits.
        double Above(long from)
        {
            if (from > n)
                return 0;
            if (from <= 0)
                return 1;
            return SpecialFunctions.BetaRegularized(from, n - from + 1.0, share);
        }
    }

    /// <summary>The first number in [low, high) for which a condition holds that holds from there on; high where there is
    /// none.</summary>
    private static long Edge(long low, long high, Func<long, bool> holds)
    {
        while (low < high)
        {
            var middle = low + ((high - low) / 2);
            if (holds(middle))
                high = middle;
            else
                low = middle + 1;
        }
        return low;
    }

    /// <summary>Probabilities so that of those at most p, a share of p is false at most.</summary>
    public static double[] BenjaminiHochberg(double[] probabilities)
    {
        var order = Enumerable.Range(0, probabilities.Length).OrderByDescending(i => probabilities[i]).ToArray();
        var corrected = new double[probabilities.Length];
        var least = 1.0;
        for (var i = 0; i < order.Length; i++)
        {
            least = Math.Min(least, probabilities[order[i]] * probabilities.Length / (probabilities.Length - i));
            corrected[order[i]] = least;
        }
        return corrected;
    }
}
