using Microsoft.Data.Sqlite;

namespace Kumiko.Core.Rules;

/// <summary>Writes what checks come to: the state of a rule, its alerts and that people are to be told of them, each time in one
/// transaction.</summary>
internal sealed class RuleCheckStore(RuleStore rules)
{
    /// <summary>Brings a rule that was checked in the future back to an instant.</summary>
    public Task TurnBack(Rule rule, long to) => rules.Write(connection => RuleStore.TurnBack(connection, rule, to));

    /// <summary>How far records have been looked at as they come in.</summary>
    public Task SetPosition(long position) =>
        rules.Write(connection =>
        {
            RuleStore.SetPosition(connection, position);
            return 0;
        });

    /// <summary>Judges and writes in one transaction.</summary>
    /// <param name="judge">Runs once the state knows what people ended by hand.</param>
    /// <param name="took">Nanoseconds so far.</param>
    /// <param name="skipped">Checks that were not made.</param>
    public Task Save(
        Rule rule,
        long at,
        EvaluationState state,
        string unit,
        Func<long> took,
        long skipped,
        Func<EvaluationState, IReadOnlyList<AlertTransition>> judge
    ) =>
        rules.Write(connection =>
        {
            // Between checks more may have happened.
            if (rule.Definition.Quantity is Happening { ComesIn: true })
                state = RuleStore.StateOf(connection, rule) ?? state;
            HoldEnded(connection, rule, state);
            var transitions = judge(state);
            if (!RuleStore.Checked(connection, rule, at, state, unit, took(), skipped))
                return 0;
            Tell(connection, rule, state, transitions, unit);
            if (rule.HasOnward)
                NotificationStore.AddResult(connection, rule, at, Worst(state), Results(state));
            return transitions.Count;
        });

    /// <summary>Judges what happened between checks and writes it.</summary>
    public Task<int> SaveHappenings(Rule rule, Func<RuleEvaluator, IReadOnlyList<AlertTransition>> judge) =>
        rules.Write(connection =>
        {
            if (RuleStore.StateOf(connection, rule) is not { } state)
                return 0;
            HoldEnded(connection, rule, state);
            var transitions = judge(new RuleEvaluator(rule.Definition, state));
            RuleStore.Happened(connection, rule, state);
            Tell(connection, rule, state, transitions, "");
            return transitions.Count;
        });

    /// <summary>Writes that a rule could not be checked; people are told once it has been so for long.</summary>
    /// <param name="patience">How long it may fail before; nanoseconds.</param>
    public Task SaveFailure(Rule rule, long at, string problem, long took, long skipped, long patience) =>
        rules.Write(connection =>
        {
            if (RuleStore.Failed(connection, rule, at, problem, took, skipped) is not { } since || at - since < patience)
                return 0;
            NotificationStore.AddFailed(connection, rule, problem, since);
            return 1;
        });

    /// <summary>What people ended by hand does not begin anew while it is still wrong.</summary>
    private static void HoldEnded(SqliteConnection connection, Rule rule, EvaluationState state)
    {
        var open = AlertStore.OpenOf(connection, rule.Id).Select(a => a.Key).ToHashSet(StringComparer.Ordinal);
        foreach (var key in state.Keys.Values.Where(k => k.Level != AlertLevel.None && !open.Contains(k.Name)))
            (key.Level, key.IsHeld, key.IsFlapping) = (AlertLevel.None, true, false);
    }

    /// <summary>Writes transitions, that they are to be told, and how the open alerts stand.</summary>
    private static void Tell(
        SqliteConnection connection,
        Rule rule,
        EvaluationState state,
        IReadOnlyList<AlertTransition> transitions,
        string unit
    )
    {
        foreach (var transition in transitions)
            if (AlertStore.Apply(connection, rule, transition, unit) is { } alert)
                NotificationStore.Add(connection, rule, alert, transition);
        foreach (var key in state.Keys.Values.Where(k => k.Level != AlertLevel.None))
            AlertStore.Update(connection, rule.Id, key);
    }

    private static AlertLevel Worst(EvaluationState state) =>
        state.Keys.Values.Select(k => k.Level).DefaultIfEmpty(AlertLevel.None).Max();

    private static IEnumerable<CheckResult> Results(EvaluationState state) =>
        state.Keys.Count == 0
            ? [new CheckResult("", null, "none")]
            : state.Keys.Values.Select(k => new CheckResult(
                string.Join(", ", k.Keys.Where(t => t.Length > 0)),
                double.IsFinite(k.Value) ? k.Value : null,
                k.Level.ToString().ToLowerInvariant()
            ));
}
