using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Metrics;

namespace Kumiko.Core.Query.Metrics;

/// <summary>Exemplars as rows that queries can read: <c>from exemplars</c>. Each has what its series has, and the trace that it
/// was measured in.</summary>
public sealed class ExemplarSet(MetricStore metrics) : RowSet
{
    private static readonly Column[] Fixed =
    [
        new("time", ColumnRole.Time, ValueKind.Time),
        new("name", ColumnRole.Key),
        new("value", ColumnRole.Value, ValueKind.Decimal),
        new("trace_id", ColumnRole.Detail),
        new("span_id", ColumnRole.Detail),
        new("sample_time", ColumnRole.Detail, ValueKind.Time),
        new("unit", ColumnRole.Detail),
        new("kind", ColumnRole.Detail),
        new("source", ColumnRole.Detail),
    ];

    public override string Name => "exemplars";

    public override string Title => "single measurements with their trace";

    public override (string One, string Many) Noun => ("exemplar", "exemplars");

    /// <summary>Which attributes exemplars have only they tell, so they are read for their columns; the most that an answer may
    /// have is the most that are read.</summary>
    /// <exception cref="QueryRefusedException">There are more than may be.</exception>
    public override RowScan Scan(ScanRequest request)
    {
        var most = request.Question.Limits.Rows;
        var found = new List<(MetricSeries Series, long Sample, Exemplar Exemplar)>();
        foreach (var one in metrics.Exemplars(request.Window))
        {
            request.Cancel.ThrowIfCancellationRequested();
            if (!request.Access.MayRead(one.Series.Source))
                continue;
            if (found.Count >= most)
                throw new QueryRefusedException($"These are more than {most:N0} exemplars. Take a shorter focus.");
            found.Add(one);
        }
        var names = found
            .SelectMany(f => f.Series.FieldNames.Concat(f.Exemplar.Attributes.Names.ToArray()))
            .Distinct(StringComparer.Ordinal)
            .Where(n => !Array.Exists(Fixed, c => c.Name == n))
            .Order(StringComparer.Ordinal)
            .ToList();
        return new ColumnScan(
            [.. Fixed, .. names.Select(n => new Column(n, ColumnRole.Key))],
            () =>
                found
                    .OrderByDescending(f => f.Exemplar.Time)
                    .ThenBy(f => f.Series.Id)
                    .Select(f =>
                        (Value[])[.. Row(f.Series, f.Sample, f.Exemplar), .. names.Select(n => FieldOf(f.Series, f.Exemplar, n))]
                    ),
            request.Cancel
        );
    }

    private static Value[] Row(MetricSeries series, long sample, Exemplar exemplar) =>
        [
            Value.Time(exemplar.Time),
            Value.Of(series.Name),
            exemplar.Value,
            Value.Of(exemplar.TraceId),
            Value.Of(exemplar.SpanId),
            Value.Time(sample),
            series.Field("unit"),
            series.Field("kind"),
            series.Field("source"),
        ];

    private static Value FieldOf(MetricSeries series, Exemplar exemplar, string name) =>
        exemplar.Attributes.Get(name) is { IsMissing: false } own ? own : series.Field(name);
}
