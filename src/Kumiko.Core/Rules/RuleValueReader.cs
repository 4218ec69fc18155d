using System.Collections.Concurrent;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Query.Sliding;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Rules;

/// <summary>The figures of a rule's quantity at many instants.</summary>
/// <param name="objectives">An objective by its id; null where there is none.</param>
public sealed class RuleValueReader(QuerySources sources, Func<long, Objective?> objectives)
{
    /// <summary>How long after its end an hour may still change.</summary>
    private const long Settled = Instants.Hour;

    private readonly ConcurrentDictionary<
        (long Objective, string Good, string All, long Hour),
        (double Good, double All)
    > _hours = new();

    /// <param name="ends">Ends of windows, rising, a whole number of slices apart where they lie near one another.</param>
    /// <exception cref="Evaluation.QueryRefusedException">A query cannot be answered.</exception>
    public Task<SlidingAnswer> At(
        RuleDefinition definition,
        IReadOnlyList<long> ends,
        Snapshot snapshot,
        CancellationToken cancel
    ) =>
        definition.Quantity switch
        {
            CountOf count => Ask(
                Counting(Read(count.Query).Query, "count", [], definition.Keys),
                definition,
                definition.InTheLast,
                ends,
                snapshot,
                cancel
            ),
            DistinctOf distinct => Ask(
                Counting(Read(distinct.Query).Query, "distinct", [new Field(distinct.Field)], definition.Keys),
                definition,
                definition.InTheLast,
                ends,
                snapshot,
                cancel
            ),
            ValueOf figure => Ask(Read(figure.Query), definition, definition.InTheLast, ends, snapshot, cancel),
            ShareOf share => Share(
                Read(share.Part).Query,
                Read(share.Whole).Query,
                share.Least,
                definition,
                definition.InTheLast,
                ends,
                snapshot,
                cancel
            ),
            SlowSpans { AsShare: false } slow => Ask(
                Counting(SpansOf(slow, slow: true), "count", [], definition.Keys),
                definition,
                definition.InTheLast,
                ends,
                snapshot,
                cancel
            ),
            SlowSpans slow => Share(
                SpansOf(slow, slow: true),
                SpansOf(slow, slow: false),
                slow.Least,
                definition,
                definition.InTheLast,
                ends,
                snapshot,
                cancel
            ),
            BurnRate burn => Burn(burn, definition, ends, snapshot, cancel),
            BudgetBurnt budget => Burnt(Find(budget.Objective), definition, ends, snapshot, cancel),
            _ => throw new InvalidOperationException("This is no figure."),
        };

    /// <summary>Makes a query on single records ready, and forgets it.</summary>
    /// <exception cref="Evaluation.QueryRefusedException">It cannot be asked; the message says why.</exception>
    internal void Probe(string query, RuleDefinition definition, Snapshot snapshot)
    {
        var parsed = Read(query);
        using var run = new Run(
            new Question("rule", parsed, new Frames.Window(0, 1), 1, definition.TimeZone, Evaluation.Limits.Default),
            snapshot.Share(),
            sources
        );
        run.Reader(definition.Keys);
        if (!run.ReadsRecords)
            throw new Evaluation.QueryRefusedException($"Only records come in one by one. Take “from” away, or count instead.");
    }

    private Objective Find(long id) =>
        objectives(id) ?? throw new Evaluation.QueryRefusedException($"The objective is no longer there. Choose another.");

    /// <summary>A query as somebody wrote it.</summary>
    /// <exception cref="Evaluation.QueryRefusedException">It cannot be read; the message says why.</exception>
    private static ParseResult Read(string text)
    {
        var parsed = QueryParser.Parse(text);
        return parsed.Ok ? parsed : throw new Evaluation.QueryRefusedException($"{parsed.Errors[0].Describe(text)}");
    }

    /// <summary>Rows of a query brought to one figure for each key.</summary>
    private static ParseResult Counting(
        Language.Query of,
        string aggregate,
        IReadOnlyList<Expr> arguments,
        IReadOnlyList<string> keys
    )
    {
        var group = new Group(
            new Seq<Named>([new Named(new Call(aggregate, new Seq<Expr>(arguments)), null)]),
            new Seq<Named>(keys.Select(k => new Named(new Field(k), null))),
            null
        );
        return ParseResult.Of(of with { Stages = new Seq<Stage>([.. of.Stages, group]) });
    }

    /// <summary>The spans of a service and an operation as a query.</summary>
    private static Language.Query SpansOf(SlowSpans of, bool slow)
    {
        var conditions = new List<Expr>();
        if (of.Service.Length > 0)
            conditions.Add(new Compare(new Field("service"), CompareOp.Equal, new Literal(of.Service, true)));
        if (of.Operation.Length > 0)
            conditions.Add(new Compare(new Field("operation"), CompareOp.Equal, new Literal(of.Operation, true)));
        if (slow)
            conditions.Add(
                new Compare(new Field("duration"), CompareOp.Greater, new Literal(Quantities.Duration(of.Slower), false))
            );
        var match = conditions.Count == 0 ? null : Expr.And(conditions);
        return new Language.Query(match, Seq<Stage>.Empty, new From("spans"));
    }

    private Task<SlidingAnswer> Ask(
        ParseResult query,
        RuleDefinition definition,
        long length,
        IReadOnlyList<long> ends,
        Snapshot snapshot,
        CancellationToken cancel
    ) => Ask(query, definition, length, definition.Slice, ends, snapshot, cancel);

    private Task<SlidingAnswer> Ask(
        ParseResult query,
        RuleDefinition definition,
        long length,
        long slice,
        IReadOnlyList<long> ends,
        Snapshot snapshot,
        CancellationToken cancel
    )
    {
        return new SlidingQuery("rule", query, definition.TimeZone, snapshot, sources).Answer(length, slice, ends, cancel);
    }

    private async Task<SlidingAnswer> Share(
        Language.Query part,
        Language.Query whole,
        long least,
        RuleDefinition definition,
        long length,
        IReadOnlyList<long> ends,
        Snapshot snapshot,
        CancellationToken cancel
    )
    {
        var all = await Ask(Counting(whole, "count", [], definition.Keys), definition, length, ends, snapshot, cancel);
        var some = await Ask(Counting(part, "count", [], definition.Keys), definition, length, ends, snapshot, cancel);
        var parts = some.Lines.ToDictionary(l => l.Name, StringComparer.Ordinal);
        return new SlidingAnswer(
            ends,
            [
                .. all.Lines.Select(line =>
                {
                    var found = parts.GetValueOrDefault(line.Name);
                    var values = new double[ends.Count];
                    for (var i = 0; i < values.Length; i++)
                        values[i] =
                            line.Values[i] < Math.Max(1, least)
                                ? double.NaN
                                : SlidingCollector.Rounded((found?.Values[i] ?? 0) / line.Values[i]);
                    return line with { Values = values };
                }),
            ],
            double.NaN
        )
        {
            Unit = "1",
        };
    }

    private async Task<SlidingAnswer> Burn(
        BurnRate burn,
        RuleDefinition definition,
        IReadOnlyList<long> ends,
        Snapshot snapshot,
        CancellationToken cancel
    )
    {
        var objective = Find(burn.Objective);
        var (slow, fast) = (
            await Failing(objective, definition, definition.InTheLast, ends, snapshot, cancel),
            await Failing(objective, definition, burn.Short, ends, snapshot, cancel)
        );
        var (values, seen) = (new double[ends.Count], new bool[ends.Count]);
        for (var i = 0; i < values.Length; i++)
        {
            values[i] = SlidingCollector.Rounded(Math.Min(slow[i], fast[i]) / objective.Budget);
            seen[i] = double.IsFinite(values[i]);
        }
        return new SlidingAnswer(ends, [new SlidingLine("", [], values, seen)], double.NaN);
    }

    /// <summary>The share of events that fail in windows of a length; not a number where there are none.</summary>
    internal async Task<double[]> Failing(
        Objective objective,
        RuleDefinition definition,
        long length,
        IReadOnlyList<long> ends,
        Snapshot snapshot,
        CancellationToken cancel
    )
    {
        var good = await Share(
            Read(objective.Good).Query,
            Read(objective.All).Query,
            1,
            definition,
            length,
            ends,
            snapshot,
            cancel
        );
        return Array.ConvertAll(good.Lines[0].Values, share => Math.Max(0, 1 - share));
    }

    private async Task<SlidingAnswer> Burnt(
        Objective objective,
        RuleDefinition definition,
        IReadOnlyList<long> ends,
        Snapshot snapshot,
        CancellationToken cancel
    )
    {
        var (values, seen) = (new double[ends.Count], new bool[ends.Count]);
        var counts = await Counts(objective, definition, ends, snapshot, cancel);
        for (var i = 0; i < values.Length; i++)
        {
            seen[i] = counts[i].All > 0;
            values[i] = seen[i]
                ? SlidingCollector.Rounded(Math.Max(0, counts[i].All - counts[i].Good) / counts[i].All / objective.Budget)
                : double.NaN;
        }
        return new SlidingAnswer(ends, [new SlidingLine("", [], values, seen)], double.NaN) { Unit = "1" };
    }

    /// <summary>Good and all events of an objective's period before each instant, the first hour of it whole. Hours that are over
    /// are counted once.</summary>
    internal async Task<IReadOnlyList<(double Good, double All)>> Counts(
        Objective objective,
        RuleDefinition definition,
        IReadOnlyList<long> ends,
        Snapshot snapshot,
        CancellationToken cancel
    )
    {
        var (first, last) = (Hour(ends[0] - objective.Period), Hour(ends[^1]));
        var hours = await Hours(objective, definition, first, last, ends[^1], snapshot, cancel);
        // What comes behind the last whole hour of each instant, step by step.
        var step = RuleDefinition.Gcd(definition.CheckedEvery, Instants.Hour);
        var steps = new SortedSet<long>();
        foreach (var end in ends)
            for (var at = Hour(end) + step; at <= end; at += step)
                steps.Add(at);
        var good = await Slices(objective.Good, definition, step, [.. steps], snapshot, cancel);
        var all = await Slices(objective.All, definition, step, [.. steps], snapshot, cancel);
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
        RuleDefinition definition,
        long first,
        long last,
        long now,
        Snapshot snapshot,
        CancellationToken cancel
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
        var good = await Slices(objective.Good, definition, Instants.Hour, missing, snapshot, cancel);
        var all = await Slices(objective.All, definition, Instants.Hour, missing, snapshot, cancel);
        foreach (var end in missing)
        {
            var hour = end - Instants.Hour;
            known.Add(hour, (good[end], all[end]));
            if (end + Settled <= now && objective.Id > 0)
                _hours[(objective.Id, objective.Good, objective.All, hour)] = (good[end], all[end]);
        }
        return known;
    }

    private async Task<Dictionary<long, double>> Slices(
        string query,
        RuleDefinition definition,
        long length,
        IReadOnlyList<long> ends,
        Snapshot snapshot,
        CancellationToken cancel
    )
    {
        var answer = await Ask(Counting(Read(query).Query, "count", [], []), definition, length, length, ends, snapshot, cancel);
        var counts = new Dictionary<long, double>(ends.Count);
        for (var i = 0; i < ends.Count; i++)
            counts[ends[i]] = answer.Lines.Count == 0 ? 0 : answer.Lines[0].Values[i];
        return counts;
    }
}
