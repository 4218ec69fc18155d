namespace Kumiko.Core.Analysis;

/// <summary>How a rate differs from its usual one.</summary>
public enum RateDifference
{
    TooFewToSay,

    /// <summary>It differs little, or not more than chance would.</summary>
    AsUsual,

    /// <summary>It looks different, but chance may have done it.</summary>
    MaybeChance,

    /// <summary>There is usually none.</summary>
    UsuallyNone,
    More,
    Less,
    Gone,
}

/// <summary>Counts of one thing by stretches of one length.</summary>
/// <param name="Now">Of the focus, one after the other.</param>
/// <param name="Before">The same of each stretch of the baseline.</param>
public sealed record RateSeries(IReadOnlyList<int> Now, IReadOnlyList<IReadOnlyList<int>> Before);

/// <summary>A rate compared with its usual one.</summary>
/// <param name="Now">How many there are.</param>
/// <param name="Usual">How many there usually are in as much.</param>
/// <param name="DesignEffect">So many count as one, because they come in bursts, and days differ.</param>
/// <param name="P">Two-sided, corrected for the number that were tried.</param>
public sealed record RateShift(long Now, double Usual, double DesignEffect, double P, RateDifference Difference)
{
    /// <summary>A factor nearer to 1 is no difference that anybody looks for.</summary>
    public const double LeastFactor = 1.2;

    /// <summary>A difference is surely there from this probability on.</summary>
    public const double Sure = 0.001;

    /// <summary>The scatter of days is told from rates with so many a day at least.</summary>
    private const double FewestADay = 20;

    /// <summary>How many times as often as usual; infinite where there is usually none.</summary>
    public double Factor
    {
        get
        {
            if (Usual > 0)
                return Now / Usual;
            return Now == 0 ? 1 : double.PositiveInfinity;
        }
    }

    /// <summary>Whether it differs by more than chance and by enough to matter.</summary>
    public bool IsClear => Difference >= RateDifference.UsuallyNone;

    public bool IsSure => IsClear && P <= Sure;

    /// <summary>
    /// Judges many rates at once: the exact conditional test of two Poisson rates (as <see cref="RateChange.Judge"/>) on counts
    /// divided by their design effect, corrected by the procedure of Benjamini and Hochberg. The effect is the larger of the
    /// scatter by minutes now and, over ever wider stretches and from day to day, in the baseline; on top comes the scatter
    /// between days that rates have in common.
    /// </summary>
    /// <param name="now">How much the focus is, in any unit.</param>
    /// <param name="before">How much the whole baseline is, in the same.</param>
    public static IReadOnlyList<RateShift> Judge(IReadOnlyList<RateSeries> series, double now, double before)
    {
        ArgumentOutOfRangeException.ThrowIfNegativeOrZero(now);
        ArgumentOutOfRangeException.ThrowIfNegativeOrZero(before);
        var days = series.Select(s => s.Before.Select(b => b.Sum(n => (long)n)).ToArray()).ToArray();
        var effects = series.Select((s, i) => (Own: Effect(s), Days: Scatter(days[i]))).ToArray();
        var common = CommonScatter(days, effects);
        var shifts = series
            .Select(
                (s, i) =>
                {
                    var usual = days[i].Sum() * now / before;
                    var effect = Math.Max(effects[i].Own, effects[i].Days) + (common * usual);
                    return new RateShift(s.Now.Sum(n => (long)n), usual, effect, 1, RateDifference.TooFewToSay);
                }
            )
            .ToArray();
        var tried = Enumerable.Range(0, shifts.Length).Where(i => shifts[i].Now + days[i].Sum() >= RateChange.Fewest).ToArray();
        var corrected = RateChange.BenjaminiHochberg(
            Array.ConvertAll(tried, i => Probability(shifts[i].Now, days[i].Sum(), now, before, shifts[i].DesignEffect))
        );
        for (var t = 0; t < tried.Length; t++)
        {
            var shift = shifts[tried[t]] with { P = corrected[t] };
            shifts[tried[t]] = shift with { Difference = DifferenceOf(shift) };
        }
        return shifts;
    }

    private static double Probability(long now, long before, double lengthNow, double lengthBefore, double effect) =>
        RateChange.Probability((long)Math.Round(now / effect), (long)Math.Round(before / effect), lengthNow, lengthBefore);

    private static RateDifference DifferenceOf(RateShift shift)
    {
        var small = shift.Factor is > 1 / LeastFactor and < LeastFactor;
        if (small)
            return RateDifference.AsUsual;
        if (shift.P > RateChange.FalseShare)
            return RateDifference.MaybeChance;
        return shift switch
        {
            { Usual: 0 } => RateDifference.UsuallyNone,
            { Now: 0 } => RateDifference.Gone,
            { Factor: > 1 } => RateDifference.More,
            _ => RateDifference.Less,
        };
    }

    private static double Effect(RateSeries series)
    {
        var largest = Analysis.DesignEffect.Of([.. series.Now]);
        var (sum, weight) = (0.0, 0.0);
        foreach (var stretch in series.Before)
        {
            double count = stretch.Sum(n => (long)n);
            sum += count * Analysis.DesignEffect.OverWidths([.. stretch]);
            weight += count;
        }
        return weight == 0 ? largest : Math.Max(largest, sum / weight);
    }

    /// <summary>Variance over mean of the totals of days, 1 at least.</summary>
    private static double Scatter(long[] days) =>
        days.Length < 2 || days.Sum() == 0 ? 1 : Math.Max(1, FewDays(days.Length) * Variance(days) / days.Average());

    /// <summary>A variance that few days tell is often too small: what it has to be taken for, so that one in twenty calm tables
    /// at most has a finding (as the tests simulate them).</summary>
    private static double FewDays(int days) => (days + 2.0) / (days - 1.0);

    /// <summary>The variance between days beyond each rate's own scatter, as a share of the square of its mean; the median of all
    /// rates that have enough.</summary>
    private static double CommonScatter(long[][] days, (double Own, double Days)[] effects)
    {
        var shares = days.Select((d, i) => (Days: d, effects[i].Own))
            .Where(x => x.Days.Length >= 2 && x.Days.Average() >= FewestADay)
            .Select(x =>
                Math.Max(
                    0,
                    ((FewDays(x.Days.Length) * Variance(x.Days)) - (x.Own * x.Days.Average())) / Math.Pow(x.Days.Average(), 2)
                )
            )
            .Order()
            .ToArray();
        return shares.Length == 0 ? 0 : shares[shares.Length / 2];
    }

    private static double Variance(long[] values)
    {
        var mean = values.Average();
        return values.Sum(v => Math.Pow(v - mean, 2)) / (values.Length - 1);
    }
}
