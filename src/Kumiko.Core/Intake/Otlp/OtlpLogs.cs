using Google.Protobuf.Collections;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Blocks;

namespace Kumiko.Core.Intake.Otlp;

/// <summary>Log records of the OpenTelemetry protocol.</summary>
public static class OtlpLogs
{
    /// <param name="source">The name of the place they come from.</param>
    /// <param name="now">The observed time where the sender says none.</param>
    public static OtlpTaken<RecordBlock> Read(Wire.ExportLogsServiceRequest request, string source, long now)
    {
        var reading = new OtlpReading();
        var rows = BuilderPool.Rent();
        foreach (var of in request.ResourceLogs)
        {
            var resource = reading.Resource(of.Resource);
            foreach (var scoped in of.ScopeLogs)
            {
                foreach (var log in scoped.LogRecords)
                {
                    reading.Next();
                    if (!OtlpReading.IsTime(log.TimeUnixNano) || !OtlpReading.IsTime(log.ObservedTimeUnixNano))
                        reading.Refuse("The time is beyond the year 2261.", log);
                    else
                        Add(log, scoped.Scope, resource, source, now, rows);
                }
            }
        }
        var records = rows.Build();
        BuilderPool.Return(rows);
        return new(records, reading.RefusedTotal, reading.Refused);
    }

    private static void Add(
        Wire.LogRecord log,
        Wire.InstrumentationScope? scope,
        Resource resource,
        string source,
        long now,
        RecordBlockBuilder into
    )
    {
        into.Begin();
        var observed = log.ObservedTimeUnixNano > 0 ? (long)log.ObservedTimeUnixNano : now;
        var severity = (int)log.SeverityNumber is >= 1 and <= 24 and var given ? given : Severity.FromText(log.SeverityText);
        if (log.SeverityText.Length > 0)
            into.Text(TextPart.Level, log.SeverityText);
        if (OtlpReading.Id(log.TraceId, 16) is { } trace)
            into.Text(TextPart.TraceId, trace);
        if (OtlpReading.Id(log.SpanId, 8) is { } span)
            into.Text(TextPart.SpanId, span);
        var body = OtlpReading.Value(log.Body);
        into.Text(TextPart.Body, body.IsMissing ? "" : body.ToText());
        AddFields(log.Attributes, into);
        if (scope is not null)
            AddFields(scope.Attributes, into);
        AddOthers(log, scope, into);
        into.End(log.TimeUnixNano > 0 ? (long)log.TimeUnixNano : observed, observed, severity, resource, source);
    }

    // A value that is not set is left out; the last of equal names wins.
    private static void AddFields(RepeatedField<Wire.KeyValue> from, RecordBlockBuilder into)
    {
        foreach (var field in from)
            if (field.Key.Length > 0 && OtlpReading.Value(field.Value) is { IsMissing: false } value)
                AddField(field.Key, value, into);
    }

    private static void AddField(string name, Value value, RecordBlockBuilder into) =>
        into.Field(NamePool.Shared.One(name), value);

    // Names that the specification gives to these parts where a format has no place for them.
    private static void AddOthers(Wire.LogRecord log, Wire.InstrumentationScope? scope, RecordBlockBuilder into)
    {
        if (log.EventName.Length > 0)
            AddField("event.name", Value.Of(log.EventName), into);
        if (log.Flags != 0)
            AddField("trace_flags", Value.Of((long)log.Flags), into);
        if (log.DroppedAttributesCount > 0)
            AddField("otel.dropped_attributes_count", Value.Of((long)log.DroppedAttributesCount), into);
        if (scope is { Name.Length: > 0 })
            AddField("otel.scope.name", Value.Of(scope.Name), into);
        if (scope is { Version.Length: > 0 })
            AddField("otel.scope.version", Value.Of(scope.Version), into);
    }
}
