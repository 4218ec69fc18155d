using System.Collections.Concurrent;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Microsoft.Data.Sqlite;

namespace Kumiko.Core.Rules;

/// <summary>
/// Checks rules when they are due. What a check finds, the alert's turn and that it is to be told are one transaction,
/// so a restart neither loses nor repeats; checks missed while the process was down are made up for.
/// </summary>
public sealed class RuleChecker(RuleStore rules, RecordStore records, RuleReader reader, TimeProvider clock)
{
    /// <summary>How many missed checks of a rule are made up for.</summary>
    public const int MostMissed = 2_000;

    /// <summary>How long a rule may fail before people are told; and so many checks.</summary>
    private const long PatientFor = 15 * Instants.Minute;
    private const int PatientChecks = 3;

    private const int AtOnce = 2;

    /// <summary>Makes all checks that are due; returns the number of rules checked.</summary>
    public async Task<int> CheckDue(long now, CancellationToken cancel)
    {
        var all = rules.Rules().Where(r => !r.Paused).ToList();
        // The clock went back: what was checked was the future.
        foreach (var rule in all.Where(r => r.Checked > now + r.Definition.CheckedEvery))
            await rules.Write(connection =>
                RuleStore.TurnBack(connection, rule, now / rule.Definition.CheckedEvery * rule.Definition.CheckedEvery)
            );
        var due = all.Where(r => r.Due <= now && !(r.Checked > now + r.Definition.CheckedEvery)).ToList();
        // One that takes long does not hold up the others. Rules of rules come last, so that they see what the others started.
        var broken = new ConcurrentQueue<Exception>();
        async Task Try(Rule rule, CancellationToken stop)
        {
            try
            {
                await Check(rule, now, stop);
            }
            catch (Exception e) when (e is not OperationCanceledException)
            {
                broken.Enqueue(e);
            }
        }
        await Parallel.ForEachAsync(
            due.Where(r => r.Definition.Quantity is not Happening { IsOfAlerts: true }),
            new ParallelOptions { MaxDegreeOfParallelism = AtOnce, CancellationToken = cancel },
            async (rule, stop) => await Try(rule, stop)
        );
        foreach (var rule in due.Where(r => r.Definition.Quantity is Happening { IsOfAlerts: true }))
            await Try(rule, cancel);
        // What nobody thought of is told when all others had their turn.
        if (broken.TryDequeue(out var first))
            throw new InvalidOperationException("A rule could not be checked.", first);
        return due.Count;
    }

    private async Task Check(Rule rule, long now, CancellationToken cancel)
    {
        var began = clock.GetTimestamp();
        var (definition, interval) = (rule.Definition, rule.Definition.CheckedEvery);
        var due = (now - rule.Due) / interval + 1;
        // What is asked window by window is not made up for: it would pile up.
        var quick = definition.Quantity.IsQuick;
        var made = Math.Min(due, quick ? MostMissed : 1);
        var last = now / interval * interval;
        long[] checks = [.. Enumerable.Range(0, (int)made).Select(i => last - ((made - 1 - i) * interval))];
        long Took() => (long)(clock.GetElapsedTime(began).TotalSeconds * Instants.Second);
        try
        {
            var state = rules.StateOf(rule.Id);
            if (definition.Quantity is Happening happening)
            {
                var check = new HappeningCheck(
                    definition,
                    rule.Checked ?? rule.Due,
                    happening.ComesIn ? now : last,
                    reader.Values,
                    () => records.Current,
                    rules.Alerts.Starts
                );
                await Save(rule, last, state, "", Took, 0, happening.Check(check), cancel);
                return;
            }
            using var snapshot = records.Current;
            await reader.WarmUp(definition, state, checks[0], snapshot, cancel);
            var measurements = await reader.Read(definition, checks, snapshot, cancel);
            await Save(
                rule,
                last,
                state,
                UnitOf(measurements),
                Took,
                due - made,
                s => [.. new RuleEvaluator(definition, s).Check(measurements, 0, checks.Length)],
                cancel
            );
        }
        catch (Exception e) when (e is QueryRefusedException or InvalidDataException or IOException)
        {
            await rules.Write(connection =>
            {
                if (RuleStore.Failed(connection, rule, last, e.Message, Took(), due - made) is not { } since)
                    return 0;
                if (last - since < Math.Max(PatientFor, PatientChecks * interval))
                    return 0;
                NotificationStore.AddFailed(connection, rule, e.Message, since);
                return 1;
            });
        }
    }

    /// <summary>Judges what happened between checks and writes it in one transaction.</summary>
    internal Task<int> SaveHappenings(Rule rule, Func<RuleEvaluator, IReadOnlyList<AlertTransition>> evaluator) =>
        rules.Write(connection =>
        {
            if (RuleStore.StateOf(connection, rule) is not { } state)
                return 0;
            HoldEnded(connection, rule, state);
            var transitions = evaluator(new RuleEvaluator(rule.Definition, state));
            RuleStore.Happened(connection, rule, state);
            Tell(connection, rule, transitions, "");
            foreach (var key in state.Keys.Values.Where(k => k.Level != AlertLevel.None))
                AlertStore.Update(connection, rule.Id, key);
            return transitions.Count;
        });

    /// <summary>What people ended by hand does not begin anew while it is still wrong.</summary>
    private static void HoldEnded(SqliteConnection connection, Rule rule, EvaluationState state)
    {
        var open = AlertStore.OpenOf(connection, rule.Id).Select(a => a.Key).ToHashSet(StringComparer.Ordinal);
        foreach (var key in state.Keys.Values.Where(k => k.Level != AlertLevel.None && !open.Contains(k.Name)))
            (key.Level, key.IsHeld, key.IsFlapping) = (AlertLevel.None, true, false);
    }

    /// <summary>The unit of a rule's figures: durations are in seconds.</summary>
    internal static string UnitOf(RuleMeasurements measurements) =>
        measurements.Kind switch
        {
            ValueKind.Duration => "s",
            ValueKind.Size => "By",
            _ => measurements.Unit,
        };

    /// <summary>Judges and writes in one transaction.</summary>
    /// <param name="judge">Runs once the state knows what people ended by hand.</param>
    private async Task Save(
        Rule rule,
        long at,
        EvaluationState state,
        string unit,
        Func<long> took,
        long skipped,
        Func<EvaluationState, IReadOnlyList<AlertTransition>> judge,
        CancellationToken cancel
    )
    {
        cancel.ThrowIfCancellationRequested();
        await rules.Write(connection =>
        {
            // Between checks more may have happened.
            if (rule.Definition.Quantity is Happening { ComesIn: true })
                state = RuleStore.StateOf(connection, rule) ?? state;
            HoldEnded(connection, rule, state);
            var transitions = judge(state);
            if (!RuleStore.Checked(connection, rule, at, state, unit, took(), skipped))
                return 0;
            Tell(connection, rule, transitions, unit);
            foreach (var key in state.Keys.Values.Where(k => k.Level != AlertLevel.None))
                AlertStore.Update(connection, rule.Id, key);
            if (rule.HasOnward)
                NotificationStore.AddResult(
                    connection,
                    rule,
                    at,
                    state.Keys.Values.Select(k => k.Level).DefaultIfEmpty(AlertLevel.None).Max(),
                    Results(state)
                );
            return transitions.Count;
        });
    }

    private static IEnumerable<CheckResult> Results(EvaluationState state) =>
        state.Keys.Count == 0
            ? [new CheckResult("", null, "none")]
            : state.Keys.Values.Select(k => new CheckResult(
                string.Join(", ", k.Keys.Where(t => t.Length > 0)),
                double.IsFinite(k.Value) ? k.Value : null,
                k.Level.ToString().ToLowerInvariant()
            ));

    /// <summary>Writes turns, and that they are to be told.</summary>
    private static void Tell(SqliteConnection connection, Rule rule, IReadOnlyList<AlertTransition> transitions, string unit)
    {
        foreach (var transition in transitions)
            if (AlertStore.Apply(connection, rule, transition, unit) is { } alert)
                NotificationStore.Add(connection, rule, alert, transition);
    }
}
