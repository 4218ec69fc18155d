using CsCheck;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Tests.Storage.Metrics;

/// <summary>Numbers packed to the bit come back as they were.</summary>
public sealed class PackedTests
{
    private static long[] Longs(long[] values)
    {
        using var to = new ByteWriter();
        PackedLongs.Write(to, values);
        var from = new ByteReader(to.Written);
        var read = new long[values.Length];
        PackedLongs.Read(ref from, read);
        Assert.Equal(0, from.Left);
        return read;
    }

    private static double[] Doubles(double[] values)
    {
        using var to = new ByteWriter();
        PackedDoubles.Write(to, values);
        var from = new ByteReader(to.Written);
        var read = new double[values.Length];
        PackedDoubles.Read(ref from, read);
        Assert.Equal(0, from.Left);
        return read;
    }

    [Fact]
    public void Any_whole_numbers() =>
        Gen.OneOf(
                Gen.Long.Array[0, 300],
                Gen.Long[-1_000, 1_000].Array[0, 600],
                Gen.Long[0, 1L << 60].Select(v => v * 7).Array[1, 200]
            )
            .Sample(values => Assert.Equal(values, Longs(values)));

    [Fact]
    public void Numbers_that_rise_by_a_step_with_gaps() =>
        Gen.Select(Gen.Long[-1L << 40, 1L << 40], Gen.Long[1, 1L << 33], Gen.Int[0, 9].Array[1, 400])
            .Sample(
                (first, step, skips) =>
                {
                    var at = first;
                    var values = Array.ConvertAll(skips, skip => at += step * skip);
                    Assert.Equal(values, Longs(values));
                }
            );

    [Fact]
    public void Any_decimals_bit_for_bit() =>
        Gen.OneOf(
                Gen.Double.Array[0, 200],
                Gen.Int[-99_999, 99_999].Select(i => i / 100.0).Array[0, 300],
                Gen.Long[0, 1L << 52].Select(l => (double)l).Array[0, 150],
                Gen.OneOf(
                    Gen.Const(double.NaN),
                    Gen.Const(-0.0),
                    Gen.Const(double.PositiveInfinity),
                    Gen.Const(1e300),
                    Gen.Const(0.1)
                ).Array[0, 20]
            )
            .Sample(values =>
                Assert.Equal(
                    values.Select(BitConverter.DoubleToInt64Bits),
                    Doubles(values).Select(BitConverter.DoubleToInt64Bits)
                )
            );

    [Fact]
    public void A_steady_series_takes_next_to_nothing()
    {
        using var to = new ByteWriter();
        PackedLongs.Write(to, [.. Enumerable.Range(0, 8_640).Select(i => 1_790_000_000_000_000_000 + (i * 10_000_000_000L))]);
        PackedDoubles.Write(to, [.. Enumerable.Repeat(61.25, 8_640)]);
        Assert.InRange(to.Length, 1, 600);
    }

    [Fact]
    public void Broken_bytes_are_told() =>
        Gen
            .Byte.Array[0, 60]
            .Sample(bytes =>
            {
                try
                {
                    var from = new ByteReader(bytes);
                    PackedDoubles.Read(ref from, new double[40]);
                }
                catch (InvalidDataException)
                { /* told */
                }
            });

    [Fact]
    public void A_coarse_sketch_stays_within_a_percent_and_merges_with_a_fine_one() =>
        Gen.Select(Gen.Double[1e-3, 1e6].Array[1, 300], Gen.Double[1e-3, 1e6].Array[0, 300])
            .Sample(
                (a, b) =>
                {
                    var (coarse, fine) = (new PercentileSketch(coarse: true), new PercentileSketch());
                    foreach (var value in a)
                        coarse.Add(value);
                    foreach (var value in b)
                        fine.Add(value);
                    double[] all = [.. a.Concat(b).Order()];
                    var (below, zeros, above) = coarse.Contents;
                    var kept = PercentileSketch.CoarseOf(below, zeros, above);
                    fine.Merge(kept);
                    foreach (var share in new[] { 0, 0.25, 0.5, 0.95, 1 })
                    {
                        var exact = all[(int)Math.Round(share * (all.Length - 1))];
                        Assert.InRange(fine.At(share), exact * 0.99, exact * 1.01);
                    }
                }
            );

    [Fact]
    public void Many_numbers_at_once_fall_into_the_buckets_that_each_would() =>
        Gen.Select(Gen.OneOf(Gen.Double[-1e6, 1e6], Gen.Int[-3, 3].Select(n => (double)n)).Array[0, 200], Gen.Bool)
            .Sample(
                (values, isCoarse) =>
                {
                    var (many, each) = (new PercentileSketch(isCoarse), new PercentileSketch(isCoarse));
                    many.Add(values);
                    foreach (var value in values)
                        each.Add(value);
                    Assert.Equal(each.Count, many.Count);
                    Assert.Equal(each.Contents.Zeros, many.Contents.Zeros);
                    Assert.Equal(each.Contents.Above, many.Contents.Above);
                    Assert.Equal(each.Contents.Below, many.Contents.Below);
                }
            );
}
