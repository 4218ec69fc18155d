using Kumiko.Core.Records;

namespace Kumiko.Core.Storage.Segments;

/// <summary>About how many bytes a record takes as a sender writes it.</summary>
public static class RecordSize
{
    private const int Frame = 64, Number = 8;

    public static long Of(LogRecord record) =>
        Frame + record.Body.Length + (record.TraceId?.Length ?? 0) + (record.SpanId?.Length ?? 0) + Of(record.Attributes);

    private static long Of(Attributes fields)
    {
        long size = 0;
        var names = fields.Names;
        for (var i = 0; i < names.Length; i++) size += names[i].Length + Of(fields.Values[i]);
        return size;
    }

    private static long Of(Value value) => value.Kind switch
    {
        ValueKind.Text => value.AsText.Length,
        ValueKind.Object => Of(value.AsObject),
        ValueKind.List => value.AsList.Sum(Of),
        _ => Number,
    };
}
