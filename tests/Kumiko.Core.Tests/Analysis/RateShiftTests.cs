using Kumiko.Core.Analysis;

namespace Kumiko.Core.Tests.Analysis;

/// <summary>Rates against usual ones: what is called different is, and what comes in bursts is not called so easily.</summary>
public sealed class RateShiftTests
{
    private const int Minutes = 180;
    private const int Days = 4;

    [Fact]
    public void Counts_of_chance_alone_have_no_design_effect_to_speak_of()
    {
        var random = new Random(5);
        var counts = Enumerable.Range(0, 1_440).Select(_ => Poisson(random, 7)).ToArray();
        Assert.InRange(DesignEffect.Of(counts), 1, 1.2);
        Assert.InRange(DesignEffect.OverWidths(counts), 1, 2);
    }

    [Fact]
    public void A_burst_counts_as_one()
    {
        var counts = new int[Minutes];
        counts[90] = 500;
        Assert.InRange(DesignEffect.Of(counts), 480, 520);
    }

    [Fact]
    public void A_rise_that_lasts_is_no_scatter()
    {
        var random = new Random(6);
        var counts = Enumerable.Range(0, Minutes).Select(m => Poisson(random, m < 90 ? 5 : 50)).ToArray();
        Assert.InRange(DesignEffect.Of(counts), 1, 2);
    }

    [Theory]
    [InlineData(0, 1)]
    [InlineData(3, 1)]
    public void Few_stretches_say_nothing(int stretches, double effect) =>
        Assert.Equal(effect, DesignEffect.Of(Enumerable.Repeat(9, stretches).Select((n, i) => n * i * i).ToArray()));

    private static RateSeries Series(Random random, double now, double usual, Func<double>? weather = null)
    {
        int[] Stretch(double rate) =>
            [.. Enumerable.Range(0, Minutes).Select(_ => Poisson(random, rate * (weather?.Invoke() ?? 1)))];
        return new RateSeries(Stretch(now), [.. Enumerable.Range(0, Days).Select(_ => Stretch(usual))]);
    }

    private static IReadOnlyList<RateShift> Judge(params RateSeries[] series) => RateShift.Judge(series, Minutes, Minutes * Days);

    [Fact]
    public void Twice_as_often_is_more_and_half_as_often_is_less()
    {
        var random = new Random(7);
        var shifts = Judge(
            Series(random, 2, 1),
            Series(random, 1, 2),
            Series(random, 2, 0),
            Series(random, 0, 2),
            Series(random, 2, 2),
            Series(random, 0.01, 0.01)
        );
        Assert.Equal(
            [RateDifference.More, RateDifference.Less, RateDifference.UsuallyNone, RateDifference.Gone, RateDifference.AsUsual],
            shifts.Take(5).Select(s => s.Difference)
        );
        Assert.InRange(shifts[0].Factor, 1.7, 2.3);
        Assert.True(shifts[0].IsSure);
        Assert.Equal(double.PositiveInfinity, shifts[2].Factor);
        Assert.Equal(0, shifts[3].Now);
        Assert.True(shifts[5].Difference is RateDifference.TooFewToSay or RateDifference.MaybeChance or RateDifference.AsUsual);
    }

    [Fact]
    public void A_burst_that_comes_on_some_days_is_no_change_of_the_rate()
    {
        int[] Day(int burst)
        {
            var counts = new int[Minutes];
            counts[40] = burst;
            return counts;
        }
        var shift = Judge(new RateSeries(Day(900), [Day(0), Day(700), Day(0), Day(500)]))[0];
        Assert.Equal(RateDifference.MaybeChance, shift.Difference);
        Assert.InRange(shift.DesignEffect, 400, 1_500);
    }

    // Calm days against calm days: noise with a memory of some twenty minutes, and days that differ as a whole.
    [Theory]
    [InlineData(0.1, 0.0)]
    [InlineData(0.2, 0.1)]
    [InlineData(0.4, 0.2)]
    public void Of_calm_tables_one_in_twenty_at_most_has_a_finding(double byMinute, double byDay)
    {
        var random = new Random(11);
        var wrong = Enumerable.Range(0, 200).Count(_ => Table().Any(s => s.IsClear));
        Assert.InRange(wrong, 0, 10);

        IReadOnlyList<RateShift> Table()
        {
            var rates = Enumerable.Range(0, 30).Select(i => 0.05 * Math.Pow(1.35, i)).ToArray();
            var days = Enumerable.Range(0, Days + 1).Select(_ => Calm(rates)).ToArray();
            return RateShift.Judge(
                [.. rates.Select((_, i) => new RateSeries(days[0][i], [.. days.Skip(1).Select(d => d[i])]))],
                Minutes,
                Minutes * Days
            );
        }

        int[][] Calm(double[] rates)
        {
            const double Memory = 0.95;
            var level = byDay * Normal(random);
            var common = new double[Minutes];
            var state = Normal(random);
            for (var m = 0; m < Minutes; m++)
            {
                state = (Memory * state) + (Math.Sqrt(1 - (Memory * Memory)) * Normal(random));
                common[m] = Math.Exp((byMinute * state) + level);
            }
            return [.. rates.Select(r => common.Select(c => Poisson(random, r * c)).ToArray())];
        }
    }

    [Fact]
    public void A_baseline_of_another_length_is_compared_by_rate()
    {
        var now = Enumerable.Repeat(3, 60).ToArray();
        var before = Enumerable.Repeat(3, 600).ToArray();
        var shift = RateShift.Judge([new RateSeries(now, [before])], 60, 600)[0];
        Assert.Equal(180, shift.Usual, 6);
        Assert.Equal(RateDifference.AsUsual, shift.Difference);
    }

    private static double Normal(Random random) =>
        Math.Sqrt(-2 * Math.Log(1 - random.NextDouble())) * Math.Cos(2 * Math.PI * random.NextDouble());

    private static int Poisson(Random random, double mean)
    {
        if (mean > 60)
            return (int)Math.Max(0, Math.Round(mean + (Math.Sqrt(mean) * Normal(random))));
        var (limit, product, count) = (Math.Exp(-mean), random.NextDouble(), 0);
        while (product > limit)
        {
            product *= random.NextDouble();
            count++;
        }
        return count;
    }
}
