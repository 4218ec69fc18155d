using Kumiko.Core.Records;

namespace Kumiko.Core.Rules;

/// <summary>What a check finds for one key.</summary>
/// <param name="Value">The figure; not a number where there is none.</param>
/// <param name="Seen">Whether the window has anything of the key.</param>
/// <param name="Compared">What it is held against: the earlier figure, the usual one, or the seconds until a limit is reached.
/// Not a number where there is nothing to compare with.</param>
/// <param name="Spread">Of the usual figures.</param>
public readonly record struct Measurement(double Value, bool Seen, double Compared, double Spread)
{
    public static Measurement Of(double value, bool seen) => new(value, seen, double.NaN, double.NaN);
}

/// <param name="Name">The canonical text of the keys together.</param>
/// <param name="Readings">One for each check.</param>
public sealed record MeasurementLine(string Name, IReadOnlyList<string> Keys, Measurement[] Measurements)
{
    /// <summary>Since when there is something of it, where it was told apart otherwise before; null for a key that is as new as
    /// it looks.</summary>
    public long? KnownSince { get; init; }
}

/// <summary>What several checks find.</summary>
/// <param name="Nothing">The figure of a key of which there is nothing: 0 for counts.</param>
public sealed record RuleMeasurements(IReadOnlyList<long> Checks, IReadOnlyList<MeasurementLine> Lines, double Nothing)
{
    public string Unit { get; init; } = "";

    /// <summary>What each check finds for a key that none of the windows has; empty where it is nothing and held against
    /// nothing.</summary>
    public IReadOnlyList<Measurement> Absent { get; init; } = [];

    /// <summary>The kind of the figures; durations are given in seconds.</summary>
    public ValueKind Kind { get; init; } = ValueKind.Decimal;
}
