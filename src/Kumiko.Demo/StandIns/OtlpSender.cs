using System.Net.Http.Headers;
using Google.Protobuf;
using Kumiko.Core.Intake.Otlp.Wire;
using Kumiko.Core.Records;
using Kumiko.Demo.World;
using Resource = Kumiko.Core.Intake.Otlp.Wire.Resource;
using Span = Kumiko.Core.Intake.Otlp.Wire.Span;

namespace Kumiko.Demo.StandIns;

/// <summary>Sends records, metrics and spans by the OpenTelemetry protocol, as protobuf over HTTP.</summary>
internal sealed class OtlpSender(HttpClient http, string token)
{
    public Task Send(IReadOnlyList<SimulatedRecord> records, CancellationToken cancel)
    {
        var request = new ExportLogsServiceRequest();
        foreach (var of in records.GroupBy(r => r.Process))
        {
            var logs = new ScopeLogs
            {
                Scope = new Kumiko.Core.Intake.Otlp.Wire.InstrumentationScope { Name = "skerry.gates", Version = "7" },
            };
            foreach (var record in of)
            {
                var log = new Kumiko.Core.Intake.Otlp.Wire.LogRecord
                {
                    TimeUnixNano = Nanoseconds(record.Time + record.Drift),
                    SeverityText = record.Level,
                    SeverityNumber = (SeverityNumber)Severity.FromText(record.Level),
                    Body = new AnyValue { StringValue = record.Body },
                };
                log.Attributes.AddRange(record.Attributes.Select(a => new KeyValue { Key = a.Name, Value = ValueOf(a.Value) }));
                if (record.TraceId is { } trace)
                {
                    log.TraceId = Bytes(trace);
                    log.SpanId = Bytes(record.SpanId ?? trace[8..24]);
                }
                logs.LogRecords.Add(log);
            }
            request.ResourceLogs.Add(
                new ResourceLogs { Resource = ResourceOf(of.Key!, withProcess: false), ScopeLogs = { logs } }
            );
        }
        return records.Count == 0 ? Task.CompletedTask : Post("/v1/logs", request, cancel);
    }

    public Task Send(IReadOnlyList<Core.Records.Span> spans, CancellationToken cancel)
    {
        var request = new ExportTraceServiceRequest();
        foreach (var of in spans.GroupBy(s => (s.Resource, s.Scope)))
        {
            var scope = new ScopeSpans { Scope = ScopeOf(of.Key.Scope) };
            scope.Spans.AddRange(of.Select(Sent));
            request.ResourceSpans.Add(new ResourceSpans { Resource = ResourceOf(of.Key.Resource), ScopeSpans = { scope } });
        }
        return spans.Count == 0 ? Task.CompletedTask : Post("/v1/traces", request, cancel);
    }

    private static Span Sent(Core.Records.Span span)
    {
        var sent = new Span
        {
            TraceId = Bytes(span.TraceId),
            SpanId = Bytes(span.SpanId),
            ParentSpanId = span.ParentId is { } parent ? Bytes(parent) : ByteString.Empty,
            Name = span.Name,
            Kind = (Span.Types.SpanKind)span.Kind,
            StartTimeUnixNano = (ulong)span.Start,
            EndTimeUnixNano = (ulong)span.End,
            TraceState = span.TraceState,
            Status = new Status { Code = (Status.Types.StatusCode)span.Status, Message = span.StatusMessage },
        };
        sent.Attributes.AddRange(Pairs(span.Attributes));
        return sent;
    }

    private static Kumiko.Core.Intake.Otlp.Wire.InstrumentationScope ScopeOf(Core.Records.InstrumentationScope scope) =>
        new() { Name = scope.Name, Version = scope.Version };

    public Task Send(IReadOnlyList<Core.Records.Metric> metrics, CancellationToken cancel)
    {
        var request = new ExportMetricsServiceRequest();
        foreach (var of in metrics.GroupBy(m => m.Resource))
        {
            var sent = new ResourceMetrics { Resource = ResourceOf(of.Key) };
            foreach (var scope in of.GroupBy(m => m.Scope))
            {
                var scoped = new ScopeMetrics { Scope = ScopeOf(scope.Key) };
                scoped.Metrics.AddRange(scope.Select(Sent));
                sent.ScopeMetrics.Add(scoped);
            }
            request.ResourceMetrics.Add(sent);
        }
        return metrics.Count == 0 ? Task.CompletedTask : Post("/v1/metrics", request, cancel);
    }

    private static Kumiko.Core.Intake.Otlp.Wire.Metric Sent(Core.Records.Metric metric)
    {
        var sent = new Kumiko.Core.Intake.Otlp.Wire.Metric
        {
            Name = metric.Name,
            Unit = metric.Unit,
            Description = metric.Description,
        };
        var temporality = (AggregationTemporality)metric.Temporality;
        if (metric.Kind == MetricKind.Histogram)
        {
            sent.Histogram = new Histogram { AggregationTemporality = temporality };
            foreach (var sample in metric.Samples)
            {
                var d = sample.Distribution!;
                var point = new HistogramDataPoint
                {
                    TimeUnixNano = (ulong)sample.Time,
                    StartTimeUnixNano = (ulong)sample.Start,
                    Count = d.Count,
                    Sum = d.Sum ?? 0,
                };
                point.ExplicitBounds.AddRange(d.Bounds);
                point.BucketCounts.AddRange(d.Counts);
                point.Attributes.AddRange(Pairs(sample.Attributes));
                sent.Histogram.DataPoints.Add(point);
            }
            return sent;
        }
        var points = metric.Samples.Select(s =>
        {
            var point = new NumberDataPoint
            {
                TimeUnixNano = (ulong)s.Time,
                StartTimeUnixNano = (ulong)s.Start,
                AsDouble = s.Value.AsDouble,
            };
            point.Attributes.AddRange(Pairs(s.Attributes));
            return point;
        });
        if (metric.Kind == MetricKind.Gauge)
            (sent.Gauge = new Gauge()).DataPoints.AddRange(points);
        else
            (sent.Sum = new Sum { IsMonotonic = metric.IsMonotonic, AggregationTemporality = temporality }).DataPoints.AddRange(
                points
            );
        return sent;
    }

    private static IEnumerable<KeyValue> Pairs(Attributes fields) =>
        fields
            .Names.ToArray()
            .Zip(fields.Values.ToArray(), (name, value) =>
                new KeyValue
                {
                    Key = name,
                    Value =
                        value.Kind == ValueKind.Integer
                            ? new AnyValue { IntValue = value.AsLong }
                            : new AnyValue { StringValue = value.ToText() },
                }
            );

    private async Task Post(string path, IMessage message, CancellationToken cancel)
    {
        using var request = new HttpRequestMessage(HttpMethod.Post, path)
        {
            Content = new ByteArrayContent(message.ToByteArray()),
        };
        request.Content.Headers.ContentType = new MediaTypeHeaderValue("application/x-protobuf");
        request.Headers.Authorization = new AuthenticationHeaderValue("Bearer", token);
        using var response = await http.SendAsync(request, cancel);
        response.EnsureSuccessStatusCode();
    }

    /// <param name="withProcess">Records name their instance, and not what else is known of its process.</param>
    private static Resource ResourceOf(Core.Records.Resource of, bool withProcess = true)
    {
        var resource = new Resource();
        resource.Attributes.AddRange(
            Pairs(of.Attributes).Where(p => withProcess || !p.Key.StartsWith("process.", StringComparison.Ordinal))
        );
        return resource;
    }

    private static AnyValue ValueOf(object value) =>
        value switch
        {
            int number => new AnyValue { IntValue = number },
            double number when number == Math.Floor(number) && Math.Abs(number) < 1e15 => new AnyValue
            {
                IntValue = (long)number,
            },
            double number => new AnyValue { DoubleValue = number },
            _ => new AnyValue { StringValue = value.ToString() ?? "" },
        };

    private static ByteString Bytes(string hex) => ByteString.CopyFrom(Convert.FromHexString(hex));

    private static ulong Nanoseconds(DateTimeOffset time) => (ulong)Instants.FromDateTime(time);
}
