using Kumiko.Core.Frames;
using Kumiko.Core.Records;

namespace Kumiko.Core.Evaluation;

/// <summary>The columns that records have as rows of an answer.</summary>
public static class RecordColumns
{
    private const int MostSpread = 500;

    /// <summary>The column that holds a record's attributes as one object.</summary>
    public const string AllAttributes = "attributes";

    private static readonly Column[] OfSpans =
    [
        new("time", ColumnRole.Time, ValueKind.Time),
        new("service", ColumnRole.Key),
        new("host", ColumnRole.Key),
        new("operation", ColumnRole.Key),
        new("kind", ColumnRole.Key),
        new("status", ColumnRole.Key),
        new("duration", ColumnRole.Value, ValueKind.Duration),
        new("trace_id", ColumnRole.Detail),
        new("span_id", ColumnRole.Detail),
        new("parent_id", ColumnRole.Detail),
        new("message", ColumnRole.Detail),
        new(AllAttributes, ColumnRole.Detail, ValueKind.Object),
        new("source", ColumnRole.Detail),
    ];

    private static readonly Column[] OfLogs =
    [
        new("time", ColumnRole.Time, ValueKind.Time),
        new("level", ColumnRole.Detail, ValueKind.Level),
        new("service", ColumnRole.Detail),
        new("host", ColumnRole.Detail),
        new("body", ColumnRole.Detail),
        new(AllAttributes, ColumnRole.Detail, ValueKind.Object),
        new("trace_id", ColumnRole.Detail),
        new("span_id", ColumnRole.Detail),
        new("source", ColumnRole.Detail),
    ];

    private static Column[] All(RecordScope scope) => scope.Signal == Signal.Spans ? OfSpans : OfLogs;

    /// <summary>What every record has, but for what the query left out, then what it computed.</summary>
    public static Schema Schema(RecordScope scope, Window window) =>
        new(
            [.. All(scope).Where(c => !scope.IsHidden(c.Name)), .. scope.Added.Select(n => new Column(n, ColumnRole.Detail))],
            null,
            window
        );

    /// <summary>Makes rows of such an answer.</summary>
    public static Func<Row, Value[]> Reader(RecordScope scope)
    {
        var values = All(scope)
            .Where(c => !scope.IsHidden(c.Name))
            .Select(c => scope.Bind(c.Name))
            .Concat(scope.Added.Select(scope.Bind))
            .ToArray();
        return row => Array.ConvertAll(values, value => value(row));
    }

    /// <summary>The record's attributes with what JSON and logfmt brought, without what the query left out.</summary>
    public static Attributes Attributes(RecordScope scope, Row row)
    {
        var own = row.Record?.Attributes ?? Records.Attributes.Empty;
        if (scope.Signal == Signal.Spans)
            own = own.Without(SpanFields.IsOwn);
        if (scope.IsPlain)
            return own;
        var fields = new Dictionary<string, Value>(StringComparer.Ordinal);
        foreach (var slot in scope.ObjectSlots)
            if (row.Slots[slot] is { Kind: ValueKind.Object } found)
                for (var i = 0; i < found.AsObject.Count; i++)
                    fields.TryAdd(found.AsObject.Names[i], found.AsObject.Values[i]);
        for (var i = 0; i < own.Count; i++)
            fields.TryAdd(own.Names[i], own.Values[i]);
        foreach (var name in fields.Keys.Where(scope.IsHidden).ToList())
            fields.Remove(name);
        return new Attributes([.. fields.Keys], [.. fields.Values]);
    }

    /// <summary>Records with a column for each of their attributes, for a join.</summary>
    public static Frame Spread(Pipeline pipeline, IEnumerable<Row> answer, int most)
    {
        var scope = (RecordScope)pipeline.Scope;
        var reader = Reader(scope);
        var schema = pipeline.Schema;
        var attributes = schema.IndexOf(AllAttributes);
        var names = new List<string>();
        var rows = new List<Value[]>();
        foreach (var row in answer)
        {
            if (rows.Count >= most)
                throw new QueryRefusedException($"The right side of join has more than {most:N0} rows. Narrow it, or group it.");
            var values = reader(row);
            if (attributes >= 0)
                foreach (var name in values[attributes].AsObject.Names)
                    if (names.Count < MostSpread && schema.IndexOf(name) < 0 && !names.Contains(name))
                        names.Add(name);
            rows.Add(values);
        }
        var columns = schema
            .Columns.Where(c => c.Name != AllAttributes)
            .Concat(names.Select(n => new Column(n, ColumnRole.Detail)))
            .ToList();
        return new Frame(
            schema with
            {
                Columns = columns,
            },
            [
                .. rows.Select(r =>
                    (Value[])
                        [
                            .. r.Where((_, i) => i != attributes),
                            .. names.Select(n => attributes < 0 ? Value.Missing : r[attributes].AsObject.Get(n)),
                        ]
                ),
            ]
        );
    }
}
