using CsCheck;
using Kumiko.Core.Analysis;

namespace Kumiko.Core.Tests.Analysis;

public class RateChangeTests
{
    // R 4: poisson.test(c(first, second), c(firstLength, secondLength))$p.value
    [Theory]
    [InlineData(3, 12, 1, 1, 0.03515625)]
    [InlineData(0, 10, 1, 1, 0.001953125)]
    [InlineData(10, 0, 1, 1, 0.001953125)]
    [InlineData(7, 7, 1, 1, 1)]
    [InlineData(25, 5, 2, 1, 0.0542491730431322)]
    [InlineData(100, 150, 1, 1, 0.00188330093507616)]
    [InlineData(1000, 1100, 3600, 3600, 0.0307207078642424)]
    [InlineData(40, 10, 1, 24, 8.34083161856527e-47)]
    [InlineData(250000, 251000, 1, 1, 0.158129974691978)]
    [InlineData(2, 9, 0.5, 3, 0.663622646912231)]
    [InlineData(1, 0, 1, 1, 1)]
    [InlineData(180, 60, 3, 1, 1)]
    [InlineData(12000, 100, 1, 60, 0)]
    public void The_probability_is_that_of_the_exact_conditional_test(
        long first,
        long second,
        double firstLength,
        double secondLength,
        double expected
    )
    {
        var p = RateChange.Probability(first, second, firstLength, secondLength);
        Assert.InRange(p, expected * (1 - 1e-7), (expected * (1 + 1e-7)) + 1e-300);
    }

    // R 4: p.adjust(c(0.01, 0.04, 0.03, 0.2, 0.5, 0.0001, 0.04), "BH")
    [Fact]
    public void Probabilities_are_corrected_for_their_number()
    {
        double[] expected = [0.035, 0.056, 0.056, 0.23333333333333, 0.5, 0.0007, 0.056];
        var corrected = RateChange.BenjaminiHochberg([0.01, 0.04, 0.03, 0.2, 0.5, 0.0001, 0.04]);
        for (var i = 0; i < expected.Length; i++)
            Assert.Equal(expected[i], corrected[i], 12);
    }

    [Theory]
    [InlineData(0, 60, Trend.New)]
    [InlineData(60, 0, Trend.Gone)]
    [InlineData(20, 90, Trend.Rising)]
    [InlineData(90, 20, Trend.Settling)]
    [InlineData(50, 52, Trend.Steady)]
    [InlineData(0, 9, Trend.TooFewToSay)]
    [InlineData(4, 5, Trend.TooFewToSay)]
    public void A_change_has_a_name(long before, long now, Trend trend) =>
        Assert.Equal(trend, Assert.Single(RateChange.Judge([(before, now)], 1, 1)).Trend);

    [Fact]
    public void The_factor_is_of_rates()
    {
        var change = RateChange.Judge([(240, 40), (0, 20), (0, 0)], 24, 1);
        Assert.Equal(4, change[0].Factor, 12);
        Assert.True(double.IsPositiveInfinity(change[1].Factor));
        Assert.Equal(1, change[2].Factor);
    }

    [Fact]
    public void The_same_change_counts_less_among_many()
    {
        var alone = RateChange.Judge([(8, 20)], 1, 1)[0];
        var among = RateChange.Judge([(8, 20), .. Enumerable.Repeat((50L, 50L), 200)], 1, 1)[0];
        Assert.Equal(Trend.Rising, alone.Trend);
        Assert.Equal(Trend.Steady, among.Trend);
        Assert.True(among.P > alone.P);
    }

    [Fact]
    public void Laws_of_the_test() =>
        Gen.Select(Gen.Int[0, 400], Gen.Int[0, 400], Gen.Double[0.1, 30])
            .Sample(
                (a, b, length) =>
                {
                    var p = RateChange.Probability(a, b, 1, length);
                    Assert.InRange(p, 0, 1);
                    Assert.Equal(p, RateChange.Probability(b, a, length, 1), 9);
                    // Further from what is expected is never more likely.
                    if (a > (a + b) / (1 + length) && b > 0)
                        Assert.True(RateChange.Probability(a + 1, b - 1, 1, length) <= p + 1e-9);
                }
            );

    [Fact]
    public void A_window_without_length_is_refused() =>
        Assert.Throws<ArgumentOutOfRangeException>(() => RateChange.Judge([(1, 1)], 0, 1));
}
