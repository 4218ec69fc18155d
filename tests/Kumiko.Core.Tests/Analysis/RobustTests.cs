using CsCheck;
using Kumiko.Core.Analysis;

namespace Kumiko.Core.Tests.Analysis;

public sealed class RobustTests
{
    [Fact]
    public void A_line_is_found_although_a_few_points_lie_anywhere() =>
        Gen.Select(Gen.Int[-90, 90], Gen.Int[-9, 9], Gen.Int[7, 40], Gen.Double[-1e6, 1e6])
            .Sample(
                (level, slope, count, wild) =>
                {
                    var points = Enumerable
                        .Range(0, count)
                        .Select(i => ((double)(i - count + 1), level + (slope * (double)(i - count + 1))))
                        .ToList();
                    points[count / 2] = (points[count / 2].Item1, wild);
                    var trend = RobustTrend.Of(points)!.Value;
                    Assert.Equal(slope, trend.Slope, 1e-9);
                    Assert.Equal(level, trend.Level, 1e-9);
                    Assert.Equal(slope != 0, trend.IsClear);
                }
            );

    [Fact]
    public void Values_of_a_reference_program()
    {
        // R 4.2: quantile(c(3,1,4,1,5,9,2,6), 0.25, type = 7); median; mad(c(3,1,4,1,5,9,2,6)).
        double[] values = [3, 1, 4, 1, 5, 9, 2, 6];
        Assert.Equal(1.75, Robust.Quantile([.. values.Order()], 0.25), 1e-12);
        var (median, spread) = Robust.Of(values);
        Assert.Equal(3.5, median, 1e-12);
        Assert.Equal(2.9652, spread, 1e-9);
    }

    [Fact]
    public void Too_few_points_have_no_trend()
    {
        Assert.Null(RobustTrend.Of([(0, 1), (1, double.NaN), (2, 3)]));
        Assert.Null(RobustTrend.Of([(1, 1), (1, 2), (1, 3)]));
        Assert.False(RobustTrend.Of([(0, 1), (1, 5), (2, 1), (3, 5), (4, 1)])!.Value.IsClear);
    }
}
