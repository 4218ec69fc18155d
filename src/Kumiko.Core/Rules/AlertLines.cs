using Kumiko.Core.Records;

namespace Kumiko.Core.Rules;

/// <summary>One line of the list of alerts: alerts that belong together, or a rule without an alert.</summary>
/// <param name="Alerts">The one that leads first; empty for a rule alone.</param>
/// <param name="Rule">The rule of the first; null where it was removed.</param>
public sealed record AlertLine(RuleState State, Rule? Rule, IReadOnlyList<Alert> Alerts)
{
    public bool IsEnded => Alerts.Count > 0 && !Alerts[0].IsOpen;
    public long? Since => Alerts.Count > 0 ? Alerts[0].Started : null;
}

/// <summary>What is asked of the list.</summary>
public sealed record AlertFilter
{
    /// <summary>States as they are called; empty for all.</summary>
    public IReadOnlyList<string> States { get; init; } = [];
    public string Label { get; init; } = "";
    public string Owner { get; init; } = "";
    public string Team { get; init; } = "";

    /// <summary>A part of a name or a key.</summary>
    public string Text { get; init; } = "";
}

/// <summary>Puts alerts and rules into one list: what is open first, related alerts under one line.</summary>
public static class AlertLines
{
    public const string Ended = "ended";

    /// <summary>Alerts that begin within so long of one another, of the same key, belong together.</summary>
    private const long Near = 10 * Instants.Minute;

    /// <summary>States in the order of the list.</summary>
    public static readonly IReadOnlyList<RuleState> Order =
    [
        RuleState.Critical,
        RuleState.Warning,
        RuleState.CheckFailed,
        RuleState.NoData,
        RuleState.NotChecked,
        RuleState.Paused,
        RuleState.Well,
    ];

    /// <param name="alerts">Open and ended ones.</param>
    public static IReadOnlyList<AlertLine> Of(IReadOnlyList<Rule> rules, IReadOnlyList<Alert> alerts)
    {
        var byId = rules.ToDictionary(r => r.Id);
        var lines = Folded([.. alerts.Where(a => a.IsOpen)], byId)
            .Concat(Folded([.. alerts.Where(a => !a.IsOpen)], byId))
            .ToList();
        var open = alerts.Where(a => a.IsOpen).Select(a => a.Rule).ToHashSet();
        lines.AddRange(rules.Where(r => !open.Contains(r.Id)).Select(r => new AlertLine(r.State, r, [])));
        return
        [
            .. lines
                .OrderBy(l => l.IsEnded)
                .ThenBy(l => l.IsEnded ? 0 : Order.ToList().IndexOf(l.State))
                .ThenByDescending(l => l.Since ?? 0)
                .ThenBy(l => l.Rule?.Name ?? l.Alerts[0].Name, StringComparer.OrdinalIgnoreCase),
        ];
    }

    /// <summary>Alerts of the same rule that were open together, of the same key that began near one another, and those that a
    /// rule of alerts in order is made of, are one line.</summary>
    private static IEnumerable<AlertLine> Folded(IReadOnlyList<Alert> alerts, Dictionary<long, Rule> rules)
    {
        var leader = Enumerable.Range(0, alerts.Count).ToArray();
        int Find(int of) => leader[of] == of ? of : leader[of] = Find(leader[of]);
        for (var i = 0; i < alerts.Count; i++)
        for (var j = i + 1; j < alerts.Count; j++)
            if (AreRelated(alerts[i], alerts[j]))
                leader[Find(j)] = Find(i);
        return Enumerable
            .Range(0, alerts.Count)
            .GroupBy(Find)
            .Select(group =>
            {
                // The worst leads, and of equals what names cause and effect, then the first.
                var members = group
                    .Select(i => alerts[i])
                    .OrderByDescending(a => a.Level)
                    .ThenByDescending(a => a.Definition.Quantity is InOrder)
                    .ThenBy(a => a.Started)
                    .ThenBy(a => a.Id)
                    .ToList();
                return new AlertLine(
                    members[0].Level == AlertLevel.Critical ? RuleState.Critical : RuleState.Warning,
                    rules.GetValueOrDefault(members[0].Rule),
                    members
                );
            });
    }

    private static bool AreRelated(Alert a, Alert b)
    {
        if (a.Rule == b.Rule)
            return a.Key != b.Key && a.Started < (b.Ended ?? long.MaxValue) && b.Started < (a.Ended ?? long.MaxValue);
        var near = Math.Abs(a.Started - b.Started) <= Near;
        if (near && a.Keys.Any(k => k.Length > 0 && b.Keys.Contains(k)))
            return true;
        return IsStep(a, b) || IsStep(b, a);
    }

    /// <summary>Whether an alert is one of those that another was made of.</summary>
    private static bool IsStep(Alert order, Alert step) =>
        order.Definition.Quantity is InOrder { Rules: var rules, Within: var within }
        && rules.Contains(step.Rule)
        && step.Started <= order.Started
        && order.Started - step.Started <= within * rules.Count;

    /// <summary>The name of a line's state in a filter.</summary>
    public static string StateOf(AlertLine line) => line.IsEnded ? Ended : line.State.ToString().ToLowerInvariant();

    public static IReadOnlyList<AlertLine> Filtered(
        IReadOnlyList<AlertLine> lines,
        AlertFilter filter,
        IReadOnlyDictionary<long, string> people
    ) =>
        [
            .. lines.Where(line =>
            {
                var (labels, owner, team) = line.Rule is { } rule
                    ? (rule.LabelList, rule.Owner is { } id ? people.GetValueOrDefault(id, "") : "", rule.Team)
                    : (Rule.SplitList(line.Alerts[0].Labels), line.Alerts[0].Owner ?? "", line.Alerts[0].Team);
                return (filter.States.Count == 0 || filter.States.Contains(StateOf(line)))
                    && (filter.Label.Length == 0 || labels.Contains(filter.Label))
                    && (filter.Owner.Length == 0 || owner == filter.Owner)
                    && (filter.Team.Length == 0 || string.Equals(team, filter.Team, StringComparison.OrdinalIgnoreCase))
                    && (
                        filter.Text.Length == 0
                        || new[] { line.Rule?.Name ?? "" }
                            .Concat(line.Alerts.SelectMany(a => new[] { a.Name, a.Of }))
                            .Any(t => t.Contains(filter.Text, StringComparison.OrdinalIgnoreCase))
                    );
            }),
        ];
}
