using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Query.Sliding;

/// <summary>
/// Puts windows together from slices that were gathered once. A window of very many slices is made of whole blocks and what
/// sticks out
/// of them; blocks lie at fixed times, so that a window comes out the same whatever other windows are asked with it.
/// </summary>
internal sealed class SlicedWindows(Pipeline pipeline, GroupTable table, int slices, CancellationToken cancel)
{
    /// <summary>Figures that are held at once.</summary>
    private const long MostCells = 4_000_000;

    private readonly GroupPlan _plan = pipeline.Group!.Value.Plan;
    private readonly int _block = Math.Max(2, (int)Math.Sqrt(slices));

    /// <summary>Whether every window's answer can be put together from slices: one plain group, and behind it only what looks at
    /// rows one by one.</summary>
    public static bool Fits(Language.Query query)
    {
        if (query.With.Count > 0 || query.From is { Over: not null } or { Earlier: not null })
            return false;
        if ((query.Match is { } match && MentionsNow(match)) || query.Stages.Any(MentionsNow))
            return false;
        var group = query.Stages.ToList().FindIndex(s => s is Group);
        if (group < 0 || ((Group)query.Stages[group]).Per is not null)
            return false;
        return query.Stages.Take(group).All(s => s is Where or SetFields or Parse or Select)
            && query.Stages.Skip(group + 1).All(s => s is Where or SetFields or Select or SelectAll or OrderBy or Limit);
    }

    private static bool MentionsNow(Expr expr) => expr is Call { Name: "now" } || QueryChecker.Parts(expr).Any(MentionsNow);

    private static bool MentionsNow(Stage stage) => stage.AllExpressions.Any(MentionsNow);

    public SlidingAnswer Answer(IReadOnlyList<long> ends)
    {
        var cut = _plan.Cut!;
        var first = cut.Starts[0];
        int[] places = [.. ends.Select(end => (int)((end - first) / cut.Length))];
        IReadOnlyList<KeyGroups> groups = [.. table.Groups];
        if ((long)groups.Count * ends.Count > MostCells)
            throw new QueryRefusedException(
                $"{ends.Count:N0} windows of {groups.Count:N0} keys are too many at once. Take a shorter stretch, a longer time between checks, or fewer keys."
            );
        if (groups.Count == 0 && _plan.Keys.Length == 0)
            groups = [new KeyGroups([], "")];
        var rows = SharedRows(groups, places);
        var collector = new SlidingCollector(pipeline.Schema, ends, pipeline.Steps.Count == 0 ? _plan.Aggregates[0].Kind : null);
        var perEnd = pipeline.Steps.Count == 0 ? null : new List<Value[]>[places.Length];
        var any = new bool[places.Length];
        foreach (var group in groups.OrderBy(g => g.Name, StringComparer.Ordinal))
        {
            cancel.ThrowIfCancellationRequested();
            // The answer without keys has a row in every window.
            Each(group, places, rows, always: _plan.Keys.Length == 0, (end, row, seen) =>
            {
                any[end] |= seen;
                if (perEnd is null)
                    collector.Add(end, row, seen);
                else if (seen || _plan.Keys.Length == 0)
                    (perEnd[end] ??= []).Add(row);
            });
        }
        if (perEnd is not null)
            for (var end = 0; end < perEnd.Length; end++)
            {
                cancel.ThrowIfCancellationRequested();
                var all = (perEnd[end] ?? []).Select((values, i) => new Row(RowSource.Columns, i, values));
                foreach (var row in pipeline.Steps.Aggregate(all, (rows, step) => step.Run(rows)))
                    collector.Add(end, row.Slots, any[end]);
            }
        return collector.Finish();
    }

    /// <summary>All rows of each window, over all keys, where an aggregate is a share of them.</summary>
    private long[]? SharedRows(IReadOnlyList<KeyGroups> groups, int[] places)
    {
        var share = Array.FindIndex(_plan.Aggregates, a => a.Kind.IsPartOfRows);
        if (share < 0)
            return null;
        var totals = new long[places.Length];
        foreach (var group in groups)
        {
            var line = new Line(group);
            for (var e = 0; e < places.Length; e++)
            {
                var (low, high) = line.Range(places[e] - slices, places[e]);
                for (var i = low; i < high; i++)
                    totals[e] += ((CountAccumulator)line.Accumulators[i][share]).Count;
            }
        }
        return totals;
    }

    private void Each(KeyGroups group, int[] places, long[]? rows, bool always, Action<int, Value[], bool> take)
    {
        var line = new Line(group);
        var counts = Array.TrueForAll(_plan.Aggregates, a => a.Kind.OfRows(0, default) is not null)
            ? line.Counts(_plan.Aggregates.Length)
            : null;
        var blocks = new Dictionary<long, Accumulator[]>();
        for (var e = 0; e < places.Length; e++)
        {
            var (low, high) = line.Range(places[e] - slices, places[e]);
            if (low == high && !always)
                continue;
            var row = new Value[_plan.Keys.Length + _plan.Aggregates.Length];
            group.Keys.CopyTo(row, 0);
            var facts = new StepFacts(slices * _plan.Cut!.Length / (double)Instants.Second, rows?[e] ?? 0);
            Accumulator[]? held = low == high || counts is not null ? null : Window(line, places[e], low, high, blocks);
            for (var a = 0; a < _plan.Aggregates.Length; a++)
                row[_plan.Keys.Length + a] = counts switch
                {
                    _ when low == high => _plan.Aggregates[a].Kind.Empty,
                    not null => Counted(a, counts[a][high] - counts[a][low], facts),
                    null => Result(held!, a, high - low, facts),
                };
            take(e, row, low < high);
        }
    }

    private Value Counted(int aggregate, long count, in StepFacts facts) =>
        _plan.Aggregates[aggregate].Kind.OfRows(count, facts)!.Value;

    /// <summary>Rates of a metric's counter are per slice: the window's is their mean.</summary>
    private Value Result(Accumulator[] held, int aggregate, int present, in StepFacts facts)
    {
        var result = held[aggregate].Result(facts);
        return pipeline.Scan is { HasSeries: true } && _plan.Aggregates[aggregate].Kind.IsRate && result.IsQuantity
            ? Value.Of(result.AsDouble / present)
            : result;
    }

    private Accumulator[] Window(Line line, int end, int low, int high, Dictionary<long, Accumulator[]> blocks)
    {
        if (high - low == 1)
            return line.Accumulators[low];
        var merged = New();
        for (var i = low; i < high; )
        {
            var number = Number(line.Places[i]);
            var stop = i;
            while (stop < high && Number(line.Places[stop]) == number)
                stop++;
            var from = BlockStart(number);
            if (from >= end - slices && from + _block <= end && stop - i > 1)
            {
                if (!blocks.TryGetValue(number, out var block))
                    blocks.Add(number, block = Merged(line, i, stop));
                Merge(merged, block);
            }
            else
                for (var s = i; s < stop; s++)
                    Merge(merged, line.Accumulators[s]);
            i = stop;
        }
        return merged;
    }

    private Accumulator[] Merged(Line line, int low, int high)
    {
        var merged = New();
        for (var i = low; i < high; i++)
            Merge(merged, line.Accumulators[i]);
        return merged;
    }

    private static void Merge(Accumulator[] into, Accumulator[] more)
    {
        for (var a = 0; a < into.Length; a++)
            into[a].Merge(more[a]);
    }

    private Accumulator[] New() => Array.ConvertAll(_plan.Aggregates, a => a.Kind.Create(a.Call, _plan.Memory));

    private long Origin => Math.DivRem(_plan.Cut!.Starts[0], _plan.Cut.Length).Quotient;

    /// <summary>Blocks are counted from 1970, whatever is asked.</summary>
    private long Number(int place) => (Origin + place) / _block;

    private int BlockStart(long number) => (int)((number * _block) - Origin);

    /// <summary>The slices of a key in which it has rows.</summary>
    private sealed class Line
    {
        public Line(KeyGroups group)
        {
            Places = [.. group.Steps.Keys];
            Array.Sort(Places);
            Accumulators = Array.ConvertAll(Places, p => group.Steps[p]);
        }

        public int[] Places { get; }
        public Accumulator[][] Accumulators { get; }

        /// <summary>Which of its slices lie in [from, to).</summary>
        public (int Low, int High) Range(int from, int to) => (LowerBound(from), LowerBound(to));

        private int LowerBound(int place)
        {
            var at = Array.BinarySearch(Places, place);
            return at < 0 ? ~at : at;
        }

        /// <summary>Counts of each aggregate before each slice.</summary>
        public long[][] Counts(int aggregates) =>
            [
                .. Enumerable
                    .Range(0, aggregates)
                    .Select(a =>
                    {
                        var sums = new long[Accumulators.Length + 1];
                        for (var i = 0; i < Accumulators.Length; i++)
                            sums[i + 1] = sums[i] + ((CountAccumulator)Accumulators[i][a]).Count;
                        return sums;
                    }),
            ];
    }
}
