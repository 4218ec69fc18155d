using Kumiko.Core.Records;

namespace Kumiko.Core.Query.Fields;

/// <param name="Count">Records in the focus with this value.</param>
/// <param name="Share">Of all matching records in the focus, 0 to 1.</param>
/// <param name="Baseline">The same share in the baseline; null where the baseline has no records.</param>
/// <param name="Clear">Whether the two shares differ by more than chance would (three standard errors; of few records, as
/// seldom).</param>
public sealed record ValueShare(Value Value, long Count, double Share, double? Baseline, bool Clear)
{
    /// <summary>By how many points of percent the share moved; null without a baseline.</summary>
    public double? Shift => (Share - Baseline) * 100;
}

/// <summary>What one field holds in the matching records.</summary>
/// <param name="Present">Records that have it.</param>
/// <param name="Total">All matching records.</param>
/// <param name="Distinct">Number of different values, a lower bound where <paramref name="More"/>.</param>
/// <param name="Top">The most frequent values first.</param>
public sealed record FieldSummary(string Name, long Present, long Total, int Distinct, bool More, IReadOnlyList<ValueShare> Top)
{
    /// <summary>The rarest values first.</summary>
    public IReadOnlyList<ValueShare> Rarest { get; init; } = [];

    /// <summary>Values whose share moved clearly, the biggest move first; some may be gone from the focus.</summary>
    public IReadOnlyList<ValueShare> Shifted { get; init; } = [];

    /// <summary>Null where some value is no quantity, or they have no common order.</summary>
    public NumberSummary? Numbers { get; init; }

    /// <summary>The share of the baseline's records that have it; null without a baseline.</summary>
    public double? BaselinePresence { get; init; }

    public double Presence => Total == 0 ? 0 : (double)Present / Total;

    /// <summary>Whether its values tell records apart rather than group them: ids, amounts. Amounts do so though some are
    /// frequent, such as those that a time-out cuts off.</summary>
    public bool IsScattered => Distinct > 30 && (Top.Count == 0 || Top[0].Share < (Numbers is null ? 0.05 : 0.5));

    public double BiggestShift => Shifted.Count == 0 ? 0 : Math.Abs(Shifted[0].Shift ?? 0);
}

/// <summary>A field's presence, without its values.</summary>
/// <param name="Present">Records of the focus that have it.</param>
/// <param name="Total">Records of the focus.</param>
public sealed record FieldPresence(string Name, long Present, long Total);

/// <summary>How the numbers of a field lie.</summary>
/// <param name="Quantiles">At 5, 25, 50, 75, 95 and 99 percent.</param>
/// <param name="Edges">Ends of the bins: one more than there are bins, rising.</param>
/// <param name="Bins">Share of the focus' numbers in each bin; a number on an edge belongs to the bin above it, the largest to
/// the last.</param>
/// <param name="Before">The same of the baseline, on the same bins; null without one.</param>
/// <param name="Approximate">Whether it is from an even sample and not from all values.</param>
public sealed record NumberSummary(
    ValueKind Kind,
    double Min,
    double Max,
    IReadOnlyList<double> Quantiles,
    IReadOnlyList<double> Edges,
    IReadOnlyList<double> Bins,
    IReadOnlyList<double>? Before,
    bool Approximate
)
{
    public static readonly double[] Levels = [0.05, 0.25, 0.5, 0.75, 0.95, 0.99];

    public double Median => Quantiles[2];

    /// <summary>A number of the field's kind, as a query has it.</summary>
    public Value ValueOf(double number) =>
        Kind switch
        {
            ValueKind.Duration => Value.Duration((long)Math.Round(number)),
            ValueKind.Size => Value.Size((long)Math.Round(number)),
            ValueKind.Integer => Value.Of((long)Math.Round(number)),
            _ => Value.Of(number),
        };
}
