using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Query;
using Kumiko.Core.Records;

namespace Kumiko.Core.Changes;

/// <summary>Changes as rows that queries can read: <c>from changes</c>.</summary>
public sealed class ChangeSet(ChangeStore changes) : RowSet
{
    private static readonly Column[] Columns =
    [
        new("time", ColumnRole.Time, ValueKind.Time),
        new("kind", ColumnRole.Key),
        new("what", ColumnRole.Key),
        new("place", ColumnRole.Key),
        new("before", ColumnRole.Key),
        new("after", ColumnRole.Key),
        new("who", ColumnRole.Key),
        new("source", ColumnRole.Key),
        new("services", ColumnRole.Key),
        new("hosts", ColumnRole.Key),
        new("instances", ColumnRole.Key),
        new("places", ColumnRole.Key),
        new("roll_out", ColumnRole.Key),
        new("share", ColumnRole.Value, ValueKind.Decimal),
        new("event_id", ColumnRole.Detail),
        new("event_source", ColumnRole.Detail),
    ];

    public override string Name => "changes";

    public override string Title => "deploys, flags and other changes";

    public override (string One, string Many) Noun => ("change", "changes");

    public override RowScan Scan(ScanRequest request) =>
        new ColumnScan(
            Columns,
            () => changes.In(request.Window).Reverse().Where(c => request.Access.MayRead(c.Source)).Select(Row),
            request.Cancel
        );

    private static Value[] Row(Change c) =>
        [
            Value.Time(c.At),
            Text(c.Kind),
            Value.Of(c.What),
            Text(c.Place),
            Text(c.From),
            Text(c.To),
            Text(c.Who),
            Text(c.Source),
            Names(c.Scope?.Services),
            Names(c.Scope?.Hosts),
            Names(c.Scope?.Instances),
            Names(c.Scope?.Places),
            Text(c.RollOut),
            c.Share is { } share ? Value.Of(share) : Value.Missing,
            Text(c.EventId),
            Text(c.EventSource),
        ];

    /// <summary>One name as a text, several as a list, of which each is met by <c>services = booking</c>.</summary>
    private static Value Names(IReadOnlyList<string>? names) =>
        names switch
        {
            null or [] => Value.Missing,
            [var one] => Value.Of(one),
            _ => Value.Of([.. names.Select(n => Value.Of(n))]),
        };

    private static Value Text(string text) => text.Length == 0 ? Value.Missing : Value.Of(text);
}
