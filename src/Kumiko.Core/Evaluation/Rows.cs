using Kumiko.Core.Records;

namespace Kumiko.Core.Evaluation;

/// <summary>A record's field by name, with a number by which sources keep what they know of it.</summary>
/// <param name="Name">As the query has it.</param>
/// <param name="Id">Counted from 0 in one query.</param>
/// <param name="OfRecord">How it is read from a record.</param>
public sealed record FieldRef(string Name, int Id, Func<LogRecord, Value> OfRecord)
{
    /// <summary>How it is computed of a row wherever that lies; null where it is read.</summary>
    public Func<Row, Value>? OfRow { get; init; }
}

/// <summary>The record fields that one query asks for. For one thread while a query is compiled.</summary>
/// <param name="pattern">Tells a record's pattern; null where nothing can.</param>
/// <param name="failed">Whether a span failed, as people have set it; null where its status tells.</param>
public sealed class FieldRefs(Func<LogRecord, Value>? pattern = null, Func<Row, bool>? failed = null)
{
    private readonly Dictionary<string, FieldRef> _byName = new(StringComparer.Ordinal);

    public IReadOnlyCollection<FieldRef> All => _byName.Values;

    public FieldRef Get(string name)
    {
        if (!_byName.TryGetValue(name, out var field))
            _byName.Add(name, field = Made(name));
        return field;
    }

    private FieldRef Made(string name) =>
        name == SpanFields.Failed && failed is not null
            ? new FieldRef(name, _byName.Count, r => Value.Of(failed(new Row(RowSource.Of(r), 0, []))))
            {
                OfRow = row => Value.Of(failed(row)),
            }
            : new FieldRef(name, _byName.Count, RecordFields.Bind(name, pattern));
}

/// <summary>Where rows lie: records, a segment, or nowhere but in their own columns.</summary>
public abstract class RowSource
{
    public abstract Value Field(FieldRef field, int place);
    public abstract RecordId Id(int place);

    /// <summary>The whole record; null where rows are no records.</summary>
    public abstract LogRecord? Record(int place);

    /// <summary>Rows that have columns and no record; their place is the order in which they came.</summary>
    public static readonly RowSource Columns = new Nowhere();

    public static RowSource Of(LogRecord record) => new Single(record);

    private sealed class Single(LogRecord record) : RowSource
    {
        public override Value Field(FieldRef field, int place) => field.OfRecord(record);

        public override RecordId Id(int place) => record.Id;

        public override LogRecord? Record(int place) => record;
    }

    private sealed class Nowhere : RowSource
    {
        public override Value Field(FieldRef field, int place) => Value.Missing;

        public override RecordId Id(int place) => new(0, place);

        public override LogRecord? Record(int place) => null;
    }
}

/// <summary>Records whose times are moved, for <c>earlier</c>.</summary>
public sealed class MovedSource(RowSource inner, long by) : RowSource
{
    public override Value Field(FieldRef field, int place) =>
        field.Name == "time" ? Value.Time(inner.Id(place).Time + by) : inner.Field(field, place);

    public override RecordId Id(int place) => inner.Id(place) is var id ? id with { Time = id.Time + by } : default;

    public override LogRecord? Record(int place)
    {
        if (inner.Record(place) is not { } r)
            return null;
        return new LogRecord
        {
            Time = r.Time + by,
            Observed = r.Observed,
            SeverityNumber = r.SeverityNumber,
            SeverityText = r.SeverityText,
            Body = r.Body,
            Attributes = r.Attributes,
            Resource = r.Resource,
            TraceId = r.TraceId,
            SpanId = r.SpanId,
            Source = r.Source,
            Sequence = r.Sequence,
        };
    }
}

/// <summary>One row on its way through a query.</summary>
/// <param name="Source">Where its record lies.</param>
/// <param name="Place">Which one there.</param>
/// <param name="Slots">Computed fields, or all columns where there is no record.</param>
public readonly record struct Row(RowSource Source, int Place, Value[] Slots)
{
    public RecordId Id => Source.Id(Place);
    public LogRecord? Record => Source.Record(Place);
}
