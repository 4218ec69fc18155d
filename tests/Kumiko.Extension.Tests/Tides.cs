using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Query;
using Kumiko.Core.Records;

namespace Kumiko.Extension.Tests;

/// <summary>A made-up set of rows, <c>from tides</c>: the height of the water at two quays, each minute.</summary>
public sealed class Tides : RowSet
{
    public override string Name => "tides";

    public override string Title => "heights of the water";

    public override RowScan Scan(ScanRequest request) =>
        new ColumnScan(
            [
                new("time", ColumnRole.Time, ValueKind.Time),
                new("quay", ColumnRole.Key),
                new("height", ColumnRole.Value, ValueKind.Decimal) { Unit = "m" },
            ],
            () => Rows(request.Window),
            request.Cancel
        );

    private static IEnumerable<Value[]> Rows(Window window)
    {
        for (var (time, i) = (window.To - Instants.Minute, 0); time >= window.From; (time, i) = (time - Instants.Minute, i + 1))
            yield return [Value.Time(time), Value.Of(i % 2 == 0 ? "Tarnhead" : "Orra"), Value.Of(i % 7 / 2.0)];
    }
}
