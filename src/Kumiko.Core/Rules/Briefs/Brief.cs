using System.Text.Json;
using Kumiko.Core.Changes;
using Kumiko.Core.Frames;

namespace Kumiko.Core.Rules.Briefs;

/// <summary>What a person needs at the first look at an alert, computed once when it starts and kept as it was.</summary>
public sealed record Brief
{
    /// <summary>When it was computed; nanoseconds since 1970.</summary>
    public long At { get; init; }

    /// <summary>The stretch that the check looked at.</summary>
    public Window Focus { get; init; }

    /// <summary>How it began.</summary>
    public AlertLevel Level { get; init; }
    public double? Value { get; init; }
    public double? Compared { get; init; }

    /// <summary>The figure up to the start; null where there is none, or <see cref="FiguresProblem"/>.</summary>
    public AlertValues? Figures { get; init; }
    public string? FiguresProblem { get; init; }

    public required BriefDifferences Differences { get; init; }

    /// <summary>What was done in the hour before the focus and in it, the latest first.</summary>
    public IReadOnlyList<Change> Changes { get; init; } = [];
    public int MoreChanges { get; init; }

    /// <summary>What the follow-up query answered; null where the rule has none.</summary>
    public FollowUpAnswer? FollowUp { get; init; }

    /// <summary>The rule's runbook as it was.</summary>
    public string Runbook { get; init; } = "";

    public string ToJson() => JsonSerializer.Serialize(this);

    /// <summary>Null for nothing, or for what an earlier version wrote and this one cannot read: it is computed again.</summary>
    public static Brief? FromJson(string? json)
    {
        try
        {
            return json is null ? null : JsonSerializer.Deserialize<Brief>(json);
        }
        catch (JsonException)
        {
            return null;
        }
    }
}

/// <summary>The strongest differences between an alert's records and what they are compared with.</summary>
/// <param name="Items">At most three, the strongest first.</param>
/// <param name="Of">The query of the records that are compared.</param>
/// <param name="Against">What they are compared with, in words.</param>
/// <param name="Baseline">The same for the address of a page.</param>
/// <param name="Health">What speaks against the comparison.</param>
/// <param name="Problem">Why there is nothing to tell; null where there is.</param>
public sealed record BriefDifferences(
    IReadOnlyList<BriefDifference> Items,
    string Of,
    string Against,
    string Baseline,
    IReadOnlyList<string> Health,
    long Now,
    long Then,
    string? Problem
)
{
    public static BriefDifferences None(string problem) => new([], "", "", "", [], 0, 0, problem);
}

/// <summary>A value whose share differs.</summary>
/// <param name="Text">The value, or for a pattern its text.</param>
/// <param name="Now">Of the focus' records, how many have it; <paramref name="Then"/> of the baseline's.</param>
/// <param name="NowShare">The shares, 0 to 1.</param>
/// <param name="Least">By how much they differ at least, with 95 % confidence.</param>
/// <param name="Alike">Other fields that tell the same records apart, as <c>field = value</c>.</param>
public sealed record BriefDifference(
    string Field,
    string Value,
    string Text,
    long Now,
    long Then,
    double NowShare,
    double ThenShare,
    double Least,
    IReadOnlyList<string> Alike
);
