using Kumiko.Core.Analysis;
using Kumiko.Core.Query.Gathering;

namespace Kumiko.Core.Patterns;

/// <summary>A pattern that is known and harmless, and kept out of lists.</summary>
public sealed class PatternAside
{
    public const int LongestReason = 400;

    /// <summary>How many times as often as usual it comes back.</summary>
    private const double Growth = 2;

    /// <summary>How many times as often as when it was put aside, where there is no baseline to tell what is usual.</summary>
    private const double GrowthUncompared = 3;

    /// <summary>Its id as it was put aside.</summary>
    public string Pattern { get; init; } = "";

    /// <summary>Whom it is put aside for; 0 for everybody.</summary>
    public long Person { get; init; }
    public string Reason { get; init; } = "";

    /// <summary>When it comes back by itself; null for never.</summary>
    public long? Until { get; init; }

    /// <summary>How many records an hour there were then.</summary>
    public double Hourly { get; init; }
    public long Author { get; init; }
    public string AuthorName { get; init; } = "";
    public long Created { get; init; }

    public bool IsForAll => Person == 0;

    /// <summary>Whether there are so many more than usual that it has to be looked at again.</summary>
    /// <param name="hours">How long the focus is.</param>
    public bool ComesBack(GatheredPattern pattern, double hours) =>
        pattern.Shift is { } shift
            ? shift is { Difference: RateDifference.More or RateDifference.UsuallyNone, Factor: >= Growth }
            : pattern.Count >= RateChange.Fewest && pattern.Count > GrowthUncompared * Hourly * hours;

    /// <summary>Why it cannot be put aside so, in a sentence; null where it can.</summary>
    /// <param name="now">An end lies behind it.</param>
    public string? Problem(long now) =>
        this switch
        {
            { Reason: "" } => "Say why it is harmless.",
            { Reason.Length: > LongestReason } => $"The reason can have {LongestReason} characters. Shorten it.",
            { Until: { } until } when until <= now => "The end has passed already. Take a later one.",
            _ => null,
        };
}

/// <summary>What people call a pattern.</summary>
public sealed class PatternCalled
{
    public const int Longest = 80;

    public string Pattern { get; init; } = "";

    /// <summary>Who calls it so; 0 for everybody.</summary>
    public long Person { get; init; }
    public string Name { get; init; } = "";
    public long Author { get; init; }
    public string AuthorName { get; init; } = "";
}
