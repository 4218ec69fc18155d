using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Evaluation;

/// <summary>Gathers rows into groups: keys by canonical text, and steps of time where asked.</summary>
public sealed class Grouping<TRow>
{
    private const string MissingKey = "\0";

    private readonly Group _group;
    private readonly Window _window;
    private readonly Steps? _steps;
    private readonly Func<TRow, Value>[] _keys;
    private readonly (Call Call, Func<TRow, Value> Argument)[] _aggregates;
    private readonly Func<TRow, long> _time;
    private readonly Limits _limits;
    private readonly Dictionary<string, KeyGroups> _groups = new(StringComparer.Ordinal);

    private sealed record KeyGroups(Value[] Keys, Dictionary<int, Accumulator[]> Steps);

    public Grouping(Group group, Window window, Compiler<TRow> compiler, EvaluationContext context, Func<TRow, long> time, Limits limits)
    {
        (_group, _window, _time, _limits) = (group, window, time, limits);
        if (group.Every is { } every)
        {
            var length = every == "auto" ? Steps.RoundFor(window, 120) : Literals.Read(every).AsLong;
            if (Steps.Count(window, length) > limits.Steps)
                throw new QueryRefusedException($"{Steps.Count(window, length):N0} steps of {every} are too many; {limits.Steps:N0} is the most. Take a longer step or a shorter focus.");
            _steps = Steps.Cut(window, length, context.Zone);
        }
        _keys = [.. group.By.Select(b => compiler.Value(b.Expr))];
        _aggregates = [.. group.Aggregates.Select(a => (Call)a.Expr).Select(call => (call, Argument(call, compiler)))];
    }

    private static Func<TRow, Value> Argument(Call call, Compiler<TRow> compiler)
    {
        if (call.Arguments.Count == 0) return _ => Value.True;
        if (call.Name != "count" || call.Arguments[0] is Field) return compiler.Value(call.Arguments[0]);
        // count(condition) counts where it holds, count(field) where there is a value.
        var condition = compiler.Value(call.Arguments[0]);
        return row => condition(row) is var value && value.Kind == ValueKind.Boolean && !value.IsTrue ? Value.Missing : value;
    }

    public void Add(TRow row)
    {
        var time = _time(row);
        var step = _steps?.IndexOf(time) ?? 0;
        if (step < 0) return;
        var key = Key(row, out var values);
        if (!_groups.TryGetValue(key, out var group))
        {
            if (_groups.Count >= _limits.Keys)
                throw new QueryRefusedException($"More than {_limits.Keys:N0} different values of {string.Join(", ", _group.By.Select(b => b.Name))}. Narrow the search, or group by something with fewer values.");
            group = new KeyGroups(values, []);
            _groups.Add(key, group);
        }
        if (!group.Steps.TryGetValue(step, out var accumulators))
        {
            accumulators = Array.ConvertAll(_aggregates, a => Accumulator.Create(a.Call));
            group.Steps.Add(step, accumulators);
        }
        for (var i = 0; i < accumulators.Length; i++) accumulators[i].Add(_aggregates[i].Argument(row), time);
    }

    private string Key(TRow row, out Value[] values)
    {
        if (_keys.Length == 0) { values = []; return ""; }
        values = new Value[_keys.Length];
        for (var i = 0; i < values.Length; i++) values[i] = _keys[i](row);
        if (values.Length == 1) return values[0].IsMissing ? MissingKey : values[0].ToText();
        return string.Join('\u001f', values.Select(v => v.IsMissing ? MissingKey : v.ToText()));
    }

    /// <summary>One row for each key and step, empty steps too, by time and then by the first aggregate, highest first.</summary>
    public Frame Collect()
    {
        // A question without keys has an answer even where nothing was found: zero.
        if (_groups.Count == 0 && _keys.Length == 0) _groups.Add("", new KeyGroups([], []));
        var steps = _steps?.Starts.Count ?? 1;
        if ((long)steps * _groups.Count > _limits.Rows)
            throw new QueryRefusedException($"{steps:N0} steps of {_groups.Count:N0} keys are more than {_limits.Rows:N0} rows. Take a longer step or fewer keys.");
        var first = _keys.Length + (_steps is null ? 0 : 1);
        var rows = new List<Value[]>(steps * _groups.Count);
        foreach (var group in _groups.Values)
            for (var step = 0; step < steps; step++)
            {
                var row = new Value[first + _aggregates.Length];
                if (_steps is not null) row[0] = Value.Time(_steps.Starts[step]);
                group.Keys.CopyTo(row, first - _keys.Length);
                var found = group.Steps.GetValueOrDefault(step);
                for (var i = 0; i < _aggregates.Length; i++)
                    row[first + i] = found is null ? Accumulator.Empty(_aggregates[i].Call.Name) : found[i].Result;
                rows.Add(row);
            }
        rows = [.. rows.OrderBy(r => _steps is null ? 0 : r[0].AsLong).ThenBy(r => r[first], Comparer<Value>.Create((a, b) => a.IsMissing || b.IsMissing ? Comparison.Sort(a, b) : Comparison.Sort(b, a)))];
        return new Frame(new Schema(Columns(rows, first), _steps?.Length, _window), rows);
    }

    private List<Column> Columns(List<Value[]> rows, int first)
    {
        var columns = new List<Column>();
        if (_steps is not null) columns.Add(new Column("time", ColumnRole.Time, ValueKind.Time));
        columns.AddRange(_group.By.Select(b => new Column(b.Name, ColumnRole.Key)));
        columns.AddRange(_group.Aggregates.Select((a, i) => new Column(a.Name, ColumnRole.Value, KindOf(rows, first + i))));
        return columns;
    }

    private static ValueKind KindOf(List<Value[]> rows, int column)
    {
        foreach (var row in rows) if (!row[column].IsMissing) return row[column].Kind;
        return ValueKind.Decimal;
    }
}
