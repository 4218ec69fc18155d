using System.Text.Json;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using Kumiko.Core.Storage.Metrics;

namespace Kumiko.Core.Delivery;

/// <summary>Writes the results of checks as samples of Kumiko's own metrics: <c>kumiko.rule.figure</c> and
/// <c>kumiko.rule.level</c> (0 well, 1 warning, 2 critical), by rule and key.</summary>
public sealed class ResultMetrics(MetricStore metrics) : IResultSink
{
    private static readonly Resource Kumiko = new(new Attributes(["service.name"], [Value.Of("kumiko")]));
    private static readonly InstrumentationScope Scope = new("kumiko.rules", "", Attributes.Empty);

    public async Task Write(Rule rule, Notification result, CancellationToken cancel)
    {
        var results = JsonSerializer.Deserialize<CheckResult[]>(result.Text) ?? [];
        Attributes Of(CheckResult r) =>
            r.Key.Length > 0
                ? new Attributes(["key", "rule"], [Value.Of(r.Key), Value.Of(rule.Name)])
                : new Attributes(["rule"], [Value.Of(rule.Name)]);
        var figures = results
            .Where(r => r.Value is not null)
            .Select(r => new Sample
            {
                Time = result.At,
                Attributes = Of(r),
                Value = Value.Of(r.Value!.Value),
            })
            .ToList();
        var levels = results
            .Select(r => new Sample
            {
                Time = result.At,
                Attributes = Of(r),
                Value = Value.Of((double)(int)Enum.Parse<AlertLevel>(r.Level, true)),
            })
            .ToList();
        List<Metric> all =
        [
            new(
                "kumiko.rule.level",
                "",
                "What the last check found: 0 well, 1 warning, 2 critical",
                MetricKind.Gauge,
                Kumiko,
                Scope,
                levels
            ),
        ];
        if (figures.Count > 0)
            all.Add(
                new("kumiko.rule.figure", "", "The figure that the last check found", MetricKind.Gauge, Kumiko, Scope, figures)
            );
        await metrics.Append(all, "kumiko", cancel);
    }
}
