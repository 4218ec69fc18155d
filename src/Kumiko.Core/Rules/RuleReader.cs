using Kumiko.Core.Query.Sliding;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Rules;

/// <summary>Reads what checks of a rule need, for one check or for very many, by the query path that pages use.</summary>
public sealed class RuleReader(RuleValueReader values)
{
    private const int WarmWindows = 48;
    private const string Absent = "\u0001absent";

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
        var (others, compare) = definition.Condition.Compare(definition, ends, snapshot);
        var needed = new SortedSet<long>(ends);
        foreach (var end in ends)
            needed.UnionWith(others(end));
        var found = new ValuesByEnd(await values.At(definition, [.. needed], snapshot, cancel));
        MeasurementLine Of(SlidingLine line) => new(line.Name, line.Keys, Array.ConvertAll(ends, end =>
                {
                    var measurement = found.MeasurementAt(line, end);
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
        var place = definition.Condition.IsOfNewKeys ? definition.Keys.ToList().IndexOf("pattern") : -1;
        return place >= 0 && place < line.Keys.Count ? snapshot.Patterns?.InheritedFrom(line.Keys[place]) : null;
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
        if (!definition.Condition.NeedsHistory)
            return;
        var before = first - definition.Delay - definition.InTheLast;
        // Windows of about a fiftieth of the history, one beside the other.
        var length = Math.Max(1, definition.Condition.Memory(definition) / WarmWindows / definition.Slice) * definition.Slice;
        long[] ends = [.. Enumerable.Range(0, WarmWindows).Select(w => before - ((WarmWindows - 1 - w) * length))];
        var answer = await values.At(
            definition with
            {
                InTheLast = length,
                CheckedEvery = length,
                Condition = new Beyond(false, 0, null),
                Quantity = definition.Quantity.InHistory,
            },
            ends,
            snapshot,
            cancel
        );
        var empty = answer.Lines.All(l => !l.Seen.Contains(true));
        if (empty && definition.Condition.IsOfNewKeys)
        {
            // With no history at all everything would be new: what the first check finds is learned.
            var found = await values.At(definition, [first - definition.Delay], snapshot, cancel);
            foreach (var line in found.Lines.Where(l => l.Seen[0]))
                RememberKey(state, line, first - definition.Condition.Memory(definition), first);
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
