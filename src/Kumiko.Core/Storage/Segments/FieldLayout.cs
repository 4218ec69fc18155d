using Kumiko.Core.Records;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Storage.Segments;

/// <summary>How the attributes of a segment's rows lie in columns; the same for every look through it.</summary>
/// <param name="Names">All names that the segment's fields have, inside of objects too.</param>
/// <param name="Keys">The fields that have columns.</param>
/// <param name="Shapes">The lists of fields that rows have.</param>
/// <param name="Counts">Number of values in each column.</param>
/// <param name="PlacesAt">Where in <see cref="SegmentColumn.Shapes"/> the shapes of the rows begin.</param>
internal sealed record FieldLayout(string[] Names, FieldKey[] Keys, FieldLayout.Shape[] Shapes, int[] Counts, int PlacesAt)
{
    /// <summary>A list of fields that rows have.</summary>
    /// <param name="Fields">Places of columns.</param>
    /// <param name="Bases">Where the values of these rows begin in each column.</param>
    /// <param name="Names">The names, one array for all rows.</param>
    internal sealed record Shape(int[] Fields, int[] Bases, string[] Names);

    /// <summary>Bytes that it takes, about.</summary>
    public int Size => (Keys.Length * 24) + Shapes.Sum(s => (s.Fields.Length * 16) + 64);

    /// <param name="head">The column <see cref="SegmentColumn.Shapes"/>.</param>
    /// <exception cref="InvalidDataException">The bytes cannot be such a column.</exception>
    public static FieldLayout Read(ReadOnlySpan<byte> head, int rows)
    {
        var from = new ByteReader(head);
        var names = NameTable.Read(ref from, SegmentRows.Strings);
        var keys = new FieldKey[from.Count(from.Left)];
        for (var i = 0; i < keys.Length; i++)
            keys[i] = new FieldKey(ValueCodec.Name(ref from, names), (ValueKind)from.Byte());
        var lists = new int[from.Count(from.Left)][];
        for (var s = 0; s < lists.Length; s++)
        {
            lists[s] = new int[from.Count(from.Left)];
            for (var i = 0; i < lists[s].Length; i++)
                lists[s][i] = from.Count(keys.Length - 1);
        }
        var placesAt = from.Position;
        var shapeOfRow = Buffers<int>.Take(rows);
        try
        {
            LongColumn.ReadPlaces(ref from, shapeOfRow.AsSpan(0, rows), lists.Length);
            var rowsOf = new int[lists.Length];
            foreach (var shape in shapeOfRow.AsSpan(0, rows))
                rowsOf[shape]++;
            var (shapes, counts) = LayOut(lists, rowsOf, keys);
            return new FieldLayout(names, keys, shapes, counts, placesAt);
        }
        finally
        {
            Buffers<int>.Return(shapeOfRow);
        }
    }

    private static (Shape[] Shapes, int[] Counts) LayOut(int[][] lists, int[] rowsOf, FieldKey[] keys)
    {
        var counts = new int[keys.Length];
        var shapes = new Shape[lists.Length];
        for (var s = 0; s < lists.Length; s++)
        {
            var bases = new int[lists[s].Length];
            for (var i = 0; i < bases.Length; i++)
            {
                bases[i] = counts[lists[s][i]];
                counts[lists[s][i]] += rowsOf[s];
            }
            shapes[s] = new Shape(lists[s], bases, Array.ConvertAll(lists[s], f => keys[f].Name));
        }
        return (shapes, counts);
    }
}
