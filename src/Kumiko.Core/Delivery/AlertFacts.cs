using Kumiko.Core.Rules;

namespace Kumiko.Core.Delivery;

/// <summary>What routes and quiet times look at.</summary>
/// <param name="Sources">Services, hosts and sources that it speaks of.</param>
public sealed record AlertFacts(
    string Rule,
    AlertLevel Level,
    IReadOnlyList<string> Labels,
    string Team,
    IReadOnlyList<string> Sources
)
{
    public static AlertFacts Of(Alert alert, AlertLevel level) =>
        new(
            alert.Name,
            level,
            Rules.Rule.SplitList(alert.Labels),
            alert.Team,
            AlertRecords.Sources(alert.Definition, alert.Keys)
        );

    public static AlertFacts Of(Rule rule, AlertLevel level) =>
        new(rule.Name, level, rule.LabelList, rule.Team, AlertRecords.Sources(rule.Definition, []));
}

/// <summary>Which alerts are meant. In each list one of it is enough; an empty list lets all through.</summary>
public sealed record AlertMatch
{
    public IReadOnlyList<string> Labels { get; init; } = [];
    public IReadOnlyList<string> Teams { get; init; } = [];
    public IReadOnlyList<string> Sources { get; init; } = [];
    public IReadOnlyList<string> Rules { get; init; } = [];
    public AlertLevel Least { get; init; } = AlertLevel.Warning;

    public bool Meets(AlertFacts facts) =>
        facts.Level >= Least
        && Any(Labels, facts.Labels)
        && Any(Teams, [facts.Team])
        && Any(Sources, facts.Sources)
        && Any(Rules, [facts.Rule]);

    public bool MeetsAll => Labels.Count + Teams.Count + Sources.Count + Rules.Count == 0 && Least <= AlertLevel.Warning;

    private static bool Any(IReadOnlyList<string> wanted, IReadOnlyList<string> has) =>
        wanted.Count == 0 || has.Any(h => wanted.Contains(h, StringComparer.OrdinalIgnoreCase));

    public bool Equals(AlertMatch? other) =>
        other is not null
        && Least == other.Least
        && Labels.SequenceEqual(other.Labels)
        && Teams.SequenceEqual(other.Teams)
        && Sources.SequenceEqual(other.Sources)
        && Rules.SequenceEqual(other.Rules);

    public override int GetHashCode() => HashCode.Combine(Labels.Count, Teams.Count, Sources.Count, Rules.Count, Least);
}
