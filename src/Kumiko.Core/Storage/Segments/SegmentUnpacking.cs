using Kumiko.Core.Records;
using Kumiko.Core.Storage.Blocks;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Storage.Segments;

/// <summary>Makes a block of a segment's rows again, column by column, without a record for each.</summary>
internal static class SegmentUnpacking
{
    /// <param name="builder">Empty, and empty again afterwards; of no use any more after an error.</param>
    /// <exception cref="InvalidDataException">The segment is damaged.</exception>
    public static RecordBlock Read(SegmentScan scan, RecordBlockBuilder builder)
    {
        var bytes = builder.Bytes;
        for (var row = 0; row < scan.Count; row++)
        {
            builder.Begin();
            Optional(TextPart.Level, scan.SeverityText, row);
            Optional(TextPart.TraceId, scan.TraceId, row);
            Optional(TextPart.SpanId, scan.SpanId, row);
            var start = bytes.Length;
            scan.Bodies.Append(row, bytes);
            builder.Text(TextPart.Body, start);
            Fields(scan.Attributes, row, builder);
            var source = SegmentScan.Text(scan.Origin, row);
            builder.End(
                scan.Times[row],
                scan.Times[row] + scan.Observed[row],
                scan.Severities[row],
                scan.Resources[scan.ResourceOfRow[row]],
                source.IsMissing ? "" : source.AsText,
                scan.Sequences[row]
            );
        }
        return builder.Build(scan.Segment.Signal);

        void Optional(TextPart part, (int[] Places, TextVector Texts) column, int row)
        {
            if (column.Places[row] is not (var place and >= 0))
                return;
            var start = bytes.Length;
            column.Texts.Append(place, bytes);
            builder.Text(part, start);
        }
    }

    private static void Fields(SegmentFields fields, int row, RecordBlockBuilder builder)
    {
        if (fields.RestOfRow is { } rest && rest[row] >= 0)
        {
            var all = fields.Of(row);
            for (var i = 0; i < all.Count; i++)
                builder.Add(all.Names[i], all.Values[i]);
            return;
        }
        var (shape, rank) = fields.IsOneShape
            ? (fields.Shapes[0], row)
            : (fields.Shapes[fields.ShapeOfRow[row]], fields.Ranks[row]);
        for (var i = 0; i < shape.Fields.Length; i++)
        {
            var column = fields.Column(shape.Fields[i]);
            var place = shape.Bases[i] + rank;
            if (column.Texts is { } texts)
            {
                var start = builder.Bytes.Length;
                texts.Append(place, builder.Bytes);
                builder.Add(shape.Names[i], start);
            }
            else
                builder.Add(shape.Names[i], column[place]);
        }
    }
}
