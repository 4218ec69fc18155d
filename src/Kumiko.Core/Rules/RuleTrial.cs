using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Query;
using Kumiko.Core.Query.Sliding;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Rules;

/// <summary>Tries a rule on history with the code that checks it live.</summary>
/// <param name="find">A rule by its id, for rules of rules.</param>
public sealed class RuleTrial(RuleReader reader, QuerySources sources, Func<long, RuleDefinition?> find, IKnownDisturbances known)
{
    /// <summary>How far back a rule can be tried.</summary>
    public const long Longest = 30 * Instants.Day;

    private const int MostChecks = 260_000;
    private const int CurvePoints = 24;
    private const int MostCurveWork = 3_000_000;

    /// <summary>How long after its end what a disturbance did may still be told.</summary>
    private const long Slack = 15 * Instants.Minute;

    /// <exception cref="QueryRefusedException">The rule cannot be checked; the message says why.</exception>
    public async Task<Trial> Of(RuleDefinition definition, Window window, Snapshot snapshot, CancellationToken cancel = default)
    {
        if (window.Length > Longest)
            window = window with { From = window.To - Longest };
        var trial = definition.Quantity is Happening happening
            ? await happening.Try(
                new HappeningTrial(
                    definition,
                    window,
                    snapshot,
                    sources,
                    find,
                    (other, stretch) => Of(other, stretch, snapshot, cancel),
                    cancel
                )
            )
            : await Figures(definition, window, snapshot, cancel);
        return trial with { Disturbances = DisturbancesWithEpisodes(trial) };
    }

    private List<(KnownDisturbance, TrialEpisode?)> DisturbancesWithEpisodes(Trial trial) =>
        [
            .. known
                .In(trial.Window)
                .Where(d => d.Window.From >= trial.Window.From - Slack)
                .Select(d =>
                    (
                        d,
                        trial.Episodes.FirstOrDefault(e =>
                            e.From < d.Window.To + Slack && (e.To ?? long.MaxValue) > d.Window.From
                        )
                    )
                ),
        ];

    /// <summary>The checks of a stretch: at whole intervals since 1970.</summary>
    public static long[] Checks(RuleDefinition definition, Window window)
    {
        var interval = definition.CheckedEvery;
        var (first, last) = ((window.From / interval) + 1, window.To / interval);
        if (last - first >= MostChecks)
            throw new QueryRefusedException(
                $"{last - first:N0} checks are too many to be tried. Take a longer time between checks, or a shorter trial."
            );
        return [.. Enumerable.Range(0, (int)Math.Max(0, last - first + 1)).Select(i => (first + i) * interval)];
    }

    private async Task<Trial> Figures(RuleDefinition definition, Window window, Snapshot snapshot, CancellationToken cancel)
    {
        var (checks, notes) = (Checks(definition, window), new List<string>());
        var alone = SlidingQuery.MostAlone / definition.Condition.WindowsPerCheck;
        if (!definition.Quantity.IsQuick && checks.Length > alone)
        {
            checks = checks[^alone..];
            notes.Add($"Each check of this query is a question of its own, so only the last {checks.Length} checks are tried.");
        }
        if (checks.Length == 0)
            return new Trial(window, new RuleMeasurements([], [], double.NaN), []);
        window = window with { From = checks[0] - definition.CheckedEvery };
        var oldest = snapshot.Batches.Count == 0 ? window.To : snapshot.Batches.Min(b => b.MinTime);
        if (oldest > window.From + definition.InTheLast)
            notes.Add("Part of this stretch lies before anything was collected.");
        var state = new EvaluationState();
        await reader.WarmUp(definition, state, checks[0], snapshot, cancel);
        var warm = state.ToJson();
        var measurements = await reader.Read(definition, checks, snapshot, cancel);
        var (episodes, turns) = Judged(definition, state, measurements);
        if (state.LeftOut > 0)
            notes.Add($"There are more than {RuleDefinition.MostKeys} keys: {state.LeftOut} are not judged. Narrow the query.");
        if (measurements.Lines.Count > 0 && measurements.Lines.All(l => Array.TrueForAll(l.Measurements, r => !r.Seen)))
            notes.Add("The query finds nothing in this stretch.");
        else if (
            definition.Condition.WithoutCompared is { } without
            && measurements.Lines.All(l => Array.TrueForAll(l.Measurements, r => double.IsNaN(r.Compared)))
        )
            notes.Add(without);
        return new Trial(window, measurements, episodes)
        {
            Turns = turns,
            Unit = RuleChecker.UnitOf(measurements),
            Notes = notes,
            Curve = Curve(definition, warm, measurements, cancel),
        };
    }

    private static (List<TrialEpisode> Episodes, int Turns) Judged(
        RuleDefinition definition,
        EvaluationState state,
        RuleMeasurements measurements
    )
    {
        var collector = new TrialEpisodes();
        var evaluator = new RuleEvaluator(definition, state);
        for (var check = 0; check < measurements.Checks.Count; check++)
        {
            collector.Add(evaluator.Check(measurements, check, check + 1));
            collector.Worst(state);
        }
        return (collector.All, collector.Turns);
    }

    private List<LimitCount> Curve(
        RuleDefinition definition,
        string warm,
        RuleMeasurements measurements,
        CancellationToken cancel
    )
    {
        var limits = definition.Condition.Limits;
        if (limits is (null, null) || measurements.Lines.Count == 0)
            return [];
        var work = (long)measurements.Checks.Count * measurements.Lines.Count;
        var points = (int)Math.Min(CurvePoints, MostCurveWork / Math.Max(1, work));
        if (points < 3)
            return [];
        var found = new List<LimitCount>();
        foreach (
            var limit in Candidates(definition, measurements, points)
                .Concat(new[] { limits.Warning, limits.Critical }.OfType<double>())
                .Distinct()
                .Order()
        )
        {
            cancel.ThrowIfCancellationRequested();
            var tried = definition with { Condition = definition.Condition.With(limit, null) };
            var evaluator = new RuleEvaluator(tried, EvaluationState.FromJson(warm));
            found.Add(
                new LimitCount(
                    limit,
                    evaluator.Check(measurements, 0, measurements.Checks.Count).Count(t => t.Kind == TransitionKind.Started)
                )
            );
        }
        return found;
    }

    /// <summary>Limits at which something would change: quantiles of what the checks found.</summary>
    private static IEnumerable<double> Candidates(RuleDefinition definition, RuleMeasurements measurements, int points)
    {
        var key = new KeyState();
        var condition = definition.Condition;
        var bad = measurements
            .Lines.SelectMany(l => l.Measurements.Select(r => condition.Judge(definition, r, key, 0)))
            .Where(j => j.HasData && double.IsFinite(j.Badness))
            .Select(j => j.Badness)
            .Order()
            .ToList();
        if (bad.Count == 0)
            yield break;
        for (var p = 0; p < points; p++)
        {
            // Denser towards the end, where limits stand.
            var share = 1 - Math.Pow(1 - ((double)p / (points - 1)), 3);
            var at = Analysis.Robust.Quantile(bad, share);
            var limit = Round(condition.LimitsFall ? -at : at);
            if (condition.LimitsAreFigures || limit > 0)
                yield return limit;
        }
    }

    /// <summary>Two digits are enough to choose a limit by.</summary>
    internal static double Round(double number)
    {
        if (number == 0 || !double.IsFinite(number))
            return 0;
        var scale = Math.Pow(10, Math.Floor(Math.Log10(Math.Abs(number))) - 1);
        return SlidingCollector.Rounded(Math.Round(number / scale) * scale);
    }
}
