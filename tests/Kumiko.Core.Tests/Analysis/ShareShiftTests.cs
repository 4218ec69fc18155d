using CsCheck;
using Kumiko.Core.Analysis;

namespace Kumiko.Core.Tests.Analysis;

public class ShareShiftTests
{
    /// <summary>Example (a) of Newcombe's paper: 56 of 70 and 48 of 80, method 10.</summary>
    [Fact]
    public void The_interval_is_that_of_the_paper()
    {
        var (low, high) = ShareShift.Interval(56, 70, 48, 80);
        Assert.Equal(0.0524, low, 4);
        Assert.Equal(0.3339, high, 4);
    }

    /// <summary>R: fisher.test(matrix(c(8, 2, 1, 5), 2))$p.value and the like.</summary>
    [Theory]
    [InlineData(8, 10, 1, 6, 0.03496503)]
    [InlineData(3, 4, 1, 4, 0.4857143)]
    [InlineData(0, 10, 0, 10, 1)]
    public void Small_counts_have_exact_probabilities(long first, long firstTotal, long second, long secondTotal, double p) =>
        Assert.Equal(p, ShareShift.Probability(first, firstTotal, second, secondTotal), 6);

    [Fact]
    public void Sides_and_complements_can_change_places() =>
        Gen.Select(Gen.Long[10, 400], Gen.Long[10, 400], Gen.Double[0, 1], Gen.Double[0, 1])
            .Sample(
                (n1, n2, p1, p2) =>
                {
                    var (k1, k2) = ((long)(p1 * n1), (long)(p2 * n2));
                    var p = ShareShift.Probability(k1, n1, k2, n2);
                    Assert.InRange(p, 0, 1);
                    Assert.Equal(p, ShareShift.Probability(k2, n2, k1, n1), 9);
                    Assert.Equal(p, ShareShift.Probability(n1 - k1, n1, n2 - k2, n2), 9);
                    var (low, high) = ShareShift.Interval(k1, n1, k2, n2);
                    Assert.InRange(((double)k1 / n1) - ((double)k2 / n2), low - 1e-12, high + 1e-12);
                }
            );

    [Fact]
    public void Large_counts_go_on_where_exact_ones_end() =>
        Assert.Equal(
            ShareShift.Probability(10_050, 19_999, 20_000, 40_500),
            ShareShift.Probability(20_100, 39_998, 40_000, 81_000),
            1
        );

    [Fact]
    public void The_firmware_is_clear_and_the_even_host_is_not()
    {
        var shifts = ShareShift.Judge([(40, 2), (16, 31), (1, 0)], 47, 90);
        Assert.True(shifts[0].IsClear);
        Assert.InRange(shifts[0].Least, 0.6, shifts[0].Difference);
        Assert.False(shifts[1].IsClear);
        Assert.False(shifts[2].IsClear);
        Assert.All(ShareShift.Judge([(9, 0)], 9, 500), s => Assert.False(s.IsClear));
    }

    [Fact]
    public void Alike_sets_are_seldom_called_different()
    {
        var random = new Random(7);
        var called = 0;
        for (var round = 0; round < 200; round++)
        {
            var counts = Enumerable
                .Range(0, 20)
                .Select(_ =>
                    (
                        (long)Enumerable.Range(0, 100).Count(_ => random.NextDouble() < 0.3),
                        (long)Enumerable.Range(0, 300).Count(_ => random.NextDouble() < 0.3)
                    )
                )
                .ToList();
            if (ShareShift.Judge(counts, 100, 300).Any(s => s.IsClear))
                called++;
        }
        Assert.InRange(called, 0, 20);
    }
}
