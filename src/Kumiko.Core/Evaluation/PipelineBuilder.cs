using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Evaluation;

/// <summary>Makes a query ready, stage by stage.</summary>
public sealed partial class PipelineBuilder
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
            Add(query.Stages[i], next);
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
        if (_set == "logs")
            return;
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

    private Compiler Compiler => new(_context.Context, _scope);

    private void Add(Stage stage, Stage? next)
    {
        switch (stage)
        {
            case Where where:
                Filter(where.Condition);
                break;
            case SetFields set:
                foreach (var item in set.Items)
                    Set(item.Name, Compiler.Value(item.Expr), KnownColumn(item.Expr) ?? Followed(item));
                break;
            case Parse parse:
                Parse(parse);
                break;
            case Select select:
                Select(select.Columns);
                break;
            case SelectAll all:
                Remove(all.Except.Select(f => f.Name).ToHashSet(StringComparer.Ordinal));
                break;
            case Group group:
                Grouped(group, next as Highest);
                break;
            // It was taken into the group before it.
            case Highest:
                break;
            case Gaps gaps:
                var (columns, step) = (Columns("gaps"), _schema.Step);
                Step(rows => GapFilling.Fill(gaps, rows, columns, step));
                break;
            case OrderBy order:
                Order(order, next as Limit);
                break;
            case Limit limit:
                Limited(limit);
                break;
            case Join join:
                Joined(join);
                break;
            case Union union:
                United(union);
                break;
            default:
                throw new ArgumentOutOfRangeException(nameof(stage));
        }
    }

    private IReadOnlyList<Column> Columns(string stage) =>
        (_scope as ColumnScope)?.Columns
        ?? throw new QueryRefusedException($"{stage} needs columns. Write group or select before it.");

    private void Step(Func<IEnumerable<Row>, IEnumerable<Row>> run, JoinCounts? join = null) =>
        _steps.Add(new PipelineStep(_index, run) { Join = join });

    /// <summary>Whether rows are still single records, one after another.</summary>
    private bool OnRecords => _scope is RecordScope && _group is null && _steps.Count == 0;

    private void Step(Func<Row, bool> onRow, bool drops, int? fitSlot = null) =>
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

    private void Filter(Expr written)
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

    private void Set(string name, Func<Row, Value> value, Column? like)
    {
        if (_scope is RecordScope records)
        {
            var slot = _slots++;
            _scope = records.With(name, slot);
            Step(
                row =>
                {
                    row.Slots[slot] = value(row);
                    return true;
                },
                drops: false
            );
            return;
        }
        var columns = ((ColumnScope)_scope).Columns;
        var at = ((ColumnScope)_scope).IndexOf(name);
        var column = like is null ? new Column(name, ColumnRole.Value) : like with { Name = name };
        if (at >= 0 && columns[at].Role == ColumnRole.Key)
            column = column with { Role = ColumnRole.Key };
        _scope = new ColumnScope(at < 0 ? [.. columns, column] : [.. columns.Select((c, i) => i == at ? column : c)]);
        Step(rows =>
            rows.Select(row =>
            {
                var slots = new Value[at < 0 ? row.Slots.Length + 1 : row.Slots.Length];
                row.Slots.CopyTo(slots, 0);
                slots[at < 0 ? ^1 : at] = value(row);
                return row with { Slots = slots };
            })
        );
    }

    private Column? KnownColumn(Expr expr) =>
        expr is Field field && _scope is ColumnScope columns && columns.IndexOf(field.Name) is var at and >= 0
            ? columns.Columns[at]
            : null;

    private void Select(Seq<Named> items)
    {
        var columns = items
            .Select(item =>
                KnownColumn(item.Expr) is { } known
                    ? known with
                    {
                        Name = item.Name,
                    }
                    : Followed(item)
                        ?? new Column(
                            item.Name,
                            _scope is ColumnScope ? ColumnRole.Value : ColumnRole.Detail,
                            _scope is RecordScope && item.Expr is Field { Name: "time" } ? ValueKind.Time : ValueKind.Text
                        )
            )
            .ToList();
        var values = items.Select(item => Compiler.Value(item.Expr)).ToArray();
        Step(rows => rows.Select((row, i) => new Row(RowSource.Columns, i, Array.ConvertAll(values, value => value(row)))));
        _scope = new ColumnScope(columns);
        if (!columns.Exists(c => c.Role == ColumnRole.Time))
            _schema = _schema with { Step = null };
    }

    private void Remove(IReadOnlySet<string> names)
    {
        if (_scope is RecordScope records)
        {
            _scope = names.Aggregate(records, (scope, name) => scope.Without(name));
            Step(_ => true, drops: false);
            return;
        }
        var columns = ((ColumnScope)_scope).Columns;
        var kept = Enumerable.Range(0, columns.Count).Where(i => !names.Contains(columns[i].Name)).ToArray();
        Step(rows => rows.Select(row => row with { Slots = Array.ConvertAll(kept, i => row.Slots[i]) }));
        _scope = new ColumnScope([.. kept.Select(i => columns[i])]);
        if (names.Contains("time"))
            _schema = _schema with { Step = null };
    }

    private void Grouped(Group group, Highest? highest)
    {
        if (group.Per is not null && _scope is ColumnScope before && before.IndexOf("time") < 0)
            throw new QueryRefusedException($"every needs a column called time. Keep it in select, or group before.");
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
        );
        var onScan = _scan is not null && _steps.Count == 0 && _group is null;
        if (
            _scan is { HasSeries: true }
            && _group is null
            && !(onScan && _scan.CanGather(plan))
            && plan.Aggregates.FirstOrDefault(a =>
                a.Call.Computes is "growth" or "per_second"
                && _scope is ColumnScope read
                && read.Columns.SequenceEqual(_scan.Columns)
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

    /// <summary>What an aggregate of a column with a unit is measured in.</summary>
    private static string UnitOf(Call call, Dictionary<string, string> units, bool areDistributions)
    {
        var of = call.Arguments.Count > 0 && call.Arguments[0] is Field field ? units.GetValueOrDefault(field.Name, "") : "";
        // The growth of a histogram is a number of values, whatever they are measured in.
        if (areDistributions && call.Computes == "growth")
            of = "";
        if (areDistributions && call.Computes == "per_second")
            return "{value}/s";
        return call.Computes switch
        {
            "count" or "distinct" or "correlate" => "",
            "share" => "1",
            "per_second()" => "{record}/s",
            "per_second" => of.Length == 0 ? ""
            : of == "s" ? "1"
            : of + "/s",
            _ => of,
        };
    }

    private void Order(OrderBy order, Limit? next)
    {
        var keys = order.Items.Select(item => (Value: Compiler.Value(item.Expr), item.Descending)).ToArray();
        // With a limit behind it only so many rows need to be held.
        var most = next is { By.Count: 0 } limit ? (int?)Math.Min(limit.Count, int.MaxValue) : null;
        Step(rows => Sorting.Sort(rows, keys, most, _context.Limits));
    }

    private void Limited(Limit limit)
    {
        if (limit.By.Count == 0)
        {
            Step(rows => rows.Take((int)Math.Min(limit.Count, int.MaxValue)));
            return;
        }
        var keys = limit.By.Select(Compiler.Value).ToArray();
        Step(rows => Each(rows));

        IEnumerable<Row> Each(IEnumerable<Row> rows)
        {
            var seen = new Dictionary<string, long>(StringComparer.Ordinal);
            foreach (var row in rows)
            {
                var key = GroupTable.NameOf(Array.ConvertAll(keys, k => k(row)));
                if (!seen.ContainsKey(key))
                    _context.Memory.Take(100);
                if ((seen[key] = seen.GetValueOrDefault(key) + 1) <= limit.Count)
                    yield return row;
            }
        }
    }
}
