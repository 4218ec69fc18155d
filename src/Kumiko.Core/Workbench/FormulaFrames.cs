using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;

namespace Kumiko.Core.Workbench;

/// <summary>A formula over frames, matched by time and by the keys that they share.</summary>
public static class FormulaFrames
{
    private const int MostTold = 3;

    /// <summary>
    /// The formula's frame: for each time and keys of any part with the most keys, the formula's value. Parts with fewer keys
    /// count for all values of
    /// those that they lack.
    /// </summary>
    /// <param name="parts">Frames by name; the first figure of each counts.</param>
    public static (Frame? Frame, string? Problem, IReadOnlyList<string> Notes) Of(
        string name,
        SeriesFormula formula,
        IReadOnlyList<(string Name, Frame Frame)> parts,
        EvaluationContext context
    )
    {
        var schemas = parts.Select(p => (p.Name, p.Frame, Keys: KeysOf(p.Frame.Schema))).ToList();
        var widest = schemas.MaxBy(s => s.Keys.Count);
        foreach (var part in schemas)
        {
            if (part.Keys.FirstOrDefault(k => !widest.Keys.Contains(k)) is { } stray)
                return (
                    null,
                    $"{part.Name} is told apart by {stray} and {widest.Name} by {(widest.Keys.Count == 0 ? "nothing" : string.Join(", ", widest.Keys))}. Group both by the same fields.",
                    []
                );
            if (part.Frame.Schema.Step != widest.Frame.Schema.Step)
                return (
                    null,
                    $"{part.Name} has steps of {Length(part.Frame)} and {widest.Name} of {Length(widest.Frame)}. Give both the same step.",
                    []
                );
        }
        var looks = schemas.Select(s => new PartValues(s.Frame, s.Keys)).ToList();
        // Rows are those of every part that has all keys, each once, in order of time.
        var rows = new Dictionary<string, Value[]>(StringComparer.Ordinal);
        foreach (var (part, look) in schemas.Zip(looks).Where(p => p.First.Keys.Count == widest.Keys.Count))
        foreach (var row in part.Frame.Rows)
        {
            Value[] keys = [row[look.Time], .. widest.Keys.Select(k => row[part.Frame.Schema.IndexOf(k)])];
            rows.TryAdd(NameOf(keys[0], keys.AsSpan(1)), keys);
        }
        IReadOnlyList<Column> columns = [.. parts.Select(p => new Column(p.Name, ColumnRole.Value))];
        var value = new Compiler(context, new ColumnScope(columns)).Value(formula.Expr);
        var (lacking, met) = (new int[parts.Count], new HashSet<string>[parts.Count]);
        var (groups, answer) = (new HashSet<string>(StringComparer.Ordinal), new List<Value[]>(rows.Count));
        for (var p = 0; p < met.Length; p++)
            met[p] = new HashSet<string>(StringComparer.Ordinal);
        foreach (var keys in rows.Values.OrderBy(k => k[0].AsLong))
        {
            var slots = new Value[parts.Count];
            var group = string.Join(" · ", keys[1..].Select(k => k.ToText()));
            groups.Add(group);
            for (var p = 0; p < slots.Length; p++)
            {
                slots[p] = looks[p].At(keys[0], widest.Keys, keys);
                if (!slots[p].IsMissing)
                    met[p].Add(group);
            }
            // Where no part has a value there is nothing that could find a partner.
            if (Array.Exists(slots, s => !s.IsMissing))
                for (var p = 0; p < slots.Length; p++)
                    if (slots[p].IsMissing)
                        lacking[p]++;
            answer.Add([.. keys, value(new Row(RowSource.Columns, 0, slots))]);
        }
        var unit = UnitRules.Of(formula.Expr, f =>
            parts.First(p => p.Name == f).Frame.Schema.Columns.First(c => c.Role == ColumnRole.Value).Unit
        );
        IReadOnlyList<Column> made =
        [
            widest.Frame.Schema.Columns[looks[schemas.IndexOf(widest)].Time],
            .. widest.Keys.Select(k => widest.Frame.Schema.Columns[widest.Frame.Schema.IndexOf(k)]),
            new Column(name, ColumnRole.Value) { Unit = unit },
        ];
        return (
            new Frame(widest.Frame.Schema with { Columns = Frame.WithKinds(made, answer) }, answer),
            null,
            Notes(parts, lacking, met, groups, answer.Count)
        );
    }

    private static List<string> Notes(
        IReadOnlyList<(string Name, Frame Frame)> parts,
        int[] lacking,
        HashSet<string>[] met,
        HashSet<string> groups,
        int rows
    )
    {
        var notes = new List<string>();
        for (var p = 0; p < parts.Count; p++)
        {
            if (lacking[p] == 0)
                continue;
            var strangers = groups.Where(g => g.Length > 0 && !met[p].Contains(g)).Order(StringComparer.Ordinal).ToList();
            notes.Add(
                strangers.Count > 0
                    ? $"{parts[p].Name} has nothing for {string.Join(", ", strangers.Take(MostTold))}{(strangers.Count > MostTold ? $" and {strangers.Count - MostTold} more" : "")}."
                    : $"{parts[p].Name} has no value at {lacking[p]} of {rows} steps."
            );
        }
        return notes;
    }

    private static string Length(Frame frame) => frame.Schema.Step is { } step ? Quantities.Duration(step) : "no length";

    private static List<string> KeysOf(Schema schema) =>
        [.. schema.Columns.Where(c => c.Role == ColumnRole.Key).Select(c => c.Name)];

    private static string NameOf(Value time, ReadOnlySpan<Value> keys)
    {
        var name = new System.Text.StringBuilder().Append(time.AsLong);
        foreach (var key in keys)
            name.Append('\0').Append(key.IsMissing ? "\u0001" : key.ToText());
        return name.ToString();
    }

    /// <summary>The figures of a part by time and its keys.</summary>
    private sealed class PartValues
    {
        private readonly Dictionary<string, Value> _values = new(StringComparer.Ordinal);
        private readonly List<string> _keys;

        public PartValues(Frame frame, List<string> keys)
        {
            _keys = keys;
            Time = frame.Schema.IndexOf(ColumnRole.Time);
            int[] at = [.. keys.Select(frame.Schema.IndexOf)];
            var figure = frame.Schema.IndexOf(ColumnRole.Value);
            foreach (var row in frame.Rows)
                _values[NameOf(row[Time], Array.ConvertAll(at, i => row[i]))] = row[figure];
        }

        public int Time { get; }

        /// <param name="names">Names of the keys behind the first of <paramref name="keys"/>, which is the time.</param>
        public Value At(Value time, List<string> names, Value[] keys) =>
            _values.GetValueOrDefault(NameOf(time, [.. _keys.Select(k => keys[1 + names.IndexOf(k)])]), Value.Missing);
    }
}
