using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Evaluation;

/// <summary>Makes a query ready, stage by stage.</summary>
public sealed class PipelineBuilder
{
    private readonly PipelineContext _context;
    private readonly Dictionary<string, (Language.Query Query, PipelineBuilder Within)> _bound = new(StringComparer.Ordinal);
    private readonly List<(int Index, Expr Condition)> _conditions = [];
    private readonly List<Func<Row, bool>> _tests = [];
    private readonly List<PipelineStep> _recordSteps = [];
    private readonly List<PipelineStep> _steps = [];

    private (GroupPlan Plan, Highest? Highest, int Index)? _group;
    private Scope _scope;
    private Schema _schema;
    private string _set = "logs";
    private Signal _signal = Signal.Logs;
    private Window _reads;
    private long _moved;
    private RowScan? _scan;
    private List<PipelineStep> _beforeGroup = [];
    private int _slots;
    private int _index;

    private PipelineBuilder(PipelineContext context, Window window)
    {
        _context = context;
        _reads = window;
        _scope = new RecordScope(context.Fields);
        _schema = new Schema([], null, window);
    }

    /// <exception cref="QueryRefusedException">The query asks for something that cannot be.</exception>
    public static Pipeline Build(Language.Query query, PipelineContext context)
    {
        var builder = new PipelineBuilder(context, context.Window);
        builder.Add(query, outermost: true);
        return builder.Finish(query);
    }

    private PipelineBuilder(PipelineBuilder outer)
        : this(outer._context, outer._context.Window)
    {
        foreach (var (name, bound) in outer._bound)
            _bound[name] = bound;
    }

    private Pipeline Finish(Language.Query query) =>
        new()
        {
            Bound = query,
            Set = _set,
            Signal = _signal,
            Reads = _reads,
            Moved = _moved,
            Conditions = _conditions,
            Tests = _tests,
            RecordSteps = _recordSteps,
            Group = _group,
            Steps = _steps,
            Scope = _scope,
            Schema = _scope is ColumnScope columns
                ? _schema with
                {
                    Columns = columns.Columns,
                }
                : RecordColumns.Schema((RecordScope)_scope, _schema.Window),
            Scan = _scan,
            Slots = _slots,
            BeforeGroup = _beforeGroup,
            Limit = _context.Limits.Rows,
        };

    private void Add(Language.Query query, bool outermost)
    {
        var inner = query.With.Where(b => b.Query is not null).ToList();
        foreach (var binding in inner)
        {
            // A bound query sees what was bound before it.
            var within = new PipelineBuilder(this);
            _bound[binding.Name] = (binding.Query!, within);
        }
        Read(query.From);
        _index = 0;
        if (query.Match is { } match)
            Filter(match);
        for (var i = 0; i < query.Stages.Count; i++)
        {
            if (outermost)
                _index = i + 1;
            var next = i + 1 < query.Stages.Count ? query.Stages[i + 1] : null;
            ((PipelineStage)query.Stages[i]).Build(this, next);
        }
    }

    private void Read(From? from)
    {
        if (from is null)
            return;
        if (_bound.TryGetValue(from.Set, out var bound))
        {
            // The bound query's own pipeline goes on here.
            foreach (var (name, other) in bound.Within._bound)
                _bound.TryAdd(name, other);
            Shift(from);
            Add(bound.Query, outermost: false);
            return;
        }
        Shift(from);
        _set = from.Set;
        if (SignalNames.Find(_set) is { } signal)
        {
            _signal = signal;
            _scope = new RecordScope(_context.Fields, signal);
            return;
        }
        _scan = _context.Scan(_set, _reads) ?? throw new QueryRefusedException($"There is nothing called {_set} to read.");
        _scope = new ColumnScope(_scan.Columns);
        if (_scan.IsAllowed || _context.Allowed is not { } allowed)
            return;
        // What nobody may see is not counted as left out by the match.
        var index = _index;
        _index = Pipeline.BeforeMatch;
        Filter(allowed);
        _index = index;
    }

    private void Shift(From from)
    {
        if (from.Over is { } over)
            _reads = _reads with { From = _reads.To - Literals.Read(over).AsLong };
        if (from.Earlier is { } earlier)
        {
            var by = Literals.Read(earlier).AsLong;
            _reads = _reads.Shift(-by);
            _moved += by;
        }
        _schema = _schema with { Window = _reads.Shift(_moved) };
    }

    /// <summary>The columns of the rows.</summary>
    /// <param name="stage">Which needs them.</param>
    public IReadOnlyList<Column> ColumnsFor(string stage) =>
        (_scope as ColumnScope)?.Columns
        ?? throw new QueryRefusedException($"{stage} needs columns. Write group or select before it.");

    /// <summary>What has to be known of the query besides its rows.</summary>
    public PipelineContext Context => _context;

    /// <summary>How names are meant by what comes next.</summary>
    public Scope Scope
    {
        get => _scope;
        set => _scope = value;
    }

    /// <summary>Schema of the answer so far, but for its columns.</summary>
    public Schema Schema
    {
        get => _schema;
        set => _schema = value;
    }

    /// <summary>Makes expressions ready for the rows so far.</summary>
    public Compiler Compiler => new(_context.Context, _scope);

    /// <summary>Slots of each record so far.</summary>
    public int Slots => _slots;

    /// <summary>More slots for each record.</summary>
    /// <returns>The first of them.</returns>
    public int NewSlots(int count)
    {
        var first = _slots;
        _slots += count;
        return first;
    }

    /// <summary>Adds a step on all rows.</summary>
    public void Step(Func<IEnumerable<Row>, IEnumerable<Row>> run, JoinCounts? join = null) =>
        _steps.Add(new PipelineStep(_index, run) { Join = join });

    /// <summary>Adds a step that sorts all rows.</summary>
    public void Step(Sorting sorting) => _steps.Add(new PipelineStep(_index, sorting.Sort) { Sorting = sorting });

    /// <summary>Whether rows are still single records, one after another.</summary>
    private bool OnRecords => _scope is RecordScope && _group is null && _steps.Count == 0;

    /// <summary>Adds a step on each row: a test that may fill its slots.</summary>
    /// <param name="drops">Whether it can drop a row.</param>
    /// <param name="fitSlot">The slot that says whether the row fitted; null for none.</param>
    public void Step(Func<Row, bool> onRow, bool drops, int? fitSlot = null) =>
        (OnRecords ? _recordSteps : _steps).Add(
            new PipelineStep(_index, rows => rows.Where(onRow))
            {
                OnRow = onRow,
                Drops = drops,
                FitSlot = fitSlot,
            }
        );

    /// <summary>Takes out of a condition on samples the parts that tell which series are read; answers with the rest.</summary>
    private Expr? Narrowed(Expr condition)
    {
        if (_scan is null || _steps.Count > 0 || _group is not null)
            return condition;
        var left = new List<Expr>();
        foreach (var part in condition is And and ? and.Items : new Seq<Expr>([condition]))
            if (_scan.Narrow(part) is { } fewer)
                _scan = fewer;
            else
                left.Add(part);
        // What only some of the other series had is no column any more.
        _scope = new ColumnScope(_scan.Columns);
        return left.Count switch
        {
            0 => null,
            1 => left[0],
            _ => new And(new Seq<Expr>(left)),
        };
    }

    /// <summary>Keeps what meets a condition.</summary>
    public void Filter(Expr written)
    {
        if (Narrowed(written) is not { } condition)
            return;
        var test = Compiler.Condition(condition);
        // Times that are moved are not those that are stored.
        if (
            OnRecords
            && _recordSteps.Count == 0
            && _scope is RecordScope { IsPlain: true }
            && (_moved == 0 || !QueryChecker.Mentions(condition, "time"))
        )
        {
            _conditions.Add((_index, condition));
            _tests.Add(test);
        }
        else
            Step(test, drops: true);
    }

    /// <summary>The column of a computed figure, whose unit follows from those it is made of; null where columns have
    /// none.</summary>
    private Column? Followed(Named item) =>
        _scope is ColumnScope columns
        && UnitRules.Of(item.Expr, f => columns.IndexOf(f) is >= 0 and var i ? columns.Columns[i].Unit : "")
            is { Length: > 0 } unit
            ? new Column(item.Name, ColumnRole.Value, ValueKind.Decimal) { Unit = unit }
            : null;

    private Column? KnownColumn(Expr expr) =>
        expr is Field field && _scope is ColumnScope columns && columns.IndexOf(field.Name) is var at and >= 0
            ? columns.Columns[at]
            : null;

    /// <summary>The column that an expression gives: one that is there, or one whose unit follows; null for another.</summary>
    public Column? ColumnLike(Named item) => KnownColumn(item.Expr) ?? Followed(item);

    /// <summary>Gathers rows into groups, where they are read if that can be.</summary>
    internal void Grouped(Group group, Highest? highest)
    {
        if (group.Per is not null && _scope is ColumnScope before && before.IndexOf("time") < 0)
            throw new QueryRefusedException($"per needs a column called time. Keep it in select, or group before.");
        var slices = _group is null ? _context.Slices : null;
        var plan = new GroupPlan(
            group,
            _schema.Window,
            Compiler,
            _context.Context,
            _scope.Bind("time"),
            _context.Limits,
            _context.Memory,
            slices
        )
        {
            Weight =
                OnRecords && _signal == Signal.Spans && !_context.CountsKept
                    ? WeightReader(_context.Fields.Get(SpanFields.Weight))
                    : null,
        };
        var onScan = _scan is not null && _steps.Count == 0 && _group is null;
        if (
            _scan is { HasSeries: true }
            && _group is null
            && !(onScan && _scan.CanGather(plan))
            && plan.Aggregates.FirstOrDefault(a =>
                a.Kind.FollowsCounter && _scope is ColumnScope read && read.Columns.SequenceEqual(_scan.Columns)
            )
                is { } counter
        )
            throw new QueryRefusedException(
                $"{counter.Call.Name} follows each series through all its samples. Group by what series have, and put conditions on value or time behind the group."
            );
        if (slices is not null)
        {
            (_group, _beforeGroup) = ((plan, null, _index), [.. _steps]);
            _steps.Clear();
        }
        else if (OnRecords || (onScan && _scan!.CanGather(plan)))
            _group = (plan, highest, _index);
        else
            Step(rows =>
            {
                var table = new GroupTable(plan);
                foreach (var row in rows)
                    table.Add(row);
                return Pipeline.RowsOf(table.Collect(highest));
            });
        var units = (_scope as ColumnScope)
            ?.Columns.Where(c => c.Unit.Length > 0)
            .ToDictionary(c => c.Name, c => c.Unit, StringComparer.Ordinal)
            ?? [];
        _scope = new ColumnScope([
            .. plan.Columns()
                .Select(c =>
                    c.Role != ColumnRole.Value
                        ? c
                        : c with
                        {
                            Unit = UnitOf(
                                (Call)group.Aggregates.First(a => a.Name == c.Name).Expr,
                                units,
                                _scan?.AreDistributions == true
                            ),
                        }
                ),
        ]);
        _schema = _schema with { Step = plan.IsSliced ? null : plan.Cut?.Length, PartialSteps = plan.PartialSteps };
    }

    private static Func<Row, long> WeightReader(FieldRef weight) =>
        row => row.Source.Field(weight, row.Place) is { IsQuantity: true } value ? SamplingWeight.Times(value.AsDouble) : 1;

    /// <summary>What an aggregate of a column with a unit is measured in.</summary>
    private static string UnitOf(Call call, Dictionary<string, string> units, bool areDistributions)
    {
        var of = call.Arguments.Count > 0 && call.Arguments[0] is Field field ? units.GetValueOrDefault(field.Name, "") : "";
        return AggregateKinds.Of(call).UnitOf(of, areDistributions);
    }

    /// <summary>The other side of a join or union, made ready: a bound query, or a known set.</summary>
    internal Pipeline Other(string name)
    {
        var from = new Language.Query(null, Seq<Stage>.Empty, new From(name));
        var builder = new PipelineBuilder(this);
        builder.Add(from, outermost: false);
        return builder.Finish(from);
    }

    /// <summary>An answer with columns; of records, their fields become columns.</summary>
    internal Frame FrameOf(Pipeline pipeline)
    {
        var answer = _context.Answer(pipeline);
        return pipeline.IsRecords ? RecordColumns.Spread(pipeline, answer, _context.Limits.Rows) : pipeline.Collect(answer);
    }
}
