using Kumiko.Core.Records;

namespace Kumiko.Core.Intake.Otlp;

/// <summary>Spans of the OpenTelemetry protocol.</summary>
public static class OtlpSpans
{
    public static OtlpTaken<IReadOnlyList<Span>> Read(Wire.ExportTraceServiceRequest request)
    {
        var reading = new OtlpReading();
        var spans = new List<Span>();
        foreach (var of in request.ResourceSpans)
        {
            var resource = reading.Resource(of.Resource);
            foreach (var scoped in of.ScopeSpans)
            {
                var scope = reading.Scope(scoped.Scope);
                foreach (var span in scoped.Spans)
                {
                    reading.Next();
                    if (Read(span, reading, resource, scope) is { } read)
                        spans.Add(read);
                }
            }
        }
        return new(spans, reading.RefusedTotal, reading.Refused);
    }

    private static Span? Read(Wire.Span span, OtlpReading reading, Resource resource, InstrumentationScope scope)
    {
        var (trace, id) = (OtlpReading.Id(span.TraceId, 16), OtlpReading.Id(span.SpanId, 8));
        if (trace is null || id is null)
        {
            reading.Refuse(
                trace is null
                    ? "A span needs a trace id of 16 bytes, not all zero."
                    : "A span needs a span id of 8 bytes, not all zero.",
                span
            );
            return null;
        }
        if (
            !OtlpReading.IsTime(span.StartTimeUnixNano)
            || !OtlpReading.IsTime(span.EndTimeUnixNano)
            || span.StartTimeUnixNano == 0
        )
        {
            reading.Refuse("A span needs a start and an end between 1970 and 2261.", span);
            return null;
        }
        return new Span
        {
            TraceId = trace,
            SpanId = id,
            ParentId = OtlpReading.Id(span.ParentSpanId, 8),
            Name = span.Name,
            Kind = (int)span.Kind is >= 0 and <= 5 ? (SpanKind)span.Kind : SpanKind.Unspecified,
            Start = (long)span.StartTimeUnixNano,
            // A span that was never ended is as long as is known: not at all.
            End = span.EndTimeUnixNano == 0 ? (long)span.StartTimeUnixNano : (long)span.EndTimeUnixNano,
            Resource = resource,
            Scope = scope,
            Attributes = reading.Fields(span.Attributes),
            Status = (int?)span.Status?.Code is 1 or 2 ? (SpanStatus)span.Status!.Code : SpanStatus.Unset,
            StatusMessage = span.Status?.Message ?? "",
            TraceState = span.TraceState,
            Flags = span.Flags,
            Events =
            [
                .. span.Events.Select(e => new SpanEvent(
                    OtlpReading.IsTime(e.TimeUnixNano) ? (long)e.TimeUnixNano : (long)span.StartTimeUnixNano,
                    e.Name,
                    reading.Fields(e.Attributes)
                )),
            ],
            Links =
            [
                .. span
                    .Links.Select(l => new SpanLink(
                        OtlpReading.Id(l.TraceId, 16) ?? "",
                        OtlpReading.Id(l.SpanId, 8) ?? "",
                        l.TraceState,
                        reading.Fields(l.Attributes),
                        l.Flags
                    ))
                    .Where(l => l.TraceId.Length > 0 && l.SpanId.Length > 0),
            ],
        };
    }
}
