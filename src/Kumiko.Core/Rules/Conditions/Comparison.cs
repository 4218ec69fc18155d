using Kumiko.Core.Query.Sliding;

namespace Kumiko.Core.Rules;

/// <summary>What figures are held against.</summary>
/// <param name="Others">The ends of other windows that have to be asked for the one that ends at an instant.</param>
/// <param name="Compare">What the figure of a window is held against, and its spread; null where there is nothing.</param>
public sealed record Comparison(Func<long, IReadOnlyList<long>> Others, Comparing Compare)
{
    public static readonly Comparison None = new(_ => [], (_, _, _, _) => null);
}

/// <param name="found">The figures of all windows.</param>
/// <param name="line">The key.</param>
/// <param name="end">Of the window.</param>
/// <param name="others">The other windows of it.</param>
public delegate (double Compared, double Spread)? Comparing(
    ValuesByEnd found,
    SlidingLine line,
    long end,
    IReadOnlyList<long> others
);

/// <summary>Figures at many instants, found by instant.</summary>
public sealed class ValuesByEnd(SlidingAnswer answer)
{
    private readonly Dictionary<long, int> _places = answer.Ends.Select((end, i) => (end, i)).ToDictionary(p => p.end, p => p.i);

    public SlidingAnswer Answer => answer;

    public double At(SlidingLine line, long end) => line.Values[_places[end]];

    public Measurement MeasurementAt(SlidingLine line, long end) =>
        Measurement.Of(line.Values[_places[end]], line.Seen[_places[end]]);
}
