using CsCheck;
using Kumiko.Core.Evaluation;

namespace Kumiko.Core.Tests.Evaluation;

public class SelectionLaws
{
    private static readonly Gen<double> Odd = Gen.OneOf(
        Gen.Int[-20, 20].Select(n => (double)n),
        Gen.Double[-1e9, 1e9],
        Gen.OneOf(double.NaN, double.PositiveInfinity, double.NegativeInfinity, 0.0, -0.0, double.MaxValue, double.Epsilon)
    );

    [Fact]
    public void What_is_selected_is_what_sorting_puts_there_and_the_rest_lies_around_it() =>
        Gen.Select(Odd.Array[1, 500], Gen.Double[0, 1])
            .Sample((numbers, share) => Holds(numbers, (int)(share * (numbers.Length - 1))));

    [Fact]
    public void Orders_that_are_bad_for_pivots_are_selected_from_too()
    {
        const int Count = 5_000;
        double[][] orders =
        [
            [.. Enumerable.Range(0, Count).Select(i => (double)i)],
            [.. Enumerable.Range(0, Count).Select(i => (double)-i)],
            [.. Enumerable.Range(0, Count).Select(i => (double)Math.Min(i, Count - i))],
            [.. Enumerable.Range(0, Count).Select(i => (double)-Math.Min(i, Count - i))],
            [.. Enumerable.Repeat(7.0, Count)],
            [.. Enumerable.Range(0, Count).Select(i => i % 2 == 0 ? 1.0 : 2.0)],
            [.. Enumerable.Repeat(double.NaN, Count)],
        ];
        foreach (var order in orders)
        foreach (var place in new[] { 0, 1, Count / 2, Count * 95 / 100, Count - 2, Count - 1 })
            Holds(order, place);
    }

    [Theory, InlineData(-1), InlineData(3)]
    public void A_place_outside_is_an_error(int place) =>
        Assert.Throws<ArgumentOutOfRangeException>(() => Selection.At([1, 2, 3], place));

    private static void Holds(double[] numbers, int place)
    {
        double[] moved = [.. numbers];
        double[] sorted = [.. numbers];
        Array.Sort(sorted);
        Assert.Equal(sorted[place], Selection.At(moved, place));
        Assert.All(moved[..place], n => Assert.True(double.IsNaN(n) || n <= sorted[place]));
        Assert.All(moved[(place + 1)..], n => Assert.True(double.IsNaN(sorted[place]) || n >= sorted[place]));
        Array.Sort(moved);
        Assert.Equal(sorted, moved);
    }
}
