using Kumiko.Core.Records;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Storage.Segments;

/// <summary>The attributes of a segment's rows: columns, and the rest of the rare ones.</summary>
public sealed class SegmentFields
{
    private readonly string[] _names;
    private readonly Shape[] _shapes;
    private readonly int[] _shapeOfRow, _ranks;
    private readonly FieldVector[] _columns;
    private readonly int[]? _restOfRow;
    private readonly TextVector _rest = TextVector.Empty;

    /// <summary>A list of fields that rows have.</summary>
    /// <param name="Fields">Places of columns.</param>
    /// <param name="Bases">Where the values of these rows begin in each column.</param>
    /// <param name="Names">The names, one array for all rows.</param>
    private sealed record Shape(int[] Fields, int[] Bases, string[] Names);

    internal SegmentFields(int rows, IColumnSource source)
    {
        using var head = source.Read(SegmentColumn.Shapes);
        var from = new ByteReader(head.Span);
        _names = NameTable.Read(ref from, SegmentRows.Strings);
        Keys = new FieldKey[from.Count(from.Left)];
        for (var i = 0; i < Keys.Length; i++) Keys[i] = new FieldKey(ValueCodec.Name(ref from, _names), (ValueKind)from.Byte());
        var lists = new int[from.Count(from.Left)][];
        for (var s = 0; s < lists.Length; s++)
        {
            lists[s] = new int[from.Count(from.Left)];
            for (var i = 0; i < lists[s].Length; i++) lists[s][i] = from.Count(Keys.Length - 1);
        }
        _shapeOfRow = LongColumn.ReadPlaces(ref from, rows, lists.Length);
        _ranks = Grouped.Ranks(_shapeOfRow, lists.Length);
        (_shapes, var counts) = Layout(lists);
        _columns = new FieldVector[Keys.Length];
        for (var f = 0; f < Keys.Length; f++)
        {
            using var column = source.Read(SegmentColumn.FirstField + f);
            _columns[f] = FieldVector.Read(Keys[f].Kind, column.Span, counts[f], _names);
        }
        using var rest = source.Read(SegmentColumn.Rest);
        if (!rest.Span.IsEmpty) (_restOfRow, _rest) = OptionalTexts.Read(rest.Span, rows);
    }

    /// <summary>The fields that have columns.</summary>
    public FieldKey[] Keys { get; }

    private (Shape[] Shapes, int[] Counts) Layout(int[][] lists)
    {
        var rowsOf = new int[lists.Length];
        foreach (var shape in _shapeOfRow) rowsOf[shape]++;
        var counts = new int[Keys.Length];
        var shapes = new Shape[lists.Length];
        for (var s = 0; s < lists.Length; s++)
        {
            var bases = new int[lists[s].Length];
            for (var i = 0; i < bases.Length; i++)
            {
                bases[i] = counts[lists[s][i]];
                counts[lists[s][i]] += rowsOf[s];
            }
            shapes[s] = new Shape(lists[s], bases, Array.ConvertAll(lists[s], f => Keys[f].Name));
        }
        return (shapes, counts);
    }

    public Attributes Of(int row)
    {
        var (shape, rank) = (_shapes[_shapeOfRow[row]], _ranks[row]);
        var rest = _restOfRow is null ? -1 : _restOfRow[row];
        if (shape.Fields.Length == 0 && rest < 0) return Attributes.Empty;
        var values = new Value[shape.Fields.Length];
        for (var i = 0; i < values.Length; i++) values[i] = _columns[shape.Fields[i]][shape.Bases[i] + rank];
        return rest < 0 ? new Attributes(shape.Names, values) : WithRest(shape.Names, values, rest);
    }

    private Attributes WithRest(string[] names, Value[] values, int rest)
    {
        using var bytes = new ByteWriter();
        _rest.Append(rest, bytes);
        var from = new ByteReader(bytes.Written);
        var (allNames, allValues) = (names.ToList(), values.ToList());
        while (from.Left > 0)
        {
            var at = from.Count(allNames.Count);
            allNames.Insert(at, ValueCodec.Name(ref from, _names));
            allValues.Insert(at, ValueCodec.Read(ref from, _names, SegmentRows.Strings));
        }
        return new Attributes([.. allNames], [.. allValues]);
    }
}

/// <summary>Texts that not every row has.</summary>
internal static class OptionalTexts
{
    /// <returns>For each row the place of its text, or -1; and the texts.</returns>
    public static (int[] Places, TextVector Texts) Read(ReadOnlySpan<byte> content, int rows)
    {
        var from = new ByteReader(content);
        var places = LongColumn.ReadPlaces(ref from, rows, 2);
        var count = 0;
        for (var i = 0; i < rows; i++) places[i] = places[i] == 0 ? -1 : count++;
        return (places, new TextVector(ref from, count));
    }
}
