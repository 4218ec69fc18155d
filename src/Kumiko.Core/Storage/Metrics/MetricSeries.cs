using Kumiko.Core.Records;

namespace Kumiko.Core.Storage.Metrics;

/// <summary>One attribute set of a metric from one source: what its samples share.</summary>
public sealed class MetricSeries
{
    private const string AttributesPrefix = "attributes.";
    private const string ResourcePrefix = "resource.";

    public required int Id { get; init; }
    public required string Source { get; init; }
    public required string Name { get; init; }

    /// <summary>As UCUM spells it; empty where the sender says none.</summary>
    public required string Unit { get; init; }
    public required string Description { get; init; }
    public required MetricKind Kind { get; init; }
    public required Temporality Temporality { get; init; }
    public required bool IsMonotonic { get; init; }

    /// <summary>What measured. Its name is part of what tells series apart.</summary>
    public required InstrumentationScope Scope { get; init; }

    /// <summary>What the sender says of the metric itself.</summary>
    public required Attributes Metadata { get; init; }
    public required Resource Resource { get; init; }
    public required Attributes Attributes { get; init; }

    /// <summary>Whether a sample holds many values.</summary>
    public bool IsDistribution => Kind is MetricKind.Histogram or MetricKind.ExponentialHistogram or MetricKind.Summary;

    /// <summary>Whether values count since the last sample rather than since a start.</summary>
    public bool IsDelta => Temporality == Temporality.Delta;

    /// <summary>Whether it counts what happened.</summary>
    public bool IsCounter =>
        (Kind == MetricKind.Sum && IsMonotonic)
        || Kind is MetricKind.Histogram or MetricKind.ExponentialHistogram or MetricKind.Summary;

    /// <summary>A field that all its samples share; missing for others, as for time and value.</summary>
    public Value Field(string name) =>
        name switch
        {
            "name" => Value.Of(Name),
            "unit" => Unit.Length == 0 ? Value.Missing : Value.Of(Unit),
            "source" => Value.Of(Source),
            "kind" => Value.Of(KindNames.Of(this)),
            "service" => Resource.Service.IsMissing ? Attributes.Get(name) : Resource.Service,
            "host" => Resource.Host.IsMissing ? Attributes.Get(name) : Resource.Host,
            "time" or "value" or "count" or "sum" or "start" => Value.Missing,
            _ when name.StartsWith(AttributesPrefix, StringComparison.Ordinal) => Attributes.Get(name[AttributesPrefix.Length..]),
            _ when name.StartsWith(ResourcePrefix, StringComparison.Ordinal) => Resource.Attributes.Get(
                name[ResourcePrefix.Length..]
            ),
            _ when Attributes.Get(name) is { IsMissing: false } own => own,
            _ when Resource.Attributes.Get(name) is { IsMissing: false } shared => shared,
            _ => Described(name),
        };

    /// <summary>What the data model says of a series beside its attributes, which may have the same names.</summary>
    private Value Described(string name) =>
        name switch
        {
            "scope" when Scope.Name.Length > 0 => Value.Of(Scope.Name),
            "scope.version" when Scope.Version.Length > 0 => Value.Of(Scope.Version),
            "temporality" when Temporality != Temporality.Unspecified => Value.Of(IsDelta ? "delta" : "cumulative"),
            _ => Value.Missing,
        };

    /// <summary>Names of all fields that it has beside those that every sample has.</summary>
    public IEnumerable<string> FieldNames
    {
        get
        {
            if (!Resource.Service.IsMissing)
                yield return "service";
            if (!Resource.Host.IsMissing)
                yield return "host";
            foreach (var name in Attributes.Names.ToArray())
                yield return name;
            foreach (var name in Resource.Attributes.Names.ToArray())
                if (name is not ("service.name" or "host.name") && Attributes.Get(name).IsMissing)
                    yield return name;
            foreach (var name in OfModel)
                if (!Described(name).IsMissing)
                    yield return name;
        }
    }

    private static readonly string[] OfModel = ["scope", "scope.version", "temporality"];

    private static class KindNames
    {
        public static string Of(MetricSeries series) =>
            series.Kind switch
            {
                MetricKind.Gauge => "gauge",
                MetricKind.Sum when series.IsMonotonic => "counter",
                MetricKind.Sum => "sum",
                MetricKind.Summary => "summary",
                _ => "histogram",
            };
    }
}
