using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Query;
using Kumiko.Core.Records;

namespace Kumiko.Core.Entities;

/// <summary>Runs of instances as rows that queries can read: <c>from instances</c>, each that ran in the focus.</summary>
public sealed class InstanceSet(InstanceBook instances) : RowSet
{
    private static readonly Column[] Columns =
    [
        new("time", ColumnRole.Time, ValueKind.Time),
        new("instance", ColumnRole.Key),
        new("kind", ColumnRole.Key),
        new("service", ColumnRole.Key),
        new("host", ColumnRole.Key),
        new("noticed", ColumnRole.Key),
        new("seen", ColumnRole.Detail, ValueKind.Time),
        new("ended", ColumnRole.Detail, ValueKind.Time),
        new("reason", ColumnRole.Key),
        new("memory_limit", ColumnRole.Value, ValueKind.Size),
        new("cpu_limit", ColumnRole.Value, ValueKind.Decimal),
        new("source", ColumnRole.Key),
    ];

    public override string Name => "instances";

    public override string Title => "containers, pods and processes, each time that they ran";

    public override (string One, string Many) Noun => ("run", "runs");

    public override RowScan Scan(ScanRequest request) =>
        new ColumnScan(
            Columns,
            () => instances.In(request.Window).Reverse().Where(r => request.Access.MayRead(r.Source)).Select(Row),
            request.Cancel
        );

    private static Value[] Row(InstanceRun run) =>
        [
            Value.Time(run.Started),
            Value.Of(run.Instance),
            Value.Of(run.Kind),
            Text(run.Service),
            Text(run.Host),
            Value.Of(run.Noticed),
            Value.Time(run.Seen),
            run.Ended is { } ended ? Value.Time(ended) : Value.Missing,
            Text(run.Reason),
            run.MemoryLimit is { } memory ? Value.Size((long)memory) : Value.Missing,
            run.CpuLimit is { } cpu ? Value.Of(cpu) : Value.Missing,
            Text(run.Source),
        ];

    private static Value Text(string text) => text.Length == 0 ? Value.Missing : Value.Of(text);
}
