namespace Kumiko.Core.Rules;

public enum TransitionKind
{
    Started,
    Rose,
    Ended,
}

/// <summary>A start, a rise or an end of an alert: what people are told of.</summary>
/// <param name="Value">The figure at that check; not a number where there was none.</param>
public sealed record AlertTransition(TransitionKind Kind, long At, AlertLevel Level, double Value)
{
    public string Name { get; init; } = "";
    public IReadOnlyList<string> Keys { get; init; } = [];

    /// <summary>What the figure was held against.</summary>
    public double Compared { get; init; } = double.NaN;

    /// <summary>The worst figure of the episode so far.</summary>
    public double Worst { get; init; } = double.NaN;

    /// <summary>Whether it comes and goes, so that it stays open until it has been quiet for a while.</summary>
    public bool IsFlapping { get; init; }

    /// <summary>Why it ended, where the figure is not the reason.</summary>
    public string? Reason { get; init; }
}
