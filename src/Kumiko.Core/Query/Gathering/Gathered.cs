using Kumiko.Core.Analysis;
using Kumiko.Core.Frames;
using Kumiko.Core.Storage.Patterns;

namespace Kumiko.Core.Query.Gathering;

/// <summary>The records of an answer by their patterns.</summary>
/// <param name="Patterns">The most frequent first; those with none in the focus, but in the baseline, last.</param>
/// <param name="Records">All records.</param>
/// <param name="Line">Stretches of time in <see cref="GatheredPattern.Line"/>.</param>
/// <param name="IsCompared">Whether there is a baseline.</param>
public sealed record Gathered(IReadOnlyList<GatheredPattern> Patterns, long Records, int Line, bool IsCompared)
{
    /// <summary>Patterns that have records in the focus.</summary>
    public int Here => Patterns.Count(p => p.Count > 0);
}

/// <summary>The records of one pattern.</summary>
/// <param name="Pattern">Null for the records that have none.</param>
/// <param name="Count">In the focus.</param>
/// <param name="Share">Of all records of the answer, 0 to 1.</param>
/// <param name="Bands">Counts by severity band: unspecified, then trace to fatal.</param>
/// <param name="First">Time of the first record of the answer; meaningless where there is none.</param>
/// <param name="Last">Time of the last one.</param>
/// <param name="Line">Counts over the focus, one after the other.</param>
/// <param name="UsualLine">The baseline's mean for the same stretches; null where there is nothing to compare with.</param>
/// <param name="Shift">How it differs from the baseline; null likewise.</param>
public sealed record GatheredPattern(
    Pattern? Pattern,
    long Count,
    double Share,
    IReadOnlyList<long> Bands,
    long First,
    long Last,
    IReadOnlyList<long> Line,
    IReadOnlyList<double>? UsualLine,
    RateShift? Shift
)
{
    /// <summary>Whether no record of its kind was ever seen before the focus.</summary>
    public bool IsNew { get; init; }

    /// <summary>The highest severity band that a good part of its records have.</summary>
    public int Band
    {
        get
        {
            var enough = Bands.Sum() / 10;
            for (var band = Bands.Count - 1; band > 0; band--)
                if (Bands[band] > enough)
                    return band;
            return 0;
        }
    }
}

/// <summary>Orders of gathered patterns.</summary>
public enum PatternOrder
{
    Count,
    Change,
    Newness,
    Rarity,
}

/// <summary>Puts patterns into an order.</summary>
public static class PatternOrders
{
    public static IEnumerable<GatheredPattern> In(this IEnumerable<GatheredPattern> patterns, PatternOrder order) =>
        order switch
        {
            PatternOrder.Change => patterns
                .OrderByDescending(p => p.IsNew)
                .ThenByDescending(p => p.Shift?.IsClear ?? false)
                .ThenByDescending(p => Distance(p.Shift)),
            PatternOrder.Newness => patterns.OrderByDescending(p => p.Pattern?.FirstSeen ?? long.MinValue),
            // What is not there at all is not rare but gone.
            PatternOrder.Rarity => patterns.OrderBy(p => p.Count == 0 ? long.MaxValue : p.Count),
            _ => patterns.OrderByDescending(p => p.Count).ThenByDescending(p => p.Shift?.Usual ?? 0),
        };

    /// <summary>How far from usual, alike for twice and half as often.</summary>
    private static double Distance(RateShift? shift) =>
        shift is null ? 0 : Math.Abs(Math.Log((shift.Now + 0.5) / (shift.Usual + 0.5)));
}
