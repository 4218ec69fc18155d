using Kumiko.Core.Records;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Storage.Segments;

/// <summary>The attributes of a segment's rows: columns, and the rest of the rare ones. A column is read when it is first asked
/// for.</summary>
public sealed class SegmentFields
{
    private readonly IColumnSource _source;
    private readonly Arena? _arena;
    private readonly FieldLayout _layout;
    private readonly FieldVector?[] _columns;
    private readonly int _rows;
    private int[]? _shapeOfRow;
    private int[]? _ranks;
    private (int[]? OfRow, TextVector Texts)? _rest;

    /// <param name="arena">Lends the buffers; null for buffers that live as long as this.</param>
    internal SegmentFields(int rows, IColumnSource source, FieldLayout layout, Arena? arena)
    {
        (_rows, _source, _layout, _arena) = (rows, source, layout, arena);
        _columns = new FieldVector[layout.Keys.Length];
    }

    /// <summary>The fields that have columns.</summary>
    public FieldKey[] Keys => _layout.Keys;

    /// <summary>All names that the segment's fields have, inside of objects too.</summary>
    internal IReadOnlyList<string> Names => _layout.Names;

    internal FieldLayout.Shape[] Shapes => _layout.Shapes;

    /// <summary>Whether all rows have one list of fields, so that the place of a value is its row.</summary>
    internal bool IsOneShape => _layout.Shapes.Length == 1;

    internal ReadOnlySpan<int> ShapeOfRow => (_shapeOfRow ??= ReadShapeOfRow()).AsSpan(0, _rows);

    /// <summary>For each row, its place among the rows with the same list of fields.</summary>
    internal ReadOnlySpan<int> Ranks => (_ranks ??= Grouped.Ranks(ShapeOfRow, Shapes.Length, _arena)).AsSpan(0, _rows);

    /// <summary>For each row the place of its rare fields, or -1; null where no row has any.</summary>
    internal int[]? RestOfRow => (_rest ??= ReadRest()).OfRow;

    /// <summary>Number of values in a column.</summary>
    internal int CountOf(int column) => _layout.Counts[column];

    internal FieldVector Column(int column)
    {
        if (_columns[column] is { } known)
            return known;
        var bytes = _source.Read(SegmentColumn.FirstField + column);
        if (_arena is not null)
            _arena.Keep(bytes);
        var from = _arena is null ? new ByteReader(bytes.Span) : new ByteReader(bytes.Memory);
        var read = FieldVector.Read(Keys[column].Kind, ref from, _layout.Counts[column], _layout.Names, _arena);
        if (_arena is null)
            bytes.Dispose();
        return _columns[column] = read;
    }

    /// <summary>Reads everything, so that nothing can fail later.</summary>
    internal SegmentFields Decode()
    {
        if (!IsOneShape)
            _ = Ranks;
        for (var f = 0; f < Keys.Length; f++)
            Column(f).Decode();
        _rest ??= ReadRest();
        _rest.Value.Texts.Decode();
        return this;
    }

    private (int[]? OfRow, TextVector Texts) ReadRest()
    {
        using var rest = _source.Read(SegmentColumn.Rest);
        return rest.Span.IsEmpty ? (null, TextVector.Empty) : OptionalTexts.Read(rest.Span, _rows);
    }

    private int[] ReadShapeOfRow()
    {
        var shapes = _arena?.Ints(_rows) ?? new int[_rows];
        using var head = _source.Read(SegmentColumn.Shapes);
        if (head.Span.Length < _layout.PlacesAt)
            throw new InvalidDataException("The lists of fields are missing.");
        var from = new ByteReader(head.Span[_layout.PlacesAt..]);
        LongColumn.ReadPlaces(ref from, shapes.AsSpan(0, _rows), Shapes.Length);
        return shapes;
    }

    public Attributes Of(int row)
    {
        var (shape, rank) = IsOneShape ? (Shapes[0], row) : (Shapes[ShapeOfRow[row]], Ranks[row]);
        var rest = RestOfRow is { } places ? places[row] : -1;
        if (shape.Fields.Length == 0 && rest < 0)
            return Attributes.Empty;
        var values = new Value[shape.Fields.Length];
        for (var i = 0; i < values.Length; i++)
            values[i] = Column(shape.Fields[i])[shape.Bases[i] + rank];
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
            allNames.Insert(at, ValueCodec.Name(ref from, _layout.Names));
            allValues.Insert(at, ValueCodec.Read(ref from, _layout.Names, SegmentRows.Strings));
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
