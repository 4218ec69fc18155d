using System.Collections.Concurrent;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;

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

    private readonly RuleCheckStore _store = new(rules);

    /// <summary>Makes all checks that are due; returns the number of rules checked.</summary>
    public async Task<int> CheckDue(long now, CancellationToken cancel)
    {
        var all = rules.Rules().Where(r => !r.Paused).ToList();
        // The clock went back: what was checked was the future.
        foreach (var rule in all.Where(r => r.Checked > now + r.Definition.CheckedEvery))
            await _store.TurnBack(rule, now / rule.Definition.CheckedEvery * rule.Definition.CheckedEvery);
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
                var judge = happening.Check(check);
                cancel.ThrowIfCancellationRequested();
                await _store.Save(rule, last, state, "", Took, 0, judge);
                return;
            }
            using var snapshot = records.Current;
            await reader.WarmUp(definition, state, checks[0], snapshot, cancel);
            var measurements = await reader.Read(definition, checks, snapshot, cancel);
            cancel.ThrowIfCancellationRequested();
            await _store.Save(rule, last, state, UnitOf(measurements), Took, due - made, s =>
                [.. new RuleEvaluator(definition, s).Check(measurements, 0, checks.Length)]
            );
        }
        catch (Exception e) when (e is QueryRefusedException or InvalidDataException or IOException)
        {
            var patience = Math.Max(PatientFor, PatientChecks * interval);
            await _store.SaveFailure(rule, last, e.Message, Took(), due - made, patience);
        }
    }

    /// <summary>The unit of a rule's figures: durations are in seconds.</summary>
    internal static string UnitOf(RuleMeasurements measurements) =>
        measurements.Kind switch
        {
            ValueKind.Duration => "s",
            ValueKind.Size => "By",
            _ => measurements.Unit,
        };
}
