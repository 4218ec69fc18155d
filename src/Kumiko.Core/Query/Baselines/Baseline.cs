using Kumiko.Core.Frames;

namespace Kumiko.Core.Query.Baselines;

/// <summary>A day that could have been compared with, and why it is not.</summary>
public sealed record DayLeftOut(Window Window, string Reason);

/// <summary>What a focus is compared with, settled for one run.</summary>
/// <param name="Windows">Stretches of the focus' length (a drawn one may have another); for a set, the focus itself. Empty where
/// there is nothing to compare with.</param>
/// <param name="Words">What it is, in words that follow "vs".</param>
public sealed record Baseline(BaselineChoice Choice, IReadOnlyList<Window> Windows, string Words)
{
    public IReadOnlyList<DayLeftOut> LeftOut { get; init; } = [];

    /// <summary>What speaks against it, a sentence each.</summary>
    public IReadOnlyList<string> Health { get; init; } = [];

    /// <summary>The query whose records are compared with, for a set; null for the page's own.</summary>
    public string? Query { get; init; }

    public bool Equals(Baseline? other) =>
        other is not null && Choice == other.Choice && Query == other.Query && Windows.SequenceEqual(other.Windows);

    public override int GetHashCode() => HashCode.Combine(Choice, Query, Windows.Count, Windows.Count > 0 ? Windows[0] : default);
}
