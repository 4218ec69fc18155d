using Kumiko.Core.Records;

namespace Kumiko.Core.Intake.Otlp;

/// <summary>Log records of the OpenTelemetry protocol.</summary>
public static class OtlpLogs
{
    /// <param name="source">The name of the place they come from.</param>
    /// <param name="now">The observed time where the sender says none.</param>
    public static OtlpTaken<LogRecord> Read(Wire.ExportLogsServiceRequest request, string source, long now)
    {
        var reading = new OtlpReading();
        var records = new List<LogRecord>();
        foreach (var of in request.ResourceLogs)
        {
            var resource = reading.Resource(of.Resource);
            foreach (var scoped in of.ScopeLogs)
            {
                var scope = ScopeFields(scoped.Scope);
                foreach (var log in scoped.LogRecords)
                {
                    reading.Next();
                    if (!OtlpReading.IsTime(log.TimeUnixNano) || !OtlpReading.IsTime(log.ObservedTimeUnixNano)) reading.Refuse("The time is beyond the year 2261.", log);
                    else records.Add(Record(log, reading, resource, scoped.Scope, scope, source, now));
                }
            }
        }
        return new(records, reading.RefusedTotal, reading.Refused);
    }

    private static LogRecord Record(Wire.LogRecord log, OtlpReading reading, Resource resource, Wire.InstrumentationScope? scope, (string, Value)[] scopeFields, string source, long now)
    {
        var observed = log.ObservedTimeUnixNano > 0 ? (long)log.ObservedTimeUnixNano : now;
        var number = (int)log.SeverityNumber is >= 1 and <= 24 and var given ? given : Severity.FromText(log.SeverityText);
        var body = OtlpReading.Value(log.Body);
        return new LogRecord
        {
            Time = log.TimeUnixNano > 0 ? (long)log.TimeUnixNano : observed,
            Observed = observed,
            SeverityNumber = number,
            SeverityText = log.SeverityText.Length > 0 ? reading.Known(log.SeverityText) : null,
            Body = body.IsMissing ? "" : body.ToText(),
            Attributes = reading.Fields(log.Attributes, scope?.Attributes, log.EventName.Length == 0 && log.Flags == 0 && log.DroppedAttributesCount == 0 ? scopeFields : [.. Others(log), .. scopeFields]),
            Resource = resource,
            TraceId = OtlpReading.Id(log.TraceId, 16),
            SpanId = OtlpReading.Id(log.SpanId, 8),
            Source = source,
        };
    }

    // Names that the specification gives to these parts where a format has no place for them.
    private static (string, Value)[] ScopeFields(Wire.InstrumentationScope? scope) => scope is null ? [] :
        [.. new[] { ("otel.scope.name", scope.Name), ("otel.scope.version", scope.Version) }.Where(f => f.Item2.Length > 0).Select(f => (f.Item1, Value.Of(f.Item2)))];

    private static IEnumerable<(string, Value)> Others(Wire.LogRecord log)
    {
        if (log.EventName.Length > 0) yield return ("event.name", Value.Of(log.EventName));
        if (log.Flags != 0) yield return ("trace_flags", Value.Of((long)log.Flags));
        if (log.DroppedAttributesCount > 0) yield return ("otel.dropped_attributes_count", Value.Of((long)log.DroppedAttributesCount));
    }
}
