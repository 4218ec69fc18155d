using System.Runtime.InteropServices;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Evaluation;

/// <summary>One aggregate made ready: its call and how its arguments are read.</summary>
public sealed record Aggregate(Call Call, Func<Row, Value> Argument, Func<Row, Value>? Second)
{
    public AggregateKind Kind { get; } = AggregateKinds.Of(Call);

    /// <summary>Whether it counts every row, whatever the row holds.</summary>
    public bool CountsRows => Call.Arguments.Count == 0;

    /// <summary>Whether a row of a sample counts for all that it stands for: not where the weight itself is asked for.</summary>
    public bool IsWeighted { get; } = !QueryChecker.Mentions(Call, "weight");
}

/// <summary>A group stage made ready: what several tables of one answer share.</summary>
public sealed class GroupPlan
{
    public GroupPlan(
        Group group,
        Window window,
        Compiler compiler,
        EvaluationContext context,
        Func<Row, Value> time,
        Limits limits,
        MemoryMeter memory,
        Steps? slices = null
    )
    {
        (Group, Window, Time, Limits, Memory) = (group, window, time, limits, memory);
        (Cut, IsSliced) = (slices, slices is not null);
        if (slices is null && group.Per is { } every)
        {
            var length = every == "auto" ? Steps.RoundFor(window, 120) : Literals.Read(every).AsLong;
            if (Steps.Count(window, length) > limits.Steps)
                throw new QueryRefusedException(
                    $"{Steps.Count(window, length):N0} steps of {every} are too many; {limits.Steps:N0} is the most. Take a longer step or a shorter focus."
                );
            Cut = Steps.Cut(window, length, context.Zone);
            PartialSteps = Enumerable
                .Range(0, Cut.Starts.Count)
                .Select(i => Cut[i])
                .Where(s => s.From < window.From || s.To > window.To)
                .Select(s => s.From)
                .ToHashSet();
        }
        Keys = [.. group.By.Select(b => compiler.Value(b.Expr))];
        Aggregates =
        [
            .. group
                .Aggregates.Select(a => (Call)a.Expr)
                .Select(call => new Aggregate(
                    call,
                    Argument(call, compiler),
                    AggregateKinds.Of(call).TakesTwo ? compiler.Value(call.Arguments[1]) : null
                )),
        ];
    }

    public Group Group { get; }
    public Window Window { get; }
    public Steps? Cut { get; }

    /// <summary>Whether the steps are slices that windows are put together from, and no part of the answer.</summary>
    public bool IsSliced { get; }

    /// <summary>Starts of the steps that the window covers only in part.</summary>
    public IReadOnlySet<long> PartialSteps { get; } = new HashSet<long>();
    public Func<Row, Value>[] Keys { get; }
    public Aggregate[] Aggregates { get; }

    /// <summary>How many a row stands for, where rows may be of a sample; null where each is one.</summary>
    public Func<Row, long>? Weight { get; init; }

    /// <summary>When a row was.</summary>
    public Func<Row, Value> Time { get; }
    public Limits Limits { get; }
    public MemoryMeter Memory { get; }

    /// <summary>What aggregates need to know of a step.</summary>
    /// <param name="rows">All rows of the step, over all keys.</param>
    public StepFacts StepFacts(int step, long rows)
    {
        var stretch = Cut is null ? Window : Cut[step];
        return new StepFacts(
            (Math.Min(stretch.To, Window.To) - Math.Max(stretch.From, Window.From)) / (double)Instants.Second,
            rows
        );
    }

    private static Func<Row, Value> Argument(Call call, Compiler compiler)
    {
        if (call.Arguments.Count == 0)
            return _ => Value.True;
        if (!AggregateKinds.Of(call).TakesCondition || call.Arguments[0] is Field)
            return compiler.Value(call.Arguments[0]);
        // count(condition) counts where it holds, count(field) where there is a value.
        var condition = compiler.Value(call.Arguments[0]);
        return row => condition(row) is var value && value.Kind == ValueKind.Boolean && !value.IsTrue ? Value.Missing : value;
    }

    public IReadOnlyList<Column> Columns()
    {
        var columns = new List<Column>();
        if (Cut is not null && !IsSliced)
            columns.Add(new Column("time", ColumnRole.Time, ValueKind.Time));
        columns.AddRange(Group.By.Select(b => new Column(b.Name, ColumnRole.Key)));
        columns.AddRange(Group.Aggregates.Select(a => new Column(a.Name, ColumnRole.Value, ValueKind.Decimal)));
        return columns;
    }
}

/// <summary>The groups of one key: one set of accumulators for each step that has rows.</summary>
public sealed class KeyGroups(Value[] keys, string name)
{
    public Value[] Keys { get; } = keys;

    /// <summary>The canonical text of all keys together.</summary>
    public string Name { get; } = name;
    public Dictionary<int, Accumulator[]> Steps { get; } = [];
}

/// <summary>Gathers rows into groups: keys by canonical text, and steps of time where asked. For one thread.</summary>
public sealed class GroupTable(GroupPlan plan)
{
    private const string MissingKey = "\0";
    private const string Between = "\u001f";
    private const string RestName = "(rest)";
    private const int BytesOfGroup = 200;

    private readonly Dictionary<string, KeyGroups> _groups = new(StringComparer.Ordinal);
    private readonly Value[] _keys = new Value[plan.Keys.Length];

    public GroupPlan Plan => plan;

    internal IReadOnlyCollection<KeyGroups> Groups => _groups.Values;

    /// <summary>How a key is told from others.</summary>
    public static string NameOf(ReadOnlySpan<Value> keys)
    {
        if (keys.Length == 1)
            return NameOf(keys[0]);
        return string.Join(Between, keys.ToArray().Select(v => NameOf(v)));
    }

    public static string NameOf(in Value key) => key.IsMissing ? MissingKey : key.ToText();

    public void Add(Row row)
    {
        var step = 0;
        if (plan.Cut is { } cut)
        {
            if (plan.Time(row) is not { Kind: ValueKind.Time } time)
                return;
            step = cut.IndexOf(time.AsLong);
            if (step < 0)
                return;
        }
        for (var i = 0; i < _keys.Length; i++)
            _keys[i] = plan.Keys[i](row);
        var accumulators = At(Group(_keys), step);
        var id = row.Id;
        var times = plan.Weight?.Invoke(row) ?? 1;
        for (var i = 0; i < accumulators.Length; i++)
        {
            var aggregate = plan.Aggregates[i];
            var second = aggregate.Second?.Invoke(row) ?? Value.Missing;
            if (times != 1 && aggregate.IsWeighted)
                accumulators[i].AddTimes(aggregate.Argument(row), second, id, times);
            else
                accumulators[i].Add(aggregate.Argument(row), second, id);
        }
    }

    /// <summary>The groups of a key, made where it is new.</summary>
    /// <exception cref="QueryRefusedException">There are too many.</exception>
    public KeyGroups Group(ReadOnlySpan<Value> keys)
    {
        var name = NameOf(keys);
        ref var group = ref CollectionsMarshal.GetValueRefOrAddDefault(_groups, name, out var known);
        if (!known)
        {
            if (_groups.Count > plan.Limits.Keys)
                throw TooMany();
            group = new KeyGroups(keys.ToArray(), name);
            plan.Memory.Take(BytesOfGroup);
        }
        else
            Settle(group!.Keys, keys);
        return group!;
    }

    /// <exception cref="QueryRefusedException">Always.</exception>
    internal void Refuse() => throw TooMany();

    private QueryRefusedException TooMany() =>
        plan.Group.By.Count == 0
            ? new($"More than {plan.Limits.Keys:N0} groups.")
            : new(
                $"More than {plan.Limits.Keys:N0} different values of {string.Join(", ", plan.Group.By.Select(b => b.Name))}. Narrow the search, or group by something with fewer values."
            );

    /// <summary>409 and "409" are one key, shown as the simpler of the two whichever came first.</summary>
    private static void Settle(Value[] known, ReadOnlySpan<Value> other)
    {
        for (var i = 0; i < known.Length; i++)
            if (
                other[i].Kind < known[i].Kind
                || (other[i].Kind == known[i].Kind && known[i].Kind == ValueKind.Level && other[i].AsLong < known[i].AsLong)
            )
                known[i] = other[i];
    }

    public Accumulator[] At(KeyGroups group, int step)
    {
        ref var accumulators = ref CollectionsMarshal.GetValueRefOrAddDefault(group.Steps, step, out var known);
        if (!known)
        {
            accumulators = NewAccumulators();
            plan.Memory.Take(BytesOfGroup);
        }
        return accumulators!;
    }

    private Accumulator[] NewAccumulators() => Array.ConvertAll(plan.Aggregates, a => a.Kind.Create(a.Call, plan.Memory));

    public void Merge(GroupTable other)
    {
        foreach (var more in other._groups.Values)
        {
            var group = Group(more.Keys);
            foreach (var (step, accumulators) in more.Steps)
            {
                if (group.Steps.TryAdd(step, accumulators))
                    continue;
                var into = group.Steps[step];
                for (var i = 0; i < into.Length; i++)
                    into[i].Merge(accumulators[i]);
            }
        }
    }

    /// <summary>One row for each key and step, empty steps too, by time and then by the first aggregate, highest first.</summary>
    public Frame Collect(Highest? highest = null)
    {
        IReadOnlyCollection<KeyGroups> groups = _groups.Values;
        // A question without keys has an answer even where nothing was found: zero.
        if (groups.Count == 0 && plan.Keys.Length == 0)
            groups = [new KeyGroups([], "")];
        foreach (var group in groups)
            Link(group);
        if (highest is not null)
            groups = Ranked(groups, highest);
        var steps = plan.Cut?.Starts.Count ?? 1;
        if ((long)steps * groups.Count > plan.Limits.Rows)
            throw new QueryRefusedException(
                $"{steps:N0} steps of {groups.Count:N0} keys are more than {plan.Limits.Rows:N0} rows. Take a longer step or fewer keys."
            );
        var first = plan.Keys.Length + (plan.Cut is null ? 0 : 1);
        var facts = Enumerable.Range(0, steps).Select(step => Facts(groups, step)).ToArray();
        var rows = new List<(string Name, Value[] Row)>(steps * groups.Count);
        foreach (var group in groups)
            for (var step = 0; step < steps; step++)
            {
                var row = new Value[first + plan.Aggregates.Length];
                if (plan.Cut is not null)
                    row[0] = Value.Time(plan.Cut.Starts[step]);
                group.Keys.CopyTo(row, first - plan.Keys.Length);
                var found = group.Steps.GetValueOrDefault(step);
                for (var i = 0; i < plan.Aggregates.Length; i++)
                    row[first + i] = found is null ? plan.Aggregates[i].Kind.Empty : found[i].Result(facts[step]);
                rows.Add((group.Name, row));
            }
        var highestFirst = Comparer<Value>.Create(
            (a, b) => a.IsMissing || b.IsMissing ? Comparison.Sort(a, b) : Comparison.Sort(b, a)
        );
        Value[][] sorted =
        [
            .. rows.OrderBy(r => plan.Cut is null ? 0 : r.Row[0].AsLong)
                .ThenBy(r => r.Row[first], highestFirst)
                .ThenBy(r => r.Name, StringComparer.Ordinal)
                .Select(r => r.Row),
        ];
        return new Frame(
            new Schema(Frame.WithKinds(plan.Columns(), sorted), plan.Cut?.Length, plan.Window)
            {
                PartialSteps = plan.PartialSteps,
            },
            sorted
        );
    }

    private StepFacts Facts(IEnumerable<KeyGroups> groups, int step)
    {
        var share = Array.FindIndex(plan.Aggregates, a => a.Kind.IsPartOfRows);
        var rows =
            share < 0
                ? 0
                : groups.Sum(g => g.Steps.TryGetValue(step, out var found) ? ((CountAccumulator)found[share]).Count : 0);
        return plan.StepFacts(step, rows);
    }

    /// <summary>Counters go on from step to step.</summary>
    private void Link(KeyGroups group)
    {
        for (var a = 0; a < plan.Aggregates.Length; a++)
        {
            if (!plan.Aggregates[a].Kind.FollowsCounter)
                continue;
            CounterAccumulator? before = null;
            foreach (var step in group.Steps.Keys.Order())
            {
                var counter = (CounterAccumulator)group.Steps[step][a];
                counter.Before = before?.Last;
                before = counter;
            }
        }
    }

    /// <summary>The groups of the keys that are highest over the whole window, and the rest as one where asked.</summary>
    private List<KeyGroups> Ranked(IReadOnlyCollection<KeyGroups> groups, Highest highest)
    {
        var key = IndexOf(plan.Group.By, highest.Key);
        var by = IndexOf(plan.Group.Aggregates, highest.By);
        var whole = new StepFacts(plan.Window.Length / (double)Instants.Second, 1);
        var best = groups
            .GroupBy(g => NameOf(g.Keys[key]), StringComparer.Ordinal)
            .Select(g => (g.Key, Figure: Whole(g, by).Result(whole)))
            .OrderBy(
                g => g.Figure,
                Comparer<Value>.Create((a, b) => a.IsMissing || b.IsMissing ? Comparison.Sort(a, b) : Comparison.Sort(b, a))
            )
            .ThenBy(g => g.Key, StringComparer.Ordinal)
            .Take((int)Math.Min(highest.Count, int.MaxValue))
            .Select(g => g.Key)
            .ToHashSet(StringComparer.Ordinal);
        var kept = groups.Where(g => best.Contains(NameOf(g.Keys[key]))).ToList();
        if (!highest.Rest)
            return kept;
        var rest = new Dictionary<string, KeyGroups>(StringComparer.Ordinal);
        foreach (var group in groups.Where(g => !best.Contains(NameOf(g.Keys[key]))))
        {
            Value[] keys = [.. group.Keys];
            keys[key] = Value.Of(RestName);
            var name = NameOf(keys);
            if (!rest.TryGetValue(name, out var into))
                rest.Add(name, into = new KeyGroups(keys, name));
            foreach (var (step, accumulators) in group.Steps)
            {
                if (!into.Steps.TryGetValue(step, out var merged))
                    into.Steps.Add(step, merged = NewAccumulators());
                for (var i = 0; i < merged.Length; i++)
                    merged[i].Absorb(accumulators[i]);
            }
        }
        return [.. kept, .. rest.Values];
    }

    private Accumulator Whole(IEnumerable<KeyGroups> groups, int aggregate)
    {
        var whole = plan.Aggregates[aggregate].Kind.Create(plan.Aggregates[aggregate].Call, plan.Memory);
        foreach (var group in groups)
        foreach (var accumulators in group.Steps.Values)
            whole.Absorb(accumulators[aggregate]);
        return whole;
    }

    private static int IndexOf(Seq<Named> items, Expr named)
    {
        for (var i = 0; i < items.Count; i++)
            if (items[i].Expr == named || (named is Field field && field.Name == items[i].Name))
                return i;
        throw new QueryRefusedException($"highest names {QueryPrinter.Print(named)}, which the group before it does not have.");
    }
}
