using Kumiko.Core.Evaluation;
using Kumiko.Core.Language;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Columns;
using Kumiko.Core.Storage.Segments;
using Kumiko.Core.Storage.Patterns;

namespace Kumiko.Core.Query.Execution;

/// <summary>Groups the rows of a segment by its columns: keys become numbers first, and texts only once for each number.</summary>
internal sealed class ColumnGrouping(GroupPlan plan, FieldRefs fields, PatternView? patterns, long moved)
{
    private const int LargestTable = 1 << 16;
    private const int CancelEvery = 8_192;

    /// <summary>Numbers that stand for the values of a key, row by row.</summary>
    private sealed record Codes(int[] OfRow, List<Value> Values);

    /// <summary>Adds rows of a segment to a table.</summary>
    public void Add(SegmentScan scan, Bits rows, GroupTable table, CancellationToken cancel)
    {
        using var arena = new Arena();
        var keys = Array.ConvertAll([.. plan.Group.By], b => CodesOf(b.Expr, scan, arena, plan.Keys[IndexOf(b)]));
        var buffer = arena.Ints(scan.Count);
        ReadOnlySpan<int> places = buffer.AsSpan(0, rows.ToPlaces(buffer));
        var (combined, groups) = Combine(keys, scan.Count, places, table, arena);
        var countsOnly = Array.TrueForAll(plan.Aggregates, a => a.CountsRows);
        var needIds = Array.Exists(plan.Aggregates, a => a.Call.Name is "first" or "last" or "increase" or "per_second");
        var arguments = Array.ConvertAll(plan.Aggregates, a => Argument(a, scan, arena));
        var starts = plan.Cut;
        var (step, stepEnd) = (0, long.MaxValue);
        var current = new Accumulator[]?[groups.Length];
        var counts = countsOnly ? new long[groups.Length] : [];
        ReadOnlySpan<long> times = starts is null && !needIds ? [] : scan.Times;
        var sequences = needIds ? scan.Sequences : [];
        var first = true;
        for (var read = 0; read < places.Length; read++)
        {
            var row = places[read];
            if (read % CancelEvery == 0) cancel.ThrowIfCancellationRequested();
            if (starts is not null && (first || times[row] + moved >= stepEnd))
            {
                if (countsOnly) Flush(counts, groups, step, table);
                Array.Clear(current);
                step = starts.IndexOf(times[row] + moved);
                stepEnd = step < 0 ? starts.Starts.Count > 0 ? starts.Starts[0] : long.MaxValue : step == starts.Starts.Count - 1 ? long.MaxValue : starts.Starts[step + 1];
                first = false;
            }
            if (step < 0) continue;
            var group = combined[row];
            if (countsOnly) { counts[group]++; continue; }
            var accumulators = current[group] ??= table.At(groups[group], step);
            var id = needIds ? new RecordId(times[row] + moved, sequences[row]) : default;
            for (var i = 0; i < accumulators.Length; i++)
            {
                ref readonly var argument = ref arguments[i];
                if (argument.Wholes is null) accumulators[i].Add(argument.First!(row), argument.Second?.Invoke(row) ?? Value.Missing, id);
                else if (argument.There![row] != 0) accumulators[i].AddWhole(argument.Kind, argument.Wholes[row], id);
            }
        }
        if (countsOnly) Flush(counts, groups, step, table);
    }

    private int IndexOf(Named key)
    {
        for (var i = 0; i < plan.Group.By.Count; i++) if (ReferenceEquals(plan.Group.By[i], key)) return i;
        return -1;
    }

    private void Flush(long[] counts, KeyGroups[] groups, int step, GroupTable table)
    {
        for (var g = 0; g < counts.Length; g++)
        {
            if (counts[g] == 0) continue;
            foreach (var accumulator in table.At(groups[g], step)) ((CountAccumulator)accumulator).Add(counts[g]);
            counts[g] = 0;
        }
    }

    /// <summary>How an aggregate's argument is read: by a function, or out of a column of whole numbers.</summary>
    private readonly record struct ArgumentReader(Func<int, Value>? First, Func<int, Value>? Second)
    {
        public long[]? Wholes { get; init; }
        public byte[]? There { get; init; }
        public ValueKind Kind { get; init; }
    }

    private ArgumentReader Argument(Aggregate aggregate, SegmentScan scan, Arena arena)
    {
        if (aggregate.CountsRows) return new ArgumentReader(_ => Value.True, null);
        if (aggregate.Second is null && aggregate.Call.Arguments[0] is Field field && !RecordFields.BuiltIn.Contains(field.Name) && aggregate.Call.Name is not ("count" or "distinct"))
        {
            var (wholes, there) = (arena.Longs(scan.Count), arena.Bytes(scan.Count));
            if (scan.Column(fields.Get(field.Name)).TryWholes(wholes.AsSpan(0, scan.Count), there.AsSpan(0, scan.Count), out var kind)) return new ArgumentReader(null, null) { Wholes = wholes, There = there, Kind = kind };
        }
        return new ArgumentReader(Reader(aggregate.Call.Arguments[0], aggregate.Argument, aggregate.Call.Name, scan), aggregate.Second is { } second ? Reader(aggregate.Call.Arguments[1], second, "", scan) : null);
    }

    private Func<int, Value> Reader(Expr expr, Func<Row, Value> compiled, string aggregate, SegmentScan scan)
    {
        if (expr is Field field && (aggregate != "count" || field.Name != "body") && !RecordFields.BuiltIn.Contains(field.Name)) return scan.Column(fields.Get(field.Name)).Of;
        var moved = this.Source(scan);
        return row => compiled(new Row(moved, row, []));
    }

    private RowSource Source(SegmentScan scan) => moved == 0 ? scan : new MovedSource(scan, moved);

    /// <summary>One number for each combination of keys that rows have, and the group it stands for.</summary>
    private static (int[] OfRow, KeyGroups[] Groups) Combine(Codes[] keys, int count, ReadOnlySpan<int> rows, GroupTable table, Arena arena)
    {
        var combined = arena.Ints(count);
        var groups = new List<KeyGroups>();
        var values = new Value[keys.Length];
        if (keys.Length == 0)
        {
            Array.Clear(combined, 0, count);
            return (combined, rows.IsEmpty ? [] : [table.Group([])]);
        }
        long size = 1;
        foreach (var key in keys) size = Math.Min(size * Math.Max(1, key.Values.Count), int.MaxValue);
        var small = size <= LargestTable ? new int[size] : null;
        var large = small is null ? new Dictionary<UInt128, int>() : null;
        foreach (var row in rows)
        {
            UInt128 code = 0;
            var place = 0;
            if (small is not null)
            {
                foreach (var key in keys) place = (place * key.Values.Count) + key.OfRow[row];
                if (small[place] is var known and > 0) { combined[row] = known - 1; continue; }
            }
            else
            {
                foreach (var key in keys) code = (code * (uint)key.Values.Count) + (uint)key.OfRow[row];
                if (large!.TryGetValue(code, out var known)) { combined[row] = known; continue; }
            }
            for (var k = 0; k < keys.Length; k++) values[k] = keys[k].Values[keys[k].OfRow[row]];
            groups.Add(table.Group(values));
            combined[row] = groups.Count - 1;
            if (small is not null) small[place] = groups.Count; else large!.Add(code, groups.Count - 1);
        }
        return (combined, [.. groups]);
    }

    private Codes CodesOf(Expr key, SegmentScan scan, Arena arena, Func<Row, Value> compiled)
    {
        var codes = arena.Ints(scan.Count);
        if (key is Field field)
        {
            switch (field.Name)
            {
                case "level":
                    var severities = scan.Severities;
                    for (var i = 0; i < scan.Count; i++) codes[i] = severities[i];
                    return new Codes(codes, [.. Enumerable.Range(0, 256).Select(Value.Level)]);
                case "service" or "host":
                    var names = new Numbering();
                    int[] ofResource = [.. scan.Resources.Select(r => names.Of(field.Name == "service" ? r.Service : r.Host))];
                    var resources = scan.ResourceOfRow;
                    for (var i = 0; i < resources.Length; i++) codes[i] = ofResource[resources[i]];
                    return new Codes(codes, names.Values);
                case "pattern":
                    scan.Bodies.TemplateOfRow.CopyTo(codes);
                    return new Codes(codes, [.. scan.Bodies.Templates.Select(t => patterns?.ValueOf(t.Id) ?? Value.Missing)]);
                case "source": return OfTexts(scan.Origin, codes, scan.Count);
                case "severity_text": return OfTexts(scan.SeverityText, codes, scan.Count);
                case "trace_id": return OfTexts(scan.TraceId, codes, scan.Count);
                case "span_id": return OfTexts(scan.SpanId, codes, scan.Count);
                case "time" or "observed" or "body": break;
                default:
                    if (scan.Column(fields.Get(field.Name)) is { RowByRow: false } column) return OfColumn(column, scan, codes);
                    break;
            }
        }
        // What is computed is asked of each row, and told apart by its value.
        var source = Source(scan);
        var numbering = new Numbering();
        for (var row = 0; row < scan.Count; row++) codes[row] = numbering.Of(compiled(new Row(source, row, [])));
        return new Codes(codes, numbering.Values);
    }

    private static Codes OfTexts((int[] Places, TextVector Texts) column, int[] codes, int count)
    {
        var numbering = new Numbering();
        var ofPlace = OfTexts(column.Texts, numbering);
        var missing = numbering.Of(Value.Missing);
        for (var row = 0; row < count; row++) codes[row] = column.Places[row] is var place and >= 0 ? ofPlace[place] : missing;
        return new Codes(codes, numbering.Values);
    }

    private static int[] OfTexts(TextVector texts, Numbering numbering)
    {
        var codes = new int[texts.Count];
        if (texts.Entries == 0)
        {
            for (var i = 0; i < codes.Length; i++) codes[i] = numbering.Of(Value.Of(texts.Text(i)));
            return codes;
        }
        var ofEntry = new int[texts.Entries];
        for (var e = 0; e < ofEntry.Length; e++) ofEntry[e] = numbering.Of(Value.Of(texts.EntryText(e)));
        var places = texts.Places;
        for (var i = 0; i < codes.Length; i++) codes[i] = ofEntry[places[i]];
        return codes;
    }

    private static Codes OfColumn(FieldColumn column, SegmentScan scan, int[] codes)
    {
        var numbering = new Numbering();
        var missing = numbering.Of(Value.Missing);
        int[] ofResource = [.. column.OfResource.Select(v => numbering.Of(v))];
        column.Codes(codes.AsSpan(0, scan.Count), c =>
        {
            var values = scan.Attributes.Column(c);
            if (values.Texts is { } texts) return OfTexts(texts, numbering);
            var numbers = new int[scan.Attributes.CountOf(c)];
            for (var i = 0; i < numbers.Length; i++) numbers[i] = numbering.Of(values[i]);
            return numbers;
        }, ofResource, missing);
        return new Codes(codes, numbering.Values);
    }

    /// <summary>Numbers for different values, counted from 0.</summary>
    private sealed class Numbering
    {
        private readonly Dictionary<Value, int> _places = [];
        public List<Value> Values { get; } = [];

        public int Of(in Value value)
        {
            if (_places.TryGetValue(value, out var place)) return place;
            _places.Add(value, place = Values.Count);
            Values.Add(value);
            return place;
        }
    }
}
