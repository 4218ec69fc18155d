using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Evaluation;

public sealed partial class PipelineBuilder
{
    private void Parse(Parse parse)
    {
        var source = Compiler.Value(parse.Source);
        var only = parse.Only;
        if (parse.Shape is ParseShape.Json or ParseShape.Logfmt)
        {
            Func<string, Value> read =
                parse.Shape == ParseShape.Json
                    ? text => JsonValues.TryRead(text, out var value) && value.Kind == ValueKind.Object ? value : Value.Missing
                    : text => Logfmt.Read(text) is { } pairs ? Value.Of(pairs) : Value.Missing;
            if (_scope is not RecordScope records)
                throw new QueryRefusedException($"parse as json and logfmt read records. Write them before group and select.");
            var slot = _slots++;
            _scope = records.WithObject(slot);
            Fit(
                row =>
                    !(
                        row.Slots[slot] = source(row) is { IsMissing: false } text
                            ? text.Kind == ValueKind.Object
                                ? text
                                : read(text.ToText())
                            : Value.Missing
                    ).IsMissing,
                only
            );
            return;
        }
        var (names, cut) = Cutter(parse);
        if (_scope is RecordScope scope)
        {
            var first = _slots;
            _slots += names.Count;
            for (var i = 0; i < names.Count; i++)
                scope = scope.With(names[i], first + i);
            _scope = scope;
            var length = names.Count;
            Fit(row => source(row) is { IsMissing: false } text && cut(text.ToText(), row.Slots.AsSpan(first, length)), only);
            return;
        }
        var columns = ((ColumnScope)_scope).Columns;
        var added = names.Where(n => ((ColumnScope)_scope).IndexOf(n) < 0).ToList();
        var places = names
            .Select(n => ((ColumnScope)_scope).IndexOf(n) is var at and >= 0 ? at : columns.Count + added.IndexOf(n))
            .ToArray();
        _scope = new ColumnScope([.. columns, .. added.Select(n => new Column(n, ColumnRole.Detail))]);
        Step(rows =>
            rows.Select(row =>
                {
                    var slots = new Value[columns.Count + added.Count];
                    Array.Fill(slots, Value.Missing);
                    row.Slots.CopyTo(slots, 0);
                    var values = new Value[names.Count];
                    var fits = source(row) is { IsMissing: false } text && cut(text.ToText(), values);
                    for (var i = 0; i < places.Length; i++)
                        slots[places[i]] = fits ? values[i] : Value.Missing;
                    return (Keep: fits || !only, Row: row with { Slots = slots });
                })
                .Where(r => r.Keep)
                .Select(r => r.Row)
        );
    }

    /// <summary>A step that remembers in a slot whether the row fitted.</summary>
    private void Fit(Func<Row, bool> fits, bool only)
    {
        var slot = _slots++;
        Step(
            row =>
            {
                var fit = fits(row);
                row.Slots[slot] = Value.Of(fit);
                return fit || !only;
            },
            drops: only,
            slot
        );
    }

    private delegate bool Cut(string text, Span<Value> values);

    private static (IReadOnlyList<string> Names, Cut Cut) Cutter(Parse parse)
    {
        if (parse.Shape == ParseShape.Template)
        {
            var template = new TemplateMatcher(parse.Pattern);
            return (template.Names, (text, values) => template.TryRead(text, values));
        }
        var regex = Regexes.Of(parse.Pattern, parse.Flags);
        string[] names = [.. regex.GetGroupNames().Where(n => !char.IsAsciiDigit(n[0]))];
        return (names, (text, values) =>
        {
            var match = regex.Match(text);
            for (var i = 0; match.Success && i < names.Length; i++)
                values[i] = match.Groups[names[i]] is { Success: true } group ? Value.Of(group.Value) : Value.Missing;
            return match.Success;
        });
    }

    /// <summary>The other side of a join or union, made ready: a bound query, or a known set.</summary>
    private Pipeline Other(string name)
    {
        var from = new Language.Query(null, Seq<Stage>.Empty, new From(name));
        var builder = new PipelineBuilder(this);
        builder.Add(from, outermost: false);
        return builder.Finish(from);
    }

    /// <summary>An answer with columns; of records, their fields become columns.</summary>
    private Frame Frame(Pipeline pipeline)
    {
        var answer = _context.Answer(pipeline);
        return pipeline.IsRecords ? RecordColumns.Spread(pipeline, answer, _context.Limits.Rows) : pipeline.Collect(answer);
    }

    private void Joined(Join join)
    {
        var right = Other(join.Right);
        var onTime = join.On.Any(f => f.Name == "time");
        if (onTime && _schema.Step is { } step && right.Schema.Step is { } other && step != other)
            throw new QueryRefusedException(
                $"The two sides of join {join.Right} have steps of {Quantities.Duration(step)} and {Quantities.Duration(other)}. Give both the same step."
            );
        var counts = new JoinCounts();
        // The right side is read once, when the first row asks for it.
        var joiner = new Lazy<Joiner>(() => new Joiner(join, Frame(right), counts));
        // Names must be known now; those of records are what their fields turn out to be.
        var names = right.IsRecords
            ? [.. joiner.Value.Names]
            : right.Schema.Columns.Select(c => c.Name).Where(n => join.On.All(f => f.Name != n)).ToList();
        var keys = join.On.Select(f => _scope.Bind(f.Name)).ToArray();
        var time = _scope.Bind("time");
        if (_scope is RecordScope records)
        {
            var first = _slots;
            _slots += names.Count;
            for (var i = 0; i < names.Count; i++)
                records = records.With($"{join.Right}.{names[i]}", first + i);
            _scope = records;
            var slots = first;
            Step(rows => joiner.Value.Join(rows, keys, time, (row, values) =>
                    {
                        var all = row.Slots.ToArray();
                        for (var i = 0; i < names.Count; i++)
                            all[slots + i] = values is null ? Value.Missing : values[i];
                        return row with { Slots = all };
                    }), join: counts);
            return;
        }
        var columns = ((ColumnScope)_scope).Columns;
        var roles = right.Schema.Columns.ToDictionary(c => c.Name, c => c, StringComparer.Ordinal);
        _scope = new ColumnScope([
            .. columns,
            .. names.Select(n =>
                roles.TryGetValue(n, out var c)
                    ? c with
                    {
                        Name = $"{join.Right}.{n}",
                        Role = c.Role == ColumnRole.Time ? ColumnRole.Detail : c.Role,
                    }
                    : new Column($"{join.Right}.{n}", ColumnRole.Detail)
            ),
        ]);
        Step(rows => joiner.Value.Join(rows, keys, time, (row, values) =>
                {
                    var all = new Value[columns.Count + names.Count];
                    row.Slots.CopyTo(all, 0);
                    for (var i = 0; i < names.Count; i++)
                        all[columns.Count + i] = values is null ? Value.Missing : values[i];
                    return row with { Slots = all };
                }), join: counts);
    }

    private void United(Union union)
    {
        var right = Other(union.Right);
        if (_scope is RecordScope left && right.Scope is RecordScope other)
        {
            var (l, r) = (left, other);
            var merged = new RecordScope(_context.Fields);
            string[] added = [.. l.Added.Union(r.Added, StringComparer.Ordinal)];
            var first = _slots;
            _slots += added.Length + 1;
            for (var i = 0; i < added.Length; i++)
                merged = merged.With(added[i], first + i);
            var (fromLeft, fromRight) = (added.Select(l.Bind).ToArray(), added.Select(r.Bind).ToArray());
            var length = _slots;
            Row Take(Row row, Func<Row, Value>[] values)
            {
                var slots = new Value[length];
                Array.Fill(slots, Value.Missing);
                for (var i = 0; i < values.Length; i++)
                    slots[first + i] = values[i](row);
                return row with { Slots = slots };
            }
            Step(rows =>
                Merge(rows.Select(row => Take(row, fromLeft)), _context.Answer(right).Select(row => Take(row, fromRight)))
            );
            _scope = merged;
            return;
        }
        if (_scope is RecordScope)
            throw new QueryRefusedException(
                $"union {union.Right} has columns and the rows before it are records. Write group or select before it."
            );
        var columns = ((ColumnScope)_scope).Columns;
        if (right.IsRecords)
            throw new QueryRefusedException(
                $"{union.Right} has records and the rows before union have columns. Write group or select in it."
            );
        var more = right.Schema.Columns;
        IReadOnlyList<Column> all = [.. columns, .. more.Where(c => columns.All(known => known.Name != c.Name))];
        var placesLeft = all.Select(c => IndexOf(columns, c.Name)).ToArray();
        var placesRight = all.Select(c => IndexOf(more, c.Name)).ToArray();
        var time = IndexOf(all, "time");
        Step(rows =>
        {
            var both = rows.Select(row => Arranged(row, placesLeft))
                .Concat(_context.Answer(right).Select(row => Arranged(row, placesRight)));
            return time < 0 ? both : both.OrderBy(row => row.Slots[time], Comparer<Value>.Create(Comparison.Sort));
        });
        _scope = new ColumnScope(all);
        if (right.Schema.Step != _schema.Step)
            _schema = _schema with { Step = null };
    }

    private static Row Arranged(Row row, int[] places) =>
        row with
        {
            Slots = Array.ConvertAll(places, at => at < 0 ? Value.Missing : row.Slots[at]),
        };

    private static int IndexOf(IReadOnlyList<Column> columns, string name)
    {
        for (var i = 0; i < columns.Count; i++)
            if (columns[i].Name == name)
                return i;
        return -1;
    }

    /// <summary>Two streams, each newest first, as one.</summary>
    private static IEnumerable<Row> Merge(IEnumerable<Row> left, IEnumerable<Row> right)
    {
        using var a = left.GetEnumerator();
        using var b = right.GetEnumerator();
        var (hasA, hasB) = (a.MoveNext(), b.MoveNext());
        while (hasA || hasB)
        {
            if (!hasB || (hasA && a.Current.Id >= b.Current.Id))
            {
                yield return a.Current;
                hasA = a.MoveNext();
            }
            else
            {
                yield return b.Current;
                hasB = b.MoveNext();
            }
        }
    }
}
