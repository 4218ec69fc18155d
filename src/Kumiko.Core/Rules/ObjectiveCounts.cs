using System.Collections.Concurrent;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Query.Sliding;
using Kumiko.Core.Records;

namespace Kumiko.Core.Rules;

/// <summary>Good and all events of objectives, and what follows of them. Hours that are over are counted once.</summary>
/// <param name="objectives">An objective by its id; null where there is none.</param>
public sealed class ObjectiveCounts(Func<long, Objective?> objectives)
{
    /// <summary>How long after its end an hour may still change.</summary>
    private const long Settled = Instants.Hour;

    private readonly ConcurrentDictionary<
        (long Objective, string Good, string All, long Hour),
        (double Good, double All)
    > _hours = new();

    private Objective Find(long id) =>
        objectives(id) ?? throw new QueryRefusedException($"The objective is no longer there. Choose another.");

    /// <summary>How many times as fast as it may its budget burns: the lower of the rates over two windows.</summary>
    internal async Task<SlidingAnswer> BurnRate(long id, long shorter, ValueRequest request)
    {
        var objective = Find(id);
        var slow = await Failing(objective, request);
        var fast = await Failing(objective, request.WithLength(shorter));
        return OneLine(
            request,
            i => SlidingCollector.Rounded(Math.Min(slow[i], fast[i]) / objective.Budget),
            (_, value) => double.IsFinite(value)
        );
    }

    /// <summary>How much of its budget is burnt.</summary>
    internal async Task<SlidingAnswer> Burnt(long id, ValueRequest request)
    {
        var objective = Find(id);
        var counts = await Counts(objective, request);
        double Burnt(int i) =>
            counts[i].All > 0
                ? SlidingCollector.Rounded(Math.Max(0, counts[i].All - counts[i].Good) / counts[i].All / objective.Budget)
                : double.NaN;
        return OneLine(request, Burnt, (i, _) => counts[i].All > 0) with { Unit = "1" };
    }

    private static SlidingAnswer OneLine(ValueRequest request, Func<int, double> value, Func<int, double, bool> isSeen)
    {
        double[] values = [.. Enumerable.Range(0, request.Ends.Count).Select(value)];
        bool[] seen = [.. values.Select((v, i) => isSeen(i, v))];
        return new SlidingAnswer(request.Ends, [new SlidingLine("", [], values, seen)], double.NaN);
    }

    /// <summary>The share of events that fail in windows; not a number where there are none.</summary>
    internal async Task<double[]> Failing(Objective objective, ValueRequest request)
    {
        var good = await request.Share(request.Read(objective.Good).Query, request.Read(objective.All).Query, 1);
        return Array.ConvertAll(good.Lines[0].Values, share => Math.Max(0, 1 - share));
    }

    /// <summary>Good and all events of an objective's period before each instant, the first hour of it whole.</summary>
    internal async Task<IReadOnlyList<(double Good, double All)>> Counts(Objective objective, ValueRequest request)
    {
        var ends = request.Ends;
        var (first, last) = (Hour(ends[0] - objective.Period), Hour(ends[^1]));
        var hours = await Hours(objective, first, last, request);
        // What comes behind the last whole hour of each instant, step by step.
        var step = RuleDefinition.Gcd(request.Definition.CheckedEvery, Instants.Hour);
        var steps = new SortedSet<long>();
        foreach (var end in ends)
            for (var at = Hour(end) + step; at <= end; at += step)
                steps.Add(at);
        var good = await Slices(objective.Good, request.WithSlices(step, [.. steps]));
        var all = await Slices(objective.All, request.WithSlices(step, [.. steps]));
        var sums = new double[((last - first) / Instants.Hour) + 1];
        var goods = new double[sums.Length];
        for (var h = 1; h < sums.Length; h++)
        {
            var hour = hours[first + ((h - 1) * Instants.Hour)];
            (goods[h], sums[h]) = (goods[h - 1] + hour.Good, sums[h - 1] + hour.All);
        }
        int Place(long time) => (int)((Hour(time) - first) / Instants.Hour);
        return
        [
            .. ends.Select(end =>
            {
                var (from, to) = (Place(end - objective.Period), Place(end));
                var counted = (Good: goods[to] - goods[from], All: sums[to] - sums[from]);
                for (var at = Hour(end) + step; at <= end; at += step)
                    counted = (counted.Good + good[at], counted.All + all[at]);
                return counted;
            }),
        ];
    }

    private static long Hour(long time) => time - (((time % Instants.Hour) + Instants.Hour) % Instants.Hour);

    private async Task<Dictionary<long, (double Good, double All)>> Hours(
        Objective objective,
        long first,
        long last,
        ValueRequest request
    )
    {
        var known = new Dictionary<long, (double Good, double All)>();
        var missing = new List<long>();
        for (var hour = first; hour < last; hour += Instants.Hour)
            if (_hours.TryGetValue((objective.Id, objective.Good, objective.All, hour), out var counts))
                known.Add(hour, counts);
            else
                missing.Add(hour + Instants.Hour);
        if (missing.Count == 0)
            return known;
        var good = await Slices(objective.Good, request.WithSlices(Instants.Hour, missing));
        var all = await Slices(objective.All, request.WithSlices(Instants.Hour, missing));
        foreach (var end in missing)
        {
            var hour = end - Instants.Hour;
            known.Add(hour, (good[end], all[end]));
            if (end + Settled <= request.Ends[^1] && objective.Id > 0)
                _hours[(objective.Id, objective.Good, objective.All, hour)] = (good[end], all[end]);
        }
        return known;
    }

    private static async Task<Dictionary<long, double>> Slices(string query, ValueRequest request)
    {
        var answer = await request.Each(request.Read(query).Query, "count");
        var counts = new Dictionary<long, double>(request.Ends.Count);
        for (var i = 0; i < request.Ends.Count; i++)
            counts[request.Ends[i]] = answer.Lines.Count == 0 ? 0 : answer.Lines[0].Values[i];
        return counts;
    }
}
