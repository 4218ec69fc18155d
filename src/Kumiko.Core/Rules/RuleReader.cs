using Kumiko.Core.Analysis;
using Kumiko.Core.Query.Baselines;
using Kumiko.Core.Query.Sliding;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using NodaTime;

namespace Kumiko.Core.Rules;

/// <summary>Reads what checks of a rule need, for one check or for very many, by the query path that pages use.</summary>
public sealed class RuleReader(RuleValueReader values)
{
    private const int MostTrendPoints = 30;
    private const int WarmWindows = 48;
    private const int LeastUsual = 6;
    private const string Absent = "\u0001absent";
    private const long UsualStep = 10 * Instants.Minute;
    private const long UsualAround = 30 * Instants.Minute;

    public RuleValueReader Values => values;

    /// <param name="checks">Instants, rising, whole intervals apart.</param>
    /// <exception cref="Evaluation.QueryRefusedException">A query cannot be answered; the message says why.</exception>
    public async Task<RuleMeasurements> Read(
        RuleDefinition definition,
        IReadOnlyList<long> checks,
        Snapshot snapshot,
        CancellationToken cancel = default
    )
    {
        long[] ends = [.. checks.Select(c => c - definition.Delay)];
        if (ends.Length == 0)
            return new RuleMeasurements([], [], double.NaN);
        return definition.Condition switch
        {
            Moved moved => await Compared(
                definition,
                checks,
                ends,
                end => [end - moved.Earlier],
                snapshot,
                (answer, line, _, places) =>
                    answer.At(line, places[0]) is var earlier && double.IsNaN(earlier) ? null : (earlier, double.NaN),
                cancel
            ),
            Unusual => await Usual(definition, checks, ends, snapshot, cancel),
            WillReach reach => await Trends(definition, reach, checks, ends, snapshot, cancel),
            _ => await Compared(definition, checks, ends, _ => [], snapshot, (_, _, _, _) => null, cancel),
        };
    }

    /// <summary>Figures at many instants, found by instant.</summary>
    private sealed class ValuesByEnd(SlidingAnswer answer)
    {
        private readonly Dictionary<long, int> _places = answer
            .Ends.Select((end, i) => (end, i))
            .ToDictionary(p => p.end, p => p.i);

        public SlidingAnswer Answer => answer;

        public double At(SlidingLine line, long end) => line.Values[_places[end]];

        public Measurement ReadingAt(SlidingLine line, long end) =>
            Measurement.Of(line.Values[_places[end]], line.Seen[_places[end]]);
    }

    private delegate (double Compared, double Spread)? Comparing(
        ValuesByEnd figures,
        SlidingLine line,
        long end,
        IReadOnlyList<long> others
    );

    private async Task<RuleMeasurements> Compared(
        RuleDefinition definition,
        IReadOnlyList<long> checks,
        long[] ends,
        Func<long, IReadOnlyList<long>> others,
        Snapshot snapshot,
        Comparing compare,
        CancellationToken cancel
    )
    {
        var needed = new SortedSet<long>(ends);
        foreach (var end in ends)
            needed.UnionWith(others(end));
        var found = new ValuesByEnd(await values.At(definition, [.. needed], snapshot, cancel));
        MeasurementLine Of(SlidingLine line) => new(line.Name, line.Keys, Array.ConvertAll(ends, end =>
                {
                    var measurement = found.ReadingAt(line, end);
                    return compare(found, line, end, others(end)) is { } with
                        ? measurement with
                        {
                            Compared = with.Compared,
                            Spread = with.Spread,
                        }
                        : measurement;
                })) { KnownSince = KnownSince(definition, line, snapshot) };
        // A key of which no window has anything is judged like one of which other windows have something.
        var nothing = new SlidingLine(
            Absent,
            [],
            Enumerable.Repeat(found.Answer.Nothing, found.Answer.Ends.Count).ToArray(),
            new bool[found.Answer.Ends.Count]
        );
        return new RuleMeasurements(checks, [.. found.Answer.Lines.Select(Of)], found.Answer.Nothing)
        {
            Unit = found.Answer.Unit,
            Kind = found.Answer.Kind,
            Absent = Of(nothing).Measurements,
        };
    }

    /// <summary>A pattern that was made of lines which another one held before is not new.</summary>
    private static long? KnownSince(RuleDefinition definition, SlidingLine line, Snapshot snapshot)
    {
        var place = definition.Condition is NewValue ? definition.Keys.ToList().IndexOf("pattern") : -1;
        return place >= 0 && place < line.Keys.Count ? snapshot.Patterns?.InheritedFrom(line.Keys[place]) : null;
    }

    /// <summary>The same hour on like days: its middle and spread, brought to every ten minutes.</summary>
    private Task<RuleMeasurements> Usual(
        RuleDefinition definition,
        IReadOnlyList<long> checks,
        long[] ends,
        Snapshot snapshot,
        CancellationToken cancel
    )
    {
        var (slice, zone) = (definition.Slice, definition.TimeZone);
        var oldest = snapshot.Batches.Count == 0 ? long.MaxValue : snapshot.Batches.Min(b => b.MinTime);
        // Nothing is usual before something was collected: of metrics and spans alone their own gaps tell.
        if (snapshot.Batches.Count == 0)
            oldest = ends[0] - (28 * Instants.Day);
        long Aligned(long time) => time - ((((time - ends[0]) % slice) + slice) % slice);
        var step = Math.Max(slice, UsualStep / slice * slice);
        var likes = new Dictionary<long, long[]>();
        long[] Like(long end)
        {
            var bucket = (end + (UsualStep / 2)) / UsualStep * UsualStep;
            if (likes.TryGetValue(bucket, out var known))
                return known;
            var times = new SortedSet<long>();
            foreach (var like in LikeTimes.Of(bucket, oldest + definition.InTheLast + UsualAround, zone))
                for (var at = like - UsualAround; at <= like + UsualAround; at += step)
                    if (Aligned(at) is var grid && grid < end)
                        times.Add(grid);
            return likes[bucket] = [.. times];
        }
        var usual = new Dictionary<(string, long[]), (double, double)?>();
        return Compared(
            definition,
            checks,
            ends,
            Like,
            snapshot,
            (found, line, end, others) =>
            {
                var key = (line.Name, (long[])others);
                if (usual.TryGetValue(key, out var known))
                    return known;
                var values = others.Select(o => found.At(line, o)).Where(double.IsFinite).ToList();
                if (values.Count < LeastUsual)
                    return usual[key] = null;
                var (median, spread) = Robust.Of(values);
                // Counts scatter by their root even when nothing changes; other figures by at least a hundredth.
                var least = found.Answer.Nothing == 0 ? Math.Sqrt(Math.Max(1, median)) : Math.Max(Math.Abs(median) / 100, 1e-12);
                return usual[key] = (median, Math.Max(spread, least));
            },
            cancel
        );
    }

    private Task<RuleMeasurements> Trends(
        RuleDefinition definition,
        WillReach reach,
        IReadOnlyList<long> checks,
        long[] ends,
        Snapshot snapshot,
        CancellationToken cancel
    )
    {
        var points = (int)Math.Clamp(reach.Trend / definition.CheckedEvery, 2, MostTrendPoints);
        var step = Math.Max(1, reach.Trend / points / definition.CheckedEvery) * definition.CheckedEvery;
        return Compared(
            definition,
            checks,
            ends,
            end => [.. Enumerable.Range(1, points).Select(p => end - (p * step))],
            snapshot,
            (found, line, end, others) =>
            {
                var trend = RobustTrend.Of([
                    .. others.Reverse().Append(end).Select(o => ((o - end) / (double)Instants.Second, found.At(line, o))),
                ]);
                return trend is null || double.IsNaN(found.At(line, end)) ? null : (Seconds(trend.Value, reach), double.NaN);
            },
            cancel
        );
    }

    /// <summary>How long until the trend is at the limit: 0 where it is there, without end where it does not go there.</summary>
    private static double Seconds(RobustTrend trend, WillReach reach)
    {
        var gap = reach.Limit - trend.Level;
        if (reach.Below ? gap >= 0 : gap <= 0)
            return 0;
        if (!trend.IsClear || trend.Slope == 0 || trend.Slope < 0 != reach.Below)
            return double.PositiveInfinity;
        return gap / trend.Slope;
    }

    /// <summary>Makes known what came before the first check, where a rule waits for what is new or does not come.</summary>
    public async Task WarmUp(
        RuleDefinition definition,
        EvaluationState state,
        long first,
        Snapshot snapshot,
        CancellationToken cancel = default
    )
    {
        if (state.IsWarm)
            return;
        state.IsWarm = true;
        if (definition.Condition is not (NewValue or Silent))
            return;
        var before = first - definition.Delay - definition.InTheLast;
        // Windows of about a fiftieth of the history, one beside the other.
        var length = Math.Max(1, ConditionResult.Memory(definition) / WarmWindows / definition.Slice) * definition.Slice;
        long[] ends = [.. Enumerable.Range(0, WarmWindows).Select(w => before - ((WarmWindows - 1 - w) * length))];
        var answer = await values.At(
            definition with
            {
                InTheLast = length,
                CheckedEvery = length,
                Condition = new Beyond(false, 0, null),
                Quantity = definition.Quantity is BurnRate burn ? new BudgetBurnt(burn.Objective) : definition.Quantity,
            },
            ends,
            snapshot,
            cancel
        );
        var empty = answer.Lines.All(l => !l.Seen.Contains(true));
        if (empty && definition.Condition is NewValue fresh)
        {
            // With no history at all everything would be new: what the first check finds is learned.
            var found = await values.At(definition, [first - definition.Delay], snapshot, cancel);
            foreach (var line in found.Lines.Where(l => l.Seen[0]))
                RememberKey(state, line, first - fresh.History, first);
            return;
        }
        foreach (var line in answer.Lines)
            if (Array.LastIndexOf(line.Seen, true) is >= 0 and var last)
                RememberKey(
                    state,
                    line,
                    ends[Array.IndexOf(line.Seen, true)] + definition.Delay - length,
                    ends[last] + definition.Delay
                );
    }

    private static void RememberKey(EvaluationState state, SlidingLine line, long firstSeen, long lastSeen) =>
        state.Keys[line.Name] = new KeyState
        {
            Name = line.Name,
            Keys = line.Keys,
            FirstSeen = firstSeen,
            LastSeen = lastSeen,
        };
}
