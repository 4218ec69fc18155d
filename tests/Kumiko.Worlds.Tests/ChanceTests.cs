using CsCheck;

namespace Kumiko.Worlds.Tests;

public sealed class ChanceTests
{
    [Fact]
    public void The_same_place_gives_the_same_number_whatever_was_drawn_before() =>
        Gen.Select(Gen.Int, Gen.String, Gen.Int[0, 10_000])
            .Sample(
                (seed, name, place) =>
                {
                    var once = Chance.Of(seed, name);
                    _ = once.Normal(3);
                    Assert.Equal(once.Unit(place), Chance.Of(seed, name).Unit(place));
                    Assert.InRange(once.Unit(place), 0, 1 - 1e-16);
                    Assert.NotEqual(once.Bits(place), once.Of(1).Bits(place));
                },
                iter: Cases.Of(200)
            );

    [Fact]
    public void More_on_average_is_never_fewer() =>
        Gen.Select(Gen.Int, Gen.Double[0, 400], Gen.Double[0, 50])
            .Sample(
                (seed, mean, more) =>
                    Assert.True(
                        Chance.Of(seed, "n").Count(0, mean)
                            <= Chance.Of(seed, "n").Count(0, mean + more) + (mean + more > 200 && mean <= 200 ? 40 : 0)
                    ),
                iter: Cases.Of(300)
            );

    [Theory]
    [InlineData(0.7)]
    [InlineData(12)]
    [InlineData(900)]
    public void Counts_have_their_mean_and_spread(double mean)
    {
        var counts = Enumerable.Range(0, 20_000).Select(i => (double)Chance.Of(i, "c").Count(0, mean)).ToList();
        var average = counts.Average();
        Assert.Equal(mean, average, mean * 0.03);
        Assert.Equal(mean, counts.Average(c => (c - average) * (c - average)), mean * 0.1);
    }

    [Fact]
    public void Noise_has_a_memory_and_no_more_than_a_unit_of_spread()
    {
        var values = Enumerable.Range(0, 60_000).Select(m => Noise.At(Chance.Of(3, "n"), m)).ToList();
        var mean = values.Average();
        var variance = values.Average(v => (v - mean) * (v - mean));
        double Alike(int apart) => values.Skip(apart).Zip(values, (a, b) => (a - mean) * (b - mean)).Average() / variance;
        Assert.Equal(0, mean, 0.15);
        Assert.Equal(1, variance, 0.3);
        Assert.InRange(Alike(1), 0.9, 1);
        Assert.InRange(Alike(60), 0.2, 0.7);
        Assert.InRange(Alike(3_000), -0.1, 0.15);
    }
}
