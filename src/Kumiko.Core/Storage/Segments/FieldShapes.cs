using System.IO.Hashing;
using System.Runtime.InteropServices;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Blocks;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Storage.Segments;

/// <summary>A field of one kind: values that clash in kind are in different columns.</summary>
public readonly record struct FieldKey(string Name, ValueKind Kind);

/// <summary>
/// Which fields each row has, in which order. Rows of one line of code have the same, so a row names its list; a
/// field that few rows have is left to the rest.
/// </summary>
internal sealed class FieldShapes
{
    private const int MostFields = 512;

    /// <summary>A field must be in one row of so many to have a column.</summary>
    private const int RareShare = 1024;

    private readonly Dictionary<FieldKey, int> _places = [];
    private readonly List<FieldKey> _all = [];
    private readonly Dictionary<ulong, int> _byHash = [];
    private readonly List<int[]> _shapes = [];
    private readonly List<int> _rowsOfShape = [];
    private readonly List<long> _firstSeen = [];
    private readonly int[] _shapeOfRow;

    /// <summary>The fields that have columns.</summary>
    public FieldKey[] Fields { get; }

    /// <summary>For each list of fields, its fields with columns in order: places in <see cref="Fields"/>.</summary>
    public List<int[]> Shapes { get; } = [];

    /// <summary>For each row, the place of its list in <see cref="Shapes"/>.</summary>
    public int[] ShapeOfRow { get; }

    /// <summary>For each row, whether some of its fields are in the rest; null where none are.</summary>
    public bool[]? HasRest { get; }

    private readonly int[] _columnOf;

    /// <param name="records">In the order of time.</param>
    public FieldShapes(RecordBlock records)
    {
        _shapeOfRow = new int[records.Count];
        Collect(records);
        var total = records.Count;
        var rows = new int[_all.Count];
        for (var s = 0; s < _shapes.Count; s++)
            foreach (var field in _shapes[s])
                rows[field] += _rowsOfShape[s];
        var kept = Enumerable
            .Range(0, _all.Count)
            .Where(f => rows[f] * (long)RareShare >= total)
            .OrderByDescending(f => rows[f])
            .Take(MostFields)
            .Order()
            .ToArray();
        Fields = [.. kept.Select(f => _all[f])];
        _columnOf = new int[_all.Count];
        Array.Fill(_columnOf, -1);
        for (var i = 0; i < kept.Length; i++)
            _columnOf[kept[i]] = i;
        if (kept.Length == _all.Count)
        {
            (Shapes, ShapeOfRow) = (_shapes, _shapeOfRow);
            return;
        }
        (ShapeOfRow, HasRest) = Reduce();
    }

    private void Collect(RecordBlock records)
    {
        var placeOf = new int[records.Shapes.Length];
        Array.Fill(placeOf, -1);
        for (var row = 0; row < records.Count; row++)
        {
            ref var place = ref placeOf[records.ShapeOf[row]];
            if (place < 0)
                place = Shape(records.Shapes[records.ShapeOf[row]], records.TimeOf[row]);
            _shapeOfRow[row] = place;
            _rowsOfShape[place]++;
        }
    }

    private int Shape(RecordShape shape, long time)
    {
        var fields = new int[shape.Names.Length];
        for (var i = 0; i < fields.Length; i++)
            fields[i] = Place(new FieldKey(shape.Names[i], shape.Kinds[i]), time);
        var place = Shape(fields, _shapes, _byHash);
        if (place == _rowsOfShape.Count)
            _rowsOfShape.Add(0);
        return place;
    }

    /// <summary>All fields with the time of the first record that has each.</summary>
    public IReadOnlyList<KeyValuePair<FieldKey, long>> FirstSeen =>
        [.. _all.Select((f, i) => KeyValuePair.Create(f, _firstSeen[i]))];

    private int Place(FieldKey field, long time)
    {
        if (_places.TryGetValue(field, out var place))
            return place;
        _places.Add(field, place = _all.Count);
        _firstSeen.Add(time);
        _all.Add(field);
        return place;
    }

    private static int Shape(ReadOnlySpan<int> fields, List<int[]> shapes, Dictionary<ulong, int> byHash)
    {
        var hash = XxHash3.HashToUInt64(MemoryMarshal.AsBytes(fields));
        while (byHash.TryGetValue(hash, out var known))
        {
            if (shapes[known].AsSpan().SequenceEqual(fields))
                return known;
            hash++;
        }
        byHash.Add(hash, shapes.Count);
        shapes.Add(fields.ToArray());
        return shapes.Count - 1;
    }

    private (int[] ShapeOfRow, bool[] HasRest) Reduce()
    {
        var byHash = new Dictionary<ulong, int>();
        var reduced = new int[_shapes.Count];
        var partly = new bool[_shapes.Count];
        for (var s = 0; s < _shapes.Count; s++)
        {
            var columns = _shapes[s].Select(f => _columnOf[f]).Where(c => c >= 0).ToArray();
            partly[s] = columns.Length < _shapes[s].Length;
            reduced[s] = Shape(columns, Shapes, byHash);
        }
        return (Array.ConvertAll(_shapeOfRow, s => reduced[s]), Array.ConvertAll(_shapeOfRow, s => partly[s]));
    }

    /// <summary>The column of a field, or -1 where it is in the rest.</summary>
    public int ColumnOf(string name, ValueKind kind) => _columnOf[_places[new FieldKey(name, kind)]];

    /// <summary>Where among the row's cells the value stands that is at a place in its list of fields with columns.</summary>
    public int CellAt(RecordBlock records, int row, int place)
    {
        if (HasRest?[row] != true)
            return place;
        var shape = records.Shapes[records.ShapeOf[row]];
        for (var at = 0; ; at++)
            if (ColumnOf(shape.Names[at], shape.Kinds[at]) >= 0 && place-- == 0)
                return at;
    }

    public void Write(ByteWriter to, NameTable names)
    {
        to.Number(Fields.Length);
        foreach (var field in Fields)
        {
            to.Number(names.Place(field.Name));
            to.Byte((byte)field.Kind);
        }
        to.Number(Shapes.Count);
        foreach (var shape in Shapes)
        {
            to.Number(shape.Length);
            foreach (var field in shape)
                to.Number(field);
        }
        LongColumn.Write(to, ShapeOfRow);
    }
}
