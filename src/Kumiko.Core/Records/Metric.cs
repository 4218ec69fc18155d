namespace Kumiko.Core.Records;

/// <summary>What a metric's points are, as OpenTelemetry's metrics data model has it.</summary>
public enum MetricKind : byte
{
    Gauge,
    Sum,
    Histogram,
    ExponentialHistogram,
    Summary,
}

/// <summary>Whether a point counts since the one before (delta) or since its start (cumulative).</summary>
public enum Temporality : byte
{
    Unspecified,
    Delta,
    Cumulative,
}

/// <summary>A measured quantity of one resource, with some of its samples.</summary>
/// <param name="Unit">As UCUM spells it; empty where the sender says none.</param>
public sealed record Metric(
    string Name,
    string Unit,
    string Description,
    MetricKind Kind,
    Resource Resource,
    InstrumentationScope Scope,
    IReadOnlyList<Sample> Samples
)
{
    public Temporality Temporality { get; init; }

    /// <summary>For a sum: whether it never falls but for restarts.</summary>
    public bool IsMonotonic { get; init; }

    /// <summary>What the sender says of the metric itself.</summary>
    public Attributes Metadata { get; init; } = Attributes.Empty;
}

/// <summary>One value of one series at one time. Times are UTC nanoseconds.</summary>
public sealed class Sample
{
    public required long Time { get; init; }

    /// <summary>Since when a sum or distribution counts; 0 where it is not said.</summary>
    public long Start { get; init; }

    public Attributes Attributes { get; init; } = Attributes.Empty;

    /// <summary>Integer or decimal; missing where the sender recorded no value, and for distributions.</summary>
    public Value Value { get; init; } = Value.Missing;

    public Distribution? Distribution { get; init; }
    public IReadOnlyList<Exemplar> Exemplars { get; init; } = [];
}

/// <summary>Many values in one sample: a histogram or summary. Fields that a kind does not have are empty or zero.</summary>
public sealed record Distribution(ulong Count, double? Sum)
{
    public double? Min { get; init; }
    public double? Max { get; init; }

    /// <summary>Upper bounds of all buckets but the last, which has none. Rising; as many as buckets less one.</summary>
    public double[] Bounds { get; init; } = [];

    /// <summary>Values in each bucket.</summary>
    public ulong[] Counts { get; init; } = [];

    /// <summary>The exponential form, in place of bounds.</summary>
    public ExponentialBuckets? Exponential { get; init; }

    /// <summary>For a summary: quantiles 0 to 1 with their values.</summary>
    public (double Quantile, double Value)[] Quantiles { get; init; } = [];
}

/// <summary>Buckets whose bounds are powers of 2^(2^-scale): bucket i of a side holds base^(offset+i) to
/// base^(offset+i+1).</summary>
public sealed record ExponentialBuckets(
    int Scale,
    ulong ZeroCount,
    double ZeroThreshold,
    int PositiveOffset,
    ulong[] Positive,
    int NegativeOffset,
    ulong[] Negative
);

/// <summary>One measured value with the trace it was measured in.</summary>
/// <param name="TraceId">Lower-case hex; null where there was none.</param>
public sealed record Exemplar(long Time, Value Value, string? TraceId, string? SpanId, Attributes Attributes);
