using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Query;
using Kumiko.Core.Records;

namespace Kumiko.Core.Rules;

/// <summary>Alerts as rows that queries can read: <c>from alerts</c>.</summary>
public sealed class AlertSet(AlertStore alerts) : RowSet
{
    private static readonly Column[] Columns =
    [
        new("time", ColumnRole.Time, ValueKind.Time),
        new("rule", ColumnRole.Key),
        new("key", ColumnRole.Key),
        new("level", ColumnRole.Key),
        new("value", ColumnRole.Value, ValueKind.Decimal),
        new("worst", ColumnRole.Value, ValueKind.Decimal),
        new("lasted", ColumnRole.Value, ValueKind.Duration),
        new("ended", ColumnRole.Detail, ValueKind.Time),
        new("ended_by", ColumnRole.Detail),
        new("acknowledged_by", ColumnRole.Detail),
        new("team", ColumnRole.Detail),
        new("labels", ColumnRole.Detail),
    ];

    public override string Name => "alerts";

    public override string Title => "alerts of rules";

    public override (string One, string Many) Noun => ("alert", "alerts");

    /// <summary>The alerts that were open at some time in the window, by their start.</summary>
    public override RowScan Scan(ScanRequest request) =>
        request.Access.IsAll
            ? new ColumnScan(
                Columns,
                () => alerts.In(request.Window).OrderByDescending(a => a.Started).Select(Row),
                request.Cancel
            )
            : throw new QueryRefusedException(
                $"Alerts sum up what all sources sent, and you may read some of it. Ask for the records themselves."
            );

    private static Value[] Row(Alert a) =>
        [
            Value.Time(a.Started),
            Value.Of(a.Name),
            Text(a.Of),
            Value.Of(a.Level.ToString().ToLowerInvariant()),
            Number(a.Value),
            Number(a.Worst),
            a.Ended is { } ended ? Value.Duration(ended - a.Started) : Value.Missing,
            a.Ended is { } end ? Value.Time(end) : Value.Missing,
            Text(a.EndedBy),
            Text(a.Acknowledger),
            Text(a.Team),
            Text(a.Labels),
        ];

    private static Value Text(string? text) => string.IsNullOrEmpty(text) ? Value.Missing : Value.Of(text);

    private static Value Number(double? number) => number is { } there ? Value.Of(there) : Value.Missing;
}
