using Kumiko.Core.Records;

namespace Kumiko.Core.Storage.Signals;

/// <summary>Metrics as one blob.</summary>
internal static class MetricCodec
{
    private const byte HasDistribution = 1, HasExemplars = 2, HasExponential = 4;

    public static byte[] Encode(IReadOnlyList<Metric> metrics)
    {
        using var to = new SignalWriter();
        to.Body.Number(metrics.Count);
        foreach (var metric in metrics)
        {
            to.Of(metric.Resource, metric.Scope);
            to.Body.Text(metric.Name);
            to.Body.Text(metric.Unit);
            to.Body.Text(metric.Description);
            to.Body.Byte((byte)metric.Kind);
            to.Body.Byte((byte)metric.Temporality);
            to.Body.Byte(metric.IsMonotonic ? (byte)1 : (byte)0);
            to.Fields(metric.Metadata);
            to.Body.Number(metric.Samples.Count);
            foreach (var sample in metric.Samples) Write(to, sample);
        }
        return to.Pack();
    }

    private static void Write(SignalWriter to, Sample sample)
    {
        to.Time(sample.Time);
        // Most say no start, or one that is near; 0 would be far from either.
        to.Body.Byte(sample.Start == 0 ? (byte)0 : (byte)1);
        if (sample.Start != 0) to.Body.Signed(sample.Time - sample.Start);
        to.Fields(sample.Attributes);
        to.Value(sample.Value);
        to.Body.Byte((byte)((sample.Distribution is null ? 0 : HasDistribution) | (sample.Exemplars.Count == 0 ? 0 : HasExemplars) | (sample.Distribution?.Exponential is null ? 0 : HasExponential)));
        if (sample.Distribution is { } distribution) Write(to, distribution);
        if (sample.Exemplars.Count == 0) return;
        to.Body.Number(sample.Exemplars.Count);
        foreach (var exemplar in sample.Exemplars)
        {
            to.Time(exemplar.Time);
            to.Value(exemplar.Value);
            to.Optional(exemplar.TraceId);
            to.Optional(exemplar.SpanId);
            to.Fields(exemplar.Attributes);
        }
    }

    private static void Write(SignalWriter to, Distribution d)
    {
        to.Number(d.Count);
        to.Optional(d.Sum);
        to.Optional(d.Min);
        to.Optional(d.Max);
        to.Body.Number(d.Bounds.Length);
        foreach (var bound in d.Bounds) to.Number(bound);
        Write(to, d.Counts);
        to.Body.Number(d.Quantiles.Length);
        foreach (var (quantile, value) in d.Quantiles)
        {
            to.Number(quantile);
            to.Number(value);
        }
        if (d.Exponential is not { } e) return;
        to.Body.Signed(e.Scale);
        to.Number(e.ZeroCount);
        to.Number(e.ZeroThreshold);
        to.Body.Signed(e.PositiveOffset);
        Write(to, e.Positive);
        to.Body.Signed(e.NegativeOffset);
        Write(to, e.Negative);
    }

    private static void Write(SignalWriter to, ulong[] counts)
    {
        to.Body.Number(counts.Length);
        foreach (var count in counts) to.Number(count);
    }

    /// <exception cref="InvalidDataException">The blob is damaged.</exception>
    public static IReadOnlyList<Metric> Decode(ReadOnlySpan<byte> unpacked)
    {
        var from = new SignalReader(unpacked);
        var metrics = new Metric[from.Count()];
        for (var i = 0; i < metrics.Length; i++)
        {
            var (resource, scope) = from.Of();
            var (name, unit, description) = (from.Text(), from.Text(), from.Text());
            var (kind, temporality, monotonic) = ((MetricKind)from.Byte(), (Temporality)from.Byte(), from.Byte() != 0);
            var metadata = from.Fields();
            var samples = new Sample[from.Count()];
            for (var s = 0; s < samples.Length; s++) samples[s] = ReadSample(ref from);
            metrics[i] = new Metric(name, unit, description, kind, resource, scope, samples) { Temporality = temporality, IsMonotonic = monotonic, Metadata = metadata };
        }
        return metrics;
    }

    private static Sample ReadSample(ref SignalReader from)
    {
        var time = from.Time();
        var start = from.Byte() == 0 ? 0 : time - from.Signed();
        var (attributes, value, has) = (from.Fields(), from.Value(), from.Byte());
        var distribution = (has & HasDistribution) == 0 ? null : ReadDistribution(ref from, (has & HasExponential) != 0);
        Exemplar[] exemplars = (has & HasExemplars) == 0 ? [] : new Exemplar[from.Count()];
        for (var i = 0; i < exemplars.Length; i++) exemplars[i] = new Exemplar(from.Time(), from.Value(), from.OptionalText(), from.OptionalText(), from.Fields());
        return new Sample { Time = time, Start = start, Attributes = attributes, Value = value, Distribution = distribution, Exemplars = exemplars };
    }

    private static Distribution ReadDistribution(ref SignalReader from, bool exponential)
    {
        var (count, sum, min, max) = (from.Whole(), from.OptionalNumber(), from.OptionalNumber(), from.OptionalNumber());
        var bounds = new double[from.Count()];
        for (var i = 0; i < bounds.Length; i++) bounds[i] = from.Decimal();
        var counts = ReadCounts(ref from);
        var quantiles = new (double, double)[from.Count()];
        for (var i = 0; i < quantiles.Length; i++) quantiles[i] = (from.Decimal(), from.Decimal());
        return new Distribution(count, sum)
        {
            Min = min,
            Max = max,
            Bounds = bounds,
            Counts = counts,
            Quantiles = quantiles,
            Exponential = exponential ? new ExponentialBuckets((int)from.Signed(), from.Whole(), from.Decimal(), (int)from.Signed(), ReadCounts(ref from), (int)from.Signed(), ReadCounts(ref from)) : null,
        };
    }

    private static ulong[] ReadCounts(ref SignalReader from)
    {
        var counts = new ulong[from.Count()];
        for (var i = 0; i < counts.Length; i++) counts[i] = from.Whole();
        return counts;
    }
}
