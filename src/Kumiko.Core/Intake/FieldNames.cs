namespace Kumiko.Core.Intake;

/// <summary>What a top-level name of a JSON record stands for.</summary>
public enum FieldPart
{
    Attribute,
    Time,
    Observed,
    Body,
    Level,
    SeverityNumber,
    Service,
    Host,
    TraceId,
    SpanId,
    Attributes,
    Resource,
}

/// <summary>The one table of the spellings that senders use for the parts of a record.</summary>
public static class FieldNames
{
    private static readonly Dictionary<string, FieldPart> Parts = new(StringComparer.OrdinalIgnoreCase);

    private static readonly Dictionary<string, FieldPart>.AlternateLookup<ReadOnlySpan<char>> Lookup = Fill()
        .GetAlternateLookup<ReadOnlySpan<char>>();

    private static Dictionary<string, FieldPart> Fill()
    {
        Add(
            FieldPart.Time,
            "time",
            "timestamp",
            "@timestamp",
            "ts",
            "datetime",
            "date",
            "event_time",
            "eventTime",
            "asctime",
            "log_time",
            "@t",
            "__REALTIME_TIMESTAMP",
            "timeUnixNano",
            "time_unix_nano"
        );
        Add(FieldPart.Observed, "observed", "observed_time", "observed_timestamp", "observedTimestamp", "observedTimeUnixNano");
        Add(FieldPart.Body, "body", "message", "msg", "text", "line", "@message", "@m");
        Add(
            FieldPart.Level,
            "level",
            "severity",
            "lvl",
            "log_level",
            "loglevel",
            "log.level",
            "severityText",
            "severity_text",
            "error_severity",
            "levelname",
            "@l",
            "@level",
            "level_name"
        );
        Add(FieldPart.SeverityNumber, "severityNumber", "severity_number");
        Add(
            FieldPart.Service,
            "service",
            "service.name",
            "service_name",
            "serviceName",
            "app",
            "application",
            "SYSLOG_IDENTIFIER"
        );
        Add(FieldPart.Host, "host", "host.name", "host_name", "hostname", "_HOSTNAME");
        Add(FieldPart.TraceId, "trace_id", "traceId", "trace.id");
        Add(FieldPart.SpanId, "span_id", "spanId", "span.id");
        Add(FieldPart.Attributes, "attributes");
        Add(FieldPart.Resource, "resource");
        return Parts;
    }

    private static void Add(FieldPart part, params string[] names)
    {
        foreach (var name in names)
            Parts[name] = part;
    }

    public static FieldPart Find(ReadOnlySpan<char> name) => Lookup.TryGetValue(name, out var part) ? part : FieldPart.Attribute;
}
