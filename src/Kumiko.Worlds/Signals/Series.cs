using Kumiko.Core.Records;

namespace Kumiko.Worlds.Signals;

/// <summary>Samples of one metric of one resource, as they come.</summary>
internal sealed class Series(
    string name,
    string unit,
    string description,
    bool isSum,
    Resource resource,
    InstrumentationScope scope
)
{
    private readonly List<Sample> _samples = [];

    public void Add(long time, double value, Attributes attributes, long start) =>
        _samples.Add(
            new Sample
            {
                Time = time,
                Start = isSum ? start : 0,
                Value = Value.Of(value),
                Attributes = attributes,
            }
        );

    public void Add(Sample sample) => _samples.Add(sample);

    public bool IsEmpty => _samples.Count == 0;

    public Metric Made(MetricKind? kind = null) =>
        new(name, unit, description, kind ?? (isSum ? MetricKind.Sum : MetricKind.Gauge), resource, scope, _samples)
        {
            IsMonotonic = isSum,
            Temporality = isSum ? Temporality.Delta : Temporality.Unspecified,
        };
}
