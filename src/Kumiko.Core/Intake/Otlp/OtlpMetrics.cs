using Google.Protobuf;
using Google.Protobuf.Collections;
using Kumiko.Core.Records;

namespace Kumiko.Core.Intake.Otlp;

/// <summary>Metrics of the OpenTelemetry protocol: all five kinds, with exemplars.</summary>
public static class OtlpMetrics
{
    /// <summary>Points without a recorded value carry this flag.</summary>
    private const uint NoRecordedValue = 1;

    public static OtlpTaken<IReadOnlyList<Metric>> Read(Wire.ExportMetricsServiceRequest request)
    {
        var reading = new OtlpReading();
        var metrics = new List<Metric>();
        foreach (var of in request.ResourceMetrics)
        {
            var resource = reading.Resource(of.Resource);
            foreach (var scoped in of.ScopeMetrics)
            {
                var scope = reading.Scope(scoped.Scope);
                foreach (var metric in scoped.Metrics)
                    if (Read(metric, reading, resource, scope) is { Samples.Count: > 0 } read)
                        metrics.Add(read);
            }
        }
        return new(metrics, reading.RefusedTotal, reading.Refused);
    }

    private static Metric? Read(Wire.Metric metric, OtlpReading reading, Resource resource, InstrumentationScope scope)
    {
        if (metric.Name.Length == 0)
        {
            RefuseAll(reading, metric, "A metric needs a name.");
            return null;
        }
        var (kind, temporality, samples) = metric.DataCase switch
        {
            Wire.Metric.DataOneofCase.Gauge => (MetricKind.Gauge, default, Points(metric.Gauge.DataPoints, reading, Number)),
            Wire.Metric.DataOneofCase.Sum => (
                MetricKind.Sum,
                metric.Sum.AggregationTemporality,
                Points(metric.Sum.DataPoints, reading, Number)
            ),
            Wire.Metric.DataOneofCase.Histogram => (
                MetricKind.Histogram,
                metric.Histogram.AggregationTemporality,
                Points(metric.Histogram.DataPoints, reading, Histogram)
            ),
            Wire.Metric.DataOneofCase.ExponentialHistogram => (
                MetricKind.ExponentialHistogram,
                metric.ExponentialHistogram.AggregationTemporality,
                Points(metric.ExponentialHistogram.DataPoints, reading, Exponential)
            ),
            Wire.Metric.DataOneofCase.Summary => (
                MetricKind.Summary,
                default,
                Points(metric.Summary.DataPoints, reading, Summary)
            ),
            _ => (MetricKind.Gauge, default, []),
        };
        return new Metric(metric.Name, metric.Unit, metric.Description, kind, resource, scope, samples)
        {
            Temporality = (int)temporality is 1 or 2 ? (Temporality)temporality : Temporality.Unspecified,
            IsMonotonic = metric.DataCase == Wire.Metric.DataOneofCase.Sum && metric.Sum.IsMonotonic,
            Metadata = reading.Fields(metric.Metadata),
        };
    }

    private static int Count(Wire.Metric metric) =>
        metric.DataCase switch
        {
            Wire.Metric.DataOneofCase.Gauge => metric.Gauge.DataPoints.Count,
            Wire.Metric.DataOneofCase.Sum => metric.Sum.DataPoints.Count,
            Wire.Metric.DataOneofCase.Histogram => metric.Histogram.DataPoints.Count,
            Wire.Metric.DataOneofCase.ExponentialHistogram => metric.ExponentialHistogram.DataPoints.Count,
            Wire.Metric.DataOneofCase.Summary => metric.Summary.DataPoints.Count,
            _ => 0,
        };

    private static void RefuseAll(OtlpReading reading, Wire.Metric metric, string reason)
    {
        for (var i = Count(metric); i > 0; i--)
        {
            reading.Next();
            reading.Refuse(reason, metric);
        }
    }

    private static List<Sample> Points<T>(RepeatedField<T> from, OtlpReading reading, Func<T, OtlpReading, Sample?> read)
    {
        var samples = new List<Sample>(from.Count);
        foreach (var point in from)
        {
            reading.Next();
            if (read(point, reading) is { } sample)
                samples.Add(sample);
        }
        return samples;
    }

    private static bool IsTimed(OtlpReading reading, IMessage point, ulong start, ulong time)
    {
        if (time != 0 && OtlpReading.IsTime(time) && OtlpReading.IsTime(start))
            return true;
        reading.Refuse("A data point needs a time between 1970 and 2261.", point);
        return false;
    }

    private static Sample? Number(Wire.NumberDataPoint p, OtlpReading reading)
    {
        if (!IsTimed(reading, p, p.StartTimeUnixNano, p.TimeUnixNano))
            return null;
        var isNone = (p.Flags & NoRecordedValue) != 0;
        if (p.ValueCase == Wire.NumberDataPoint.ValueOneofCase.None && !isNone)
        {
            reading.Refuse("The data point has no value.", p);
            return null;
        }
        return new Sample
        {
            Time = (long)p.TimeUnixNano,
            Start = (long)p.StartTimeUnixNano,
            Attributes = reading.Fields(p.Attributes),
            Value = p.ValueCase switch
            {
                _ when isNone => Value.Missing,
                Wire.NumberDataPoint.ValueOneofCase.AsInt => Value.Of(p.AsInt),
                _ => Value.Of(p.AsDouble),
            },
            Exemplars = Exemplars(p.Exemplars, reading),
        };
    }

    private static Sample? Histogram(Wire.HistogramDataPoint p, OtlpReading reading)
    {
        if (!IsTimed(reading, p, p.StartTimeUnixNano, p.TimeUnixNano))
            return null;
        // A histogram may have no buckets; else one more than bounds, which rise.
        if (p.BucketCounts.Count != 0 && p.BucketCounts.Count != p.ExplicitBounds.Count + 1)
        {
            reading.Refuse(
                $"A histogram with {p.ExplicitBounds.Count} bounds needs {p.ExplicitBounds.Count + 1} counts, not {p.BucketCounts.Count}.",
                p
            );
            return null;
        }
        for (var i = 1; i < p.ExplicitBounds.Count; i++)
            if (!(p.ExplicitBounds[i] > p.ExplicitBounds[i - 1]))
            {
                reading.Refuse("The bounds of a histogram must rise.", p);
                return null;
            }
        return Distributed(
            reading,
            p.StartTimeUnixNano,
            p.TimeUnixNano,
            p.Attributes,
            p.Exemplars,
            (p.Flags & NoRecordedValue) != 0
                ? null
                : new Distribution(p.Count, Given(p.HasSum, p.Sum))
                {
                    Min = Given(p.HasMin, p.Min),
                    Max = Given(p.HasMax, p.Max),
                    Bounds = [.. p.ExplicitBounds],
                    Counts = [.. p.BucketCounts],
                }
        );
    }

    private static double? Given(bool isThere, double value) => isThere ? value : null;

    private static Sample? Exponential(Wire.ExponentialHistogramDataPoint p, OtlpReading reading)
    {
        if (!IsTimed(reading, p, p.StartTimeUnixNano, p.TimeUnixNano))
            return null;
        return Distributed(
            reading,
            p.StartTimeUnixNano,
            p.TimeUnixNano,
            p.Attributes,
            p.Exemplars,
            (p.Flags & NoRecordedValue) != 0
                ? null
                : new Distribution(p.Count, Given(p.HasSum, p.Sum))
                {
                    Min = Given(p.HasMin, p.Min),
                    Max = Given(p.HasMax, p.Max),
                    Exponential = new ExponentialBuckets(
                        p.Scale,
                        p.ZeroCount,
                        p.ZeroThreshold,
                        p.Positive?.Offset ?? 0,
                        [.. p.Positive?.BucketCounts ?? []],
                        p.Negative?.Offset ?? 0,
                        [.. p.Negative?.BucketCounts ?? []]
                    ),
                }
        );
    }

    private static Sample? Summary(Wire.SummaryDataPoint p, OtlpReading reading)
    {
        if (!IsTimed(reading, p, p.StartTimeUnixNano, p.TimeUnixNano))
            return null;
        if (p.QuantileValues.Any(q => !(q.Quantile >= 0 && q.Quantile <= 1)))
        {
            reading.Refuse("A quantile lies between 0 and 1.", p);
            return null;
        }
        return Distributed(
            reading,
            p.StartTimeUnixNano,
            p.TimeUnixNano,
            p.Attributes,
            [],
            (p.Flags & NoRecordedValue) != 0
                ? null
                : new Distribution(p.Count, p.Sum) { Quantiles = [.. p.QuantileValues.Select(q => (q.Quantile, q.Value))] }
        );
    }

    private static Sample Distributed(
        OtlpReading reading,
        ulong start,
        ulong time,
        RepeatedField<Wire.KeyValue> attributes,
        RepeatedField<Wire.Exemplar> exemplars,
        Distribution? distribution
    ) =>
        new()
        {
            Time = (long)time,
            Start = (long)start,
            Attributes = reading.Fields(attributes),
            Distribution = distribution,
            Exemplars = Exemplars(exemplars, reading),
        };

    private static IReadOnlyList<Exemplar> Exemplars(RepeatedField<Wire.Exemplar> from, OtlpReading reading) =>
        from.Count == 0
            ? []
            :
            [
                .. from.Where(e => OtlpReading.IsTime(e.TimeUnixNano))
                    .Select(e => new Exemplar(
                        (long)e.TimeUnixNano,
                        e.ValueCase == Wire.Exemplar.ValueOneofCase.AsInt ? Value.Of(e.AsInt) : Value.Of(e.AsDouble),
                        OtlpReading.Id(e.TraceId, 16),
                        OtlpReading.Id(e.SpanId, 8),
                        reading.Fields(e.FilteredAttributes)
                    )),
            ];
}
