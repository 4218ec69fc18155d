using Kumiko.Core.Frames;
using Kumiko.Core.Records;

namespace Kumiko.Core.Query;

/// <summary>Records as rows of a frame, in chunks, without holding them all.</summary>
public static class RecordFrames
{
    private const int ChunkRows = 1_024;

    private static readonly Column[] Columns =
    [
        new("time", ColumnRole.Time, ValueKind.Time),
        new("level", ColumnRole.Detail, ValueKind.Level),
        new("service", ColumnRole.Detail),
        new("host", ColumnRole.Detail),
        new("body", ColumnRole.Detail),
        new("attributes", ColumnRole.Detail, ValueKind.Object),
        new("trace_id", ColumnRole.Detail),
        new("span_id", ColumnRole.Detail),
        new("source", ColumnRole.Detail),
    ];

    public static FrameStream Of(IEnumerable<LogRecord> records, Window window) =>
        new(new Schema(Columns, null, window), records.Select(Row).Chunk(ChunkRows));

    private static Value[] Row(LogRecord r) =>
    [
        Value.Time(r.Time), Value.Level(r.SeverityNumber), r.Resource.Service, r.Resource.Host, Value.Of(r.Body),
        Value.Of(r.Attributes), Value.Of(r.TraceId), Value.Of(r.SpanId), Value.Of(r.Source),
    ];
}
