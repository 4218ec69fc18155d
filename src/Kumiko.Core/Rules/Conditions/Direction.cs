namespace Kumiko.Core.Rules;

/// <summary>Which way a figure is off.</summary>
public enum Direction
{
    High,
    Low,
    Either,
}

internal static class Directions
{
    /// <summary>A change as far as it goes the way that is looked for.</summary>
    public static double Of(Direction side, double up, double down) =>
        side switch
        {
            Direction.High => up,
            Direction.Low => down,
            _ => Math.Max(up, down),
        };

    /// <summary>How far off a figure is.</summary>
    public static double Off(Direction side, double value, double? compared) =>
        side switch
        {
            Direction.High => value,
            Direction.Low => -value,
            _ => Math.Abs(value - (compared ?? 0)),
        };
}
