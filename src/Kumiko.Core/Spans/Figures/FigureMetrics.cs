using Kumiko.Core.Records;

namespace Kumiko.Core.Spans.Figures;

/// <summary>Figures as metrics: increments, so that what comes late for a minute adds to it.</summary>
internal sealed class FigureMetrics(FigureNames names)
{
    private static readonly InstrumentationScope Scope = new("kumiko", "", Attributes.Empty);
    private static readonly string[] OfSpan = ["operation", "kind"];
    private static readonly string[] OfCall = ["operation", "callee", "callee_host", "callee_kind", "queue"];

    private readonly Dictionary<(int Service, int Host), Resource> _resources = [];

    /// <summary>Names of the metrics of spans and of calls, by what they measure.</summary>
    private sealed record Family(string Number, string Failed, string Duration, string LogDuration, string Of);

    private static readonly Family Spans = new("spans", "spans.failed", "spans.duration", "spans.log_duration", "Spans");
    private static readonly Family Calls = new("calls", "calls.failed", "calls.duration", "calls.log_duration", "Calls");
    private const string Unmatched = "spans.unmatched";

    /// <summary>All figures by the source of their spans.</summary>
    /// <param name="place">By how many nanoseconds behind the start of its minute a sample stands: no two writings may give one
    /// series the same time.</param>
    public IEnumerable<(string Source, IReadOnlyList<Metric> Metrics)> Of(FigureTable table, long place)
    {
        var bySource = new Dictionary<int, List<Metric>>();
        List<Metric> Into(int source) => bySource.TryGetValue(source, out var metrics) ? metrics : bySource[source] = [];
        foreach (var (key, figure) in table.Spans)
            Add(
                Into(key.Source),
                Spans,
                ResourceOf(key.Service, key.Host),
                Fields(OfSpan, names[key.Operation], SpanFields.KindName(key.Kind)),
                key.Minute + place,
                figure
            );
        foreach (var (key, figure) in table.Calls)
            Add(
                Into(key.Source),
                Calls,
                ResourceOf(key.Service, 0),
                Fields(
                    OfCall,
                    names[key.Operation],
                    names[key.Callee],
                    names[key.CalleeHost],
                    KindName(key.Kind),
                    names[key.Through]
                ),
                key.Minute + place,
                figure
            );
        foreach (var (key, number) in table.Unmatched)
            Into(key.Source)
                .Add(
                    Sum(
                        Unmatched,
                        "Spans whose caller or callee never came",
                        ResourceOf(key.Service, 0),
                        Attributes.Empty,
                        key.Minute + place,
                        number
                    )
                );
        return bySource.Select(s => (names[s.Key], (IReadOnlyList<Metric>)s.Value));
    }

    public static string KindName(CalleeKind kind) => kind.ToString().ToLowerInvariant();

    private Resource ResourceOf(int service, int host)
    {
        if (_resources.TryGetValue((service, host), out var known))
            return known;
        const int Most = 100_000;
        if (_resources.Count >= Most)
            _resources.Clear();
        return _resources[(service, host)] = new Resource(Fields(["service.name", "host.name"], names[service], names[host]));
    }

    /// <summary>Those that have a value.</summary>
    private static Attributes Fields(string[] fields, params ReadOnlySpan<string> values)
    {
        var (kept, texts) = (new List<string>(fields.Length), new List<Value>(fields.Length));
        for (var i = 0; i < fields.Length; i++)
            if (values[i].Length > 0)
            {
                kept.Add(fields[i]);
                texts.Add(Value.Of(values[i]));
            }
        return new Attributes([.. kept], [.. texts]);
    }

    private static void Add(List<Metric> metrics, Family family, Resource resource, Attributes fields, long time, Figure figure)
    {
        metrics.Add(Sum(family.Number, $"{family.Of}, each with its sampling weight", resource, fields, time, figure.Number));
        if (figure.Failures > 0)
            metrics.Add(Sum(family.Failed, $"{family.Of} that failed", resource, fields, time, figure.Failures));
        metrics.Add(
            Sum(family.LogDuration, "Sum of the natural logarithms of seconds", resource, fields, time, figure.LogSum) with
            {
                IsMonotonic = false,
            }
        );
        metrics.Add(
            new Metric(
                family.Duration,
                "s",
                $"How long {family.Of.ToLowerInvariant()} took",
                MetricKind.ExponentialHistogram,
                resource,
                Scope,
                [
                    new Sample
                    {
                        Time = time,
                        Attributes = fields,
                        Distribution = figure.Durations(),
                    },
                ]
            )
            {
                Temporality = Temporality.Delta,
            }
        );
    }

    private static Metric Sum(string name, string about, Resource resource, Attributes fields, long time, double value) =>
        new(
            name,
            "",
            about,
            MetricKind.Sum,
            resource,
            Scope,
            [
                new Sample
                {
                    Time = time,
                    Attributes = fields,
                    Value = Value.Of(value),
                },
            ]
        )
        {
            Temporality = Temporality.Delta,
            IsMonotonic = true,
        };
}
