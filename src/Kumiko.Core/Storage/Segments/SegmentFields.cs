using Kumiko.Core.Records;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Storage.Segments;

/// <summary>The attributes of a segment's rows: columns, and the rest of the rare ones. A column is read when it is first asked for.</summary>
public sealed class SegmentFields
{
    private readonly IColumnSource _source;
    private readonly Arena? _arena;
    private readonly string[] _names;
    private readonly Shape[] _shapes;
    private readonly int[] _shapeOfRow, _counts;
    private readonly FieldVector?[] _columns;
    private readonly int _rows;
    private int[]? _ranks;
    private (int[]? OfRow, TextVector Texts)? _rest;

    /// <summary>A list of fields that rows have.</summary>
    /// <param name="Fields">Places of columns.</param>
    /// <param name="Bases">Where the values of these rows begin in each column.</param>
    /// <param name="Names">The names, one array for all rows.</param>
    internal sealed record Shape(int[] Fields, int[] Bases, string[] Names);

    /// <param name="arena">Lends the buffers; null for buffers that live as long as this.</param>
    internal SegmentFields(int rows, IColumnSource source, Arena? arena)
    {
        (_rows, _source, _arena) = (rows, source, arena);
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
        _shapeOfRow = arena?.Ints(rows) ?? new int[rows];
        LongColumn.ReadPlaces(ref from, _shapeOfRow.AsSpan(0, rows), lists.Length);
        (_shapes, _counts) = Layout(lists);
        _columns = new FieldVector[Keys.Length];
    }

    /// <summary>The fields that have columns.</summary>
    public FieldKey[] Keys { get; }

    /// <summary>All names that the segment's fields have, inside of objects too.</summary>
    internal IReadOnlyList<string> Names => _names;

    internal IReadOnlyList<Shape> Shapes => _shapes;

    internal ReadOnlySpan<int> ShapeOfRow => _shapeOfRow.AsSpan(0, _rows);

    /// <summary>For each row, its place among the rows with the same list of fields.</summary>
    internal ReadOnlySpan<int> Ranks => (_ranks ??= Grouped.Ranks(ShapeOfRow, _shapes.Length, _arena)).AsSpan(0, _rows);

    /// <summary>For each row the place of its rare fields, or -1; null where no row has any.</summary>
    internal int[]? RestOfRow => (_rest ??= ReadRest()).OfRow;

    /// <summary>Number of values in a column.</summary>
    internal int CountOf(int column) => _counts[column];

    internal FieldVector Column(int column)
    {
        if (_columns[column] is { } known) return known;
        var bytes = _source.Read(SegmentColumn.FirstField + column);
        if (_arena is not null) _arena.Keep(bytes);
        var from = _arena is null ? new ByteReader(bytes.Span) : new ByteReader(bytes.Memory);
        var read = FieldVector.Read(Keys[column].Kind, ref from, _counts[column], _names, _arena);
        if (_arena is null) bytes.Dispose();
        return _columns[column] = read;
    }

    /// <summary>Reads everything, so that nothing can fail later.</summary>
    internal SegmentFields Decode()
    {
        _ = Ranks;
        for (var f = 0; f < Keys.Length; f++) Column(f).Decode();
        _rest ??= ReadRest();
        _rest.Value.Texts.Decode();
        return this;
    }

    private (int[]? OfRow, TextVector Texts) ReadRest()
    {
        using var rest = _source.Read(SegmentColumn.Rest);
        return rest.Span.IsEmpty ? (null, TextVector.Empty) : OptionalTexts.Read(rest.Span, _rows);
    }

    private (Shape[] Shapes, int[] Counts) Layout(int[][] lists)
    {
        var rowsOf = new int[lists.Length];
        foreach (var shape in ShapeOfRow) rowsOf[shape]++;
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
        var (shape, rank) = (_shapes[_shapeOfRow[row]], Ranks[row]);
        var rest = RestOfRow is { } places ? places[row] : -1;
        if (shape.Fields.Length == 0 && rest < 0) return Attributes.Empty;
        var values = new Value[shape.Fields.Length];
        for (var i = 0; i < values.Length; i++) values[i] = Column(shape.Fields[i])[shape.Bases[i] + rank];
        return rest < 0 ? new Attributes(shape.Names, values) : WithRest(shape.Names, values, rest);
    }

    private Attributes WithRest(string[] names, Value[] values, int rest)
    {
        using var bytes = new ByteWriter();
        _rest!.Value.Texts.Append(rest, bytes);
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
        return Read(ref from, rows, null);
    }

    /// <summary>The same with buffers of an arena, over bytes that stay.</summary>
    public static (int[] Places, TextVector Texts) Read(ReadOnlyMemory<byte> content, int rows, Arena arena)
    {
        var from = new ByteReader(content);
        return Read(ref from, rows, arena);
    }

    private static (int[] Places, TextVector Texts) Read(ref ByteReader from, int rows, Arena? arena)
    {
        var places = arena?.Ints(rows) ?? new int[rows];
        LongColumn.ReadPlaces(ref from, places.AsSpan(0, rows), 2);
        var count = 0;
        // Without a branch: a third of the rows have such a text, in no order that a processor could guess.
        for (var i = 0; i < rows; i++)
        {
            var there = places[i];
            places[i] = count | (there - 1);
            count += there;
        }
        return (places, new TextVector(ref from, count, arena));
    }
}
