using System.Text;
using Kumiko.Core.Records;

namespace Kumiko.Core.Storage.Blocks;

/// <summary>Makes records of a block's rows.</summary>
internal static class RecordReader
{
    [ThreadStatic]
    private static StringCache? _strings;

    /// <summary>Texts that this thread met; for one use after the other.</summary>
    public static StringCache Strings => _strings ??= new StringCache();

    public static LogRecord Read(RecordBlock block, int row) => Read(block, row, Strings);

    private static LogRecord Read(RecordBlock block, int row, StringCache strings) =>
        new()
        {
            Time = block.TimeOf[row],
            Observed = block.ObservedOf[row],
            Sequence = block.SequenceOf[row],
            SeverityNumber = block.SeverityOf[row],
            SeverityText = Text(block, row, TextPart.Level, strings),
            Body = Text(block, row, TextPart.Body, strings) ?? "",
            TraceId = Id(block, row, TextPart.TraceId),
            SpanId = Id(block, row, TextPart.SpanId),
            Source = block.Sources[block.SourceOf[row]],
            Resource = block.Resources[block.ResourceOf[row]],
            Attributes = Fields(block, row, strings),
        };

    private static string? Text(RecordBlock block, int row, TextPart part, StringCache strings) =>
        block.TextOf(row, part) is { } text ? strings.Get(text.Of(block.Bytes)) : null;

    // Ids hardly come twice, so looking for them among known strings would be in vain.
    private static string? Id(RecordBlock block, int row, TextPart part) =>
        block.TextOf(row, part) is { } text ? Encoding.UTF8.GetString(text.Of(block.Bytes)) : null;

    /// <summary>The attributes of a row; their names are those of its shape.</summary>
    private static Attributes Fields(RecordBlock block, int row, StringCache strings)
    {
        var shape = block.Shapes[block.ShapeOf[row]];
        if (shape.Names.Length == 0)
            return Attributes.Empty;
        var values = new Value[shape.Names.Length];
        for (var i = 0; i < values.Length; i++)
            values[i] = block.ValueOf(row, shape.Kinds[i], block.Cells[block.CellOf[row] + i], strings);
        return new Attributes(shape.Names, values);
    }
}
