using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Signals;

namespace Kumiko.Core.Spans;

/// <summary>Spans as rows that queries can read: <c>from spans</c>.</summary>
public sealed class SpanSet(SignalStore signals) : RowSet
{
    private static readonly string[] Kinds = ["", "internal", "server", "client", "producer", "consumer"];

    private static readonly Column[] Columns =
    [
        new("time", ColumnRole.Time, ValueKind.Time),
        new("service", ColumnRole.Key),
        new("host", ColumnRole.Key),
        new("operation", ColumnRole.Key),
        new("kind", ColumnRole.Key),
        new("status", ColumnRole.Key),
        new("duration", ColumnRole.Value, ValueKind.Duration),
        new("trace_id", ColumnRole.Detail),
        new("span_id", ColumnRole.Detail),
        new("parent_id", ColumnRole.Detail),
        new("message", ColumnRole.Detail),
    ];

    public override string Name => "spans";

    public override string Title => "spans of traces";

    public override (string One, string Many) Noun => ("span", "spans");

    /// <summary>Spans that began in the window.</summary>
    public override RowScan Scan(ScanRequest request) =>
        new ColumnScan(
            Columns,
            () => signals.NewestFirst(request.Window, request.Access.MayRead, request.Cancel).Select(Row),
            request.Cancel
        );

    private static Value[] Row(Span span) =>
        [
            Value.Time(span.Start),
            span.Resource.Service,
            span.Resource.Host,
            Text(span.Name),
            Text(Kinds[(int)span.Kind]),
            Value.Of(span.Status.ToString().ToLowerInvariant()),
            Value.Duration(Math.Max(0, span.End - span.Start)),
            Text(span.TraceId),
            Text(span.SpanId),
            Text(span.ParentId),
            Text(span.StatusMessage),
        ];

    private static Value Text(string? text) => string.IsNullOrEmpty(text) ? Value.Missing : Value.Of(text);
}
