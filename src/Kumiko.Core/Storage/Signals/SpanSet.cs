using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;

namespace Kumiko.Core.Storage.Signals;

/// <summary>Spans as rows that queries can read: <c>from spans</c>.</summary>
public static class SpanSet
{
    private const int Most = 500_000;

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

    /// <summary>Spans that began in a window, the newest first.</summary>
    /// <exception cref="QueryRefusedException">There are too many.</exception>
    public static Frame Read(SignalStore signals, Window window)
    {
        var rows = new List<Value[]>();
        foreach (var span in signals.Spans(window).Where(s => window.Contains(s.Start)))
        {
            if (rows.Count == Most)
                throw new QueryRefusedException($"More than {Most:N0} spans lie in this stretch. Take a shorter one.");
            rows.Add([
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
            ]);
        }
        rows.Sort((a, b) => b[0].AsLong.CompareTo(a[0].AsLong));
        return new Frame(new Schema(Columns, null, window), rows);
    }

    private static Value Text(string? text) => string.IsNullOrEmpty(text) ? Value.Missing : Value.Of(text);
}
