using Kumiko.Core.Records;

namespace Kumiko.Core.Evaluation;

/// <summary>The names by which a record can be asked.</summary>
public static class RecordFields
{
    private const string AttributesPrefix = "attributes.";
    private const string ResourcePrefix = "resource.";

    public static readonly string[] BuiltIn =
    [
        "time",
        "observed",
        "level",
        "severity_text",
        "body",
        "service",
        "host",
        "source",
        "trace_id",
        "span_id",
        "pattern",
    ];

    /// <summary>Whether a stored name is of a column that every row has, and no field of some.</summary>
    public static bool IsColumn(string stored) =>
        stored is SpanFields.Duration or SpanFields.Status or SpanFields.Failed || BuiltIn.Contains(stored);

    /// <param name="name">As the store has it.</param>
    /// <param name="pattern">Tells a record's pattern; null where nothing can.</param>
    public static Func<LogRecord, Value> Bind(string name, Func<LogRecord, Value>? pattern = null)
    {
        // Intake takes names from the same pool, so equal names are mostly the same object.
        name = NamePool.Shared.One(name);
        return name switch
        {
            "time" => r => Value.Time(r.Time),
            "observed" => r => Value.Time(r.Observed),
            "level" => r => Value.Level(r.SeverityNumber),
            "severity_text" => r => Value.Of(r.SeverityText),
            "body" => r => Value.Of(r.Body),
            "service" => r => r.Resource.Service,
            "host" => r => r.Resource.Host,
            "source" => r => Value.Of(r.Source),
            "trace_id" => r => Value.Of(r.TraceId),
            "span_id" => r => Value.Of(r.SpanId),
            "pattern" => pattern ?? (_ => Value.Missing),
            SpanFields.Duration => SpanFields.DurationOf,
            SpanFields.Failed => r => Value.Of(SpanFields.StatusOf(r.SeverityNumber) == SpanStatus.Error),
            SpanFields.Status => r => SpanFields.StatusValue(r.SeverityNumber),
            _ when name.StartsWith(AttributesPrefix, StringComparison.Ordinal) => Attribute(name[AttributesPrefix.Length..]),
            _ when name.StartsWith(ResourcePrefix, StringComparison.Ordinal) => Resource(name[ResourcePrefix.Length..]),
            _ => r =>
            {
                var value = r.Attributes.Get(name);
                return value.IsMissing ? r.Resource.Attributes.Get(name) : value;
            },
        };
    }

    private static Func<LogRecord, Value> Attribute(string name) => r => r.Attributes.Get(name);

    private static Func<LogRecord, Value> Resource(string name) => r => r.Resource.Attributes.Get(name);
}
