using CsCheck;
using Kumiko.Core.Analysis;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;

namespace Kumiko.Core.Tests.Analysis;

/// <summary>Correlation, shares of a change, and one beside its peers.</summary>
public class ComparisonTests
{
    private static double?[] Wave(int steps, int shift, double noise = 0, int seed = 1)
    {
        var random = new Random(seed);
        return
        [
            .. Enumerable
                .Range(0, steps)
                .Select(i =>
                    (double?)(
                        Math.Sin((i - shift) / 7.0) + (0.4 * Math.Sin((i - shift) / 2.3)) + (noise * (random.NextDouble() - 0.5))
                    )
                ),
        ];
    }

    [Theory]
    [InlineData(0)]
    [InlineData(4)]
    [InlineData(-6)]
    public void The_lag_is_found_at_which_two_series_go_together(int lag)
    {
        var found = Correlation.Best(Wave(200, 0, 0.1), Wave(200, lag, 0.1, 2), 20)!;
        Assert.Equal(lag, found.Lag);
        Assert.InRange(found.R, 0.97, 1);
        Assert.True(found.P < 0.05);
        // Neighbouring steps resemble each other: they are worth far fewer than there are.
        Assert.InRange(found.Effective, 2, found.Pairs / 2.0);
    }

    [Fact]
    public void A_mirror_image_has_the_sign_and_noise_has_no_significance()
    {
        Assert.InRange(Correlation.Best(Wave(120, 0), [.. Wave(120, 0).Select(v => -v)], 0)!.R, -1, -0.999);
        var sure = 0;
        for (var seed = 0; seed < 60; seed++)
        {
            var random = new Random(seed);
            double?[] Noise() => [.. Enumerable.Range(0, 100).Select(_ => (double?)random.NextDouble())];
            if (Correlation.Best(Noise(), Noise(), 8)!.P < 0.05)
                sure++;
        }
        Assert.InRange(sure, 0, 6);
    }

    [Fact]
    public void Too_few_steps_in_common_and_what_never_moves_say_nothing()
    {
        double?[] flat = [.. Enumerable.Repeat((double?)3.3, 50)];
        Assert.Null(Correlation.Best(Wave(50, 0), flat, 5));
        double?[] holes = [.. Wave(50, 0).Select((v, i) => i < 40 ? null : v)];
        Assert.Null(Correlation.Best(Wave(50, 0), holes, 0));
        Assert.Null(Correlation.Best([], [], 3));
    }

    [Fact]
    public void Coefficients_are_those_of_the_naive_formula()
    {
        var value = Gen.Double[-1e3, 1e3];
        Gen.Select(value.Array[20, 40], value.Array[20, 40], Gen.Int[-5, 5])
            .Sample(
                (a, b, lag) =>
                {
                    var n = Math.Min(a.Length, b.Length);
                    double?[] x = [.. a.Take(n).Select((v, i) => i % 7 == 3 ? null : (double?)v)];
                    double?[] y = [.. b.Take(n).Select(v => (double?)v)];
                    var pairs = Enumerable
                        .Range(0, n)
                        .Where(i => i + lag >= 0 && i + lag < n && x[i] is not null)
                        .Select(i => (X: x[i]!.Value, Y: y[i + lag]!.Value))
                        .ToList();
                    var found = Correlation.At(x, y, lag);
                    if (pairs.Count < Correlation.Fewest)
                        return found is null;
                    var (mx, my) = (pairs.Average(p => p.X), pairs.Average(p => p.Y));
                    var naive =
                        pairs.Sum(p => (p.X - mx) * (p.Y - my))
                        / Math.Sqrt(pairs.Sum(p => (p.X - mx) * (p.X - mx)) * pairs.Sum(p => (p.Y - my) * (p.Y - my)));
                    return found is var (r, count) && count == pairs.Count && Math.Abs(r - naive) < 1e-9;
                }
            );
    }

    [Fact]
    public void A_ratio_that_jumped_by_its_divisor_is_explained_by_it()
    {
        var moved = Attribution.Of([("failed", 10, 10), ("asked", 1_000, 100)], v => v[0] / v[1])!;
        Assert.Equal("asked", moved[0].Name);
        Assert.Equal(1, moved[0].Share!.Value, 12);
        Assert.Equal(0, moved[1].Share!.Value, 12);
        // Both of a product: the change is shared evenly where they moved alike.
        var both = Attribution.Of([("a", 1, 2), ("b", 1, 2)], v => v[0] * v[1])!;
        Assert.All(both, p => Assert.Equal(0.5, p.Share!.Value, 12));
    }

    [Fact]
    public void Effects_of_parts_add_up_to_the_change_and_what_did_not_move_has_none()
    {
        var part = Gen.Select(Gen.Double[0.5, 100], Gen.Double[0.5, 100], Gen.Bool);
        Gen.Select(part, part, part, part)
            .Sample(
                (a, b, c, d) =>
                {
                    var parts = new[] { a, b, c, d }.Select((p, i) => ($"p{i}", p.Item1, p.Item3 ? p.Item2 : p.Item1)).ToList();
                    double? Formula(double[] v) => ((v[0] - v[1]) / v[2]) + Math.Sqrt(v[3]);
                    var moved = Attribution.Of(parts, Formula)!;
                    var change =
                        Formula([.. parts.Select(p => p.Item3)])!.Value - Formula([.. parts.Select(p => p.Item2)])!.Value;
                    return Math.Abs(moved.Sum(p => p.Effect) - change) < 1e-9 * (1 + Math.Abs(change))
                        && moved.Where(p => p.Before == p.After).All(p => Math.Abs(p.Effect) < 1e-12);
                }
            );
    }

    [Fact]
    public void Nothing_is_shared_out_where_the_formula_has_no_value_or_nothing_changed()
    {
        Assert.Null(Attribution.Of([("a", 1, 2), ("b", 1, 0)], v => v[1] == 0 ? null : v[0] / v[1]));
        Assert.Null(Attribution.Of([], _ => 1));
        Assert.Null(Attribution.Of([.. Enumerable.Range(0, 13).Select(i => ($"p{i}", 1.0, 2.0))], v => v.Sum()));
        Assert.All(Attribution.Of([("a", 1, 1)], v => v[0])!, p => Assert.Null(p.Share));
    }

    // R 4: quantile(c(2, 4, 4, 7, 11, 15, 20), c(0.1, 0.5, 0.9, 0.95), type = 7)
    [Theory]
    [InlineData(0.1, 3.2)]
    [InlineData(0.5, 7)]
    [InlineData(0.9, 17)]
    [InlineData(0.95, 18.5)]
    public void Percentiles_are_those_of_type_seven(double share, double expected) =>
        Assert.Equal(expected, Peers.Percentile([2, 4, 4, 7, 11, 15, 20], share), 12);

    [Fact]
    public void One_stands_beside_the_middle_and_the_spread_of_the_others()
    {
        var figure = Gen.Double[-100, 100];
        Gen.Select(figure.Array[6], Gen.Bool, Gen.Int[0, 5])
            .Sample(
                (values, median, gap) =>
                {
                    var names = new[] { "Lindle", "Orra", "Ferrin", "Duskey", "Hollin", "Stennet" };
                    var schema = new Schema(
                        [
                            new Column("time", ColumnRole.Time, ValueKind.Time),
                            new Column("terminal", ColumnRole.Key),
                            new Column("share", ColumnRole.Value) { Unit = "1" },
                        ],
                        Instants.Minute,
                        new Window(0, Instants.Minute)
                    );
                    var frame = new Frame(
                        schema,
                        [
                            .. names.Select(
                                (n, i) => new[] { Value.Time(0), Value.Of(n), i == gap ? Value.Missing : Value.Of(values[i]) }
                            ),
                        ]
                    );
                    var row = Peers.Of(frame, "terminal", "Lindle", median, "peers")!.Rows.Single();
                    var others = Enumerable.Range(1, 5).Where(i => i != gap).Select(i => values[i]).Order().ToList();
                    var middle = median ? Peers.Percentile(others, 0.5) : others.Average();
                    return (gap == 0 ? row[1].IsMissing : row[1].AsDouble == values[0])
                        && Math.Abs(row[2].AsDouble - middle) < 1e-9
                        && row[3].AsDouble <= row[2].AsDouble + 60
                        && row[3].AsDouble <= row[4].AsDouble
                        && row[5].AsLong == others.Count;
                }
            );
    }

    [Fact]
    public void Without_such_a_key_there_are_no_peers()
    {
        var frame = new Frame(
            new Schema(
                [new Column("time", ColumnRole.Time, ValueKind.Time), new Column("n", ColumnRole.Value)],
                Instants.Minute,
                new Window(0, 1)
            ),
            []
        );
        Assert.Null(Peers.Of(frame, "terminal", "Lindle", false, "p"));
    }
}
