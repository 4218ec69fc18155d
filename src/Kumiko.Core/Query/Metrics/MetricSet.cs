using Kumiko.Core.Evaluation;
using Kumiko.Core.Language;
using Kumiko.Core.Storage.Metrics;

namespace Kumiko.Core.Query.Metrics;

/// <summary>Samples of metrics as rows that queries can read: <c>from metrics</c>.</summary>
public sealed class MetricSet(MetricStore metrics) : RowSet
{
    public override string Name => "metrics";

    public override string Title => "samples of metrics";

    public override (string One, string Many) Noun => ("series", "series");

    public override (string One, string Many) RowNoun => ("sample", "samples");

    public override RowScan Scan(ScanRequest request) =>
        new MetricSamples(
            metrics,
            request.Window,
            request.Context,
            [.. metrics.Book.All().Where(s => request.Access.MayRead(s.Source))],
            request.Cancel
        );

    public override IEnumerable<Completion> Fields(CompletionPlace place, string before) =>
        MetricCompletions.Fields(place, before, metrics);

    public override IEnumerable<Completion> Values(CompletionPlace place, string field, string before) =>
        MetricCompletions.Values(place, field, before, metrics);
}
