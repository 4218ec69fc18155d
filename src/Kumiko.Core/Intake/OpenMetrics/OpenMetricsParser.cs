using System.Text;
using Kumiko.Core.Intake.Files;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Intake.OpenMetrics;

/// <summary>What a scraped text held.</summary>
/// <param name="IsComplete">Whether it ends as the standard says, with <c># EOF</c>.</param>
public sealed record Exposition(
    IReadOnlyList<Metric> Metrics,
    IReadOnlyList<Refused> Refused,
    long RefusedTotal,
    bool IsComplete
);

/// <summary>
/// OpenMetrics 1.0 text to metrics. A line that cannot be read is refused and the rest carried on. Counters become
/// monotonic cumulative sums, buckets histograms with counts of their own; all else is a gauge.
/// </summary>
public static class OpenMetricsParser
{
    private const int MostReported = LineIntake.MostReported;
    private const int MostSamples = 1_000_000;

    /// <summary>What may follow a family's name, by its type.</summary>
    private static readonly Dictionary<string, string[]> Suffixes = new(StringComparer.Ordinal)
    {
        ["counter"] = ["_total", "_created"],
        ["histogram"] = ["_bucket", "_count", "_sum", "_created"],
        ["gaugehistogram"] = ["_bucket", "_gcount", "_gsum"],
        ["summary"] = ["_count", "_sum", "_created", ""],
        ["info"] = ["_info"],
        ["gauge"] = [""],
        ["stateset"] = [""],
        ["unknown"] = [""],
    };

    private sealed class Family(string name)
    {
        public string Name => name;
        public string Type { get; set; } = "unknown";
        public string Unit { get; set; } = "";
        public string Help { get; set; } = "";
        public List<Sample> Samples { get; } = [];

        /// <summary>When the counters of the family began, by their labels.</summary>
        public Dictionary<string, long> Created { get; } = new(StringComparer.Ordinal);
        public Dictionary<string, Parts> Distributions { get; } = new(StringComparer.Ordinal);
    }

    /// <summary>The lines of one distribution at one time.</summary>
    private sealed class Parts(Attributes labels, long time)
    {
        public Attributes Labels => labels;
        public long Time => time;
        public List<(double Bound, double Value)> Rows { get; } = [];
        public List<Exemplar> Exemplars { get; } = [];
        public double? Count { get; set; }
        public double? Sum { get; set; }
        public double? Created { get; set; }
        public int Line { get; set; }
    }

    /// <param name="now">The time of samples that have none, UTC nanoseconds.</param>
    /// <param name="resource">What was scraped.</param>
    public static Exposition Read(string text, Resource resource, long now)
    {
        var families = new Dictionary<string, Family>(StringComparer.Ordinal);
        var refused = new List<Refused>();
        var (refusedTotal, lineNumber, complete, samples) = (0L, 0, false, 0);
        foreach (var range in text.AsSpan().Split('\n'))
        {
            lineNumber++;
            var line = text[range].TrimEnd('\r');
            if (line.Length == 0)
                continue;
            if (complete)
            {
                Refuse(line, 1, "Nothing can follow # EOF.");
                break;
            }
            if (line == "# EOF")
            {
                complete = true;
                continue;
            }
            if (line[0] == '#')
            {
                Describe(line, families);
                continue;
            }
            if (ExpositionLine.Read(line, out var refusal) is not { } sample)
            {
                Refuse(line, refusal!.Column, refusal.Reason);
                continue;
            }
            if (++samples > MostSamples)
            {
                Refuse(line, 0, $"More than {MostSamples} samples at once.");
                break;
            }
            if (Add(sample, families, now, lineNumber) is { } reason)
                Refuse(line, 1, reason);
        }
        var scope = InstrumentationScope.None;
        var metrics = new List<Metric>();
        foreach (var family in families.Values)
        {
            foreach (var parts in family.Distributions.Values)
                if (Distribution(family, parts, out var reason) is { } made)
                    family.Samples.Add(made);
                else
                {
                    lineNumber = parts.Line;
                    Refuse(family.Name, 0, reason!);
                }
            if (family.Samples.Count == 0)
                continue;
            metrics.Add(
                new Metric(
                    family.Name,
                    family.Unit,
                    family.Help,
                    KindOf(family.Type),
                    resource,
                    scope,
                    family.Created.Count == 0 ? family.Samples : [.. family.Samples.Select(s => Started(s, family))]
                )
                {
                    Temporality = family.Type is "counter" or "histogram" ? Temporality.Cumulative : Temporality.Unspecified,
                    IsMonotonic = family.Type == "counter",
                }
            );
        }
        return new Exposition(metrics, refused, refusedTotal, complete);

        void Refuse(string line, int column, string reason)
        {
            refusedTotal++;
            if (refused.Count < MostReported)
                refused.Add(
                    new Refused(
                        lineNumber,
                        column,
                        reason,
                        Encoding.UTF8.GetBytes(line.Length > LineReader.KeptHead ? line[..LineReader.KeptHead] : line)
                    )
                );
        }
    }

    private static Sample Started(Sample sample, Family family) =>
        family.Created.TryGetValue(Value.Of(sample.Attributes).ToJson(), out var began)
            ? new Sample
            {
                Time = sample.Time,
                Start = began,
                Attributes = sample.Attributes,
                Value = sample.Value,
                Exemplars = sample.Exemplars,
            }
            : sample;

    private static MetricKind KindOf(string type) =>
        type switch
        {
            "counter" => MetricKind.Sum,
            "histogram" or "gaugehistogram" => MetricKind.Histogram,
            "summary" => MetricKind.Summary,
            _ => MetricKind.Gauge,
        };

    private static void Describe(string line, Dictionary<string, Family> families)
    {
        var words = line.Split(' ', 4);
        if (words.Length < 4 || words[0] != "#")
            return;
        if (!families.TryGetValue(words[2], out var family))
            families.Add(words[2], family = new Family(words[2]));
        switch (words[1])
        {
            case "TYPE":
                family.Type = Suffixes.ContainsKey(words[3]) ? words[3] : "unknown";
                break;
            case "UNIT":
                family.Unit = words[3];
                break;
            case "HELP":
                family.Help = words[3]
                    .Replace("\\n", "\n", StringComparison.Ordinal)
                    .Replace("\\\"", "\"", StringComparison.Ordinal)
                    .Replace("\\\\", "\\", StringComparison.Ordinal);
                break;
        }
    }

    private static (Family Family, string Suffix) FamilyOf(string name, Dictionary<string, Family> families)
    {
        foreach (var suffix in new[] { "_total", "_created", "_bucket", "_count", "_sum", "_gcount", "_gsum", "_info" })
            if (
                name.EndsWith(suffix, StringComparison.Ordinal)
                && families.TryGetValue(name[..^suffix.Length], out var typed)
                && Suffixes[typed.Type].Contains(suffix)
            )
                return (typed, suffix);
        if (!families.TryGetValue(name, out var family))
            families.Add(name, family = new Family(name));
        return (family, "");
    }

    /// <returns>Why the sample cannot be taken; null where it was.</returns>
    private static string? Add(ExpositionLine line, Dictionary<string, Family> families, long now, int number)
    {
        var (family, suffix) = FamilyOf(line.Name, families);
        // A counter that is declared by its whole name, as older senders do.
        if (suffix.Length == 0 && family.Type == "counter")
            suffix = "_total";
        else if (!Suffixes[family.Type].Contains(suffix))
            return $"A {family.Type} has no sample of this name.";
        var time = now;
        if (line.Time is { } given && !Instants.TryFromEpoch(given, out time))
            return "The timestamp is no time between the years 1678 and 2261.";
        var split = family.Type switch
        {
            "histogram" or "gaugehistogram" => "le",
            "summary" => "quantile",
            _ => null,
        };
        var exemplar = ExemplarOf(line.Exemplar, time);
        if (split is null)
        {
            if (suffix == "_created")
            {
                if (Instants.TryFromEpoch(line.Value, out var began))
                    family.Created[Value.Of(Labels(line.Labels)).ToJson()] = began;
                return null;
            }
            family.Samples.Add(
                new Sample
                {
                    Time = time,
                    Attributes = Labels(line.Labels),
                    Value = Value.Of(line.Value),
                    Exemplars = exemplar is null ? [] : [exemplar],
                }
            );
            return null;
        }
        var labels = Labels([.. line.Labels.Where(l => l.Name != split)]);
        var key = Value.Of(labels).ToJson() + time;
        if (!family.Distributions.TryGetValue(key, out var parts))
            family.Distributions.Add(key, parts = new Parts(labels, time) { Line = number });
        switch (suffix)
        {
            case "_count" or "_gcount":
                parts.Count = line.Value;
                return null;
            case "_sum" or "_gsum":
                parts.Sum = line.Value;
                return null;
            case "_created":
                parts.Created = line.Value;
                return null;
        }
        if (line.Labels.FirstOrDefault(l => l.Name == split).Value is not { } bound || !TryBound(bound, out var at))
            return $"The label {split} is missing or no number.";
        parts.Rows.Add((at, line.Value));
        if (exemplar is not null)
            parts.Exemplars.Add(exemplar);
        return null;
    }

    private static bool TryBound(string text, out double bound)
    {
        bound = double.PositiveInfinity;
        return text is "+Inf" or "Inf"
            || double.TryParse(
                text,
                System.Globalization.NumberStyles.Float,
                System.Globalization.CultureInfo.InvariantCulture,
                out bound
            );
    }

    private static Attributes Labels(IReadOnlyList<(string Name, string Value)> labels) =>
        labels.Count == 0
            ? Attributes.Empty
            : new Attributes([.. labels.Select(l => l.Name)], [.. labels.Select(l => Value.Of(l.Value))]);

    private static Exemplar? ExemplarOf(ExpositionExemplar? from, long time)
    {
        if (from is null || (from.Time is { } given && !Instants.TryFromEpoch(given, out time)))
            return null;
        string? Id(string name) => from.Labels.FirstOrDefault(l => l.Name == name).Value;
        return new Exemplar(
            time,
            Value.Of(from.Value),
            Id("trace_id"),
            Id("span_id"),
            Labels([.. from.Labels.Where(l => l.Name is not ("trace_id" or "span_id"))])
        );
    }

    private static Sample? Distribution(Family family, Parts parts, out string? reason)
    {
        reason = null;
        var rows = parts.Rows.OrderBy(r => r.Bound).ToList();
        var start = parts.Created is { } created && Instants.TryFromEpoch(created, out var began) ? began : 0;
        Sample Made(Distribution distribution) =>
            new()
            {
                Time = parts.Time,
                Start = start,
                Attributes = parts.Labels,
                Distribution = distribution,
                Exemplars = parts.Exemplars,
            };
        if (family.Type == "summary")
            return Made(
                new Distribution(Whole(parts.Count), parts.Sum) { Quantiles = [.. rows.Select(r => (r.Bound, r.Value))] }
            );
        if (rows.Count == 0 || !double.IsPositiveInfinity(rows[^1].Bound))
        {
            reason = "A histogram needs a bucket with le=\"+Inf\".";
            return null;
        }
        var counts = new ulong[rows.Count];
        for (var i = 0; i < rows.Count; i++)
        {
            var before = i == 0 ? 0 : rows[i - 1].Value;
            if (!(rows[i].Value >= before) || (i > 0 && rows[i].Bound == rows[i - 1].Bound))
            {
                reason = "The counts of a histogram's buckets must rise with their bounds, each bound once.";
                return null;
            }
            counts[i] = Whole(rows[i].Value) - Whole(before);
        }
        return Made(
            new Distribution(Whole(parts.Count ?? rows[^1].Value), parts.Sum)
            {
                Bounds = [.. rows.Take(rows.Count - 1).Select(r => r.Bound)],
                Counts = counts,
            }
        );
    }

    private static ulong Whole(double? count) => count is { } given && given > 0 ? (ulong)Math.Min(given, long.MaxValue) : 0;
}
