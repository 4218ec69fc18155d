using Kumiko.Core.Records;

namespace Kumiko.Core.Storage.Segments;

/// <summary>
/// Where the values of one name lie in a segment: for each list of fields a column, else the resource. Names of
/// nested or rare fields are looked up row by row.
/// </summary>
internal sealed class FieldColumn
{
    private const string AttributesPrefix = "attributes.";
    private const string ResourcePrefix = "resource.";

    private readonly SegmentScan _scan;
    private readonly string _name;
    private readonly Value[] _ofResource;
    private readonly int[] _columnOfShape;
    private readonly int[] _baseOfShape;
    private readonly bool _any;
    private readonly bool _rowByRow;
    private readonly bool _inRest;

    /// <summary>Stands for a field inside of objects.</summary>
    private const int Nested = -2;

    public FieldColumn(SegmentScan scan, string name)
    {
        _scan = scan;
        var (ofAttributes, ofResource) = (true, true);
        if (name.StartsWith(AttributesPrefix, StringComparison.Ordinal))
            (_name, ofResource) = (name[AttributesPrefix.Length..], false);
        else if (name.StartsWith(ResourcePrefix, StringComparison.Ordinal))
            (_name, ofAttributes) = (name[ResourcePrefix.Length..], false);
        else
            _name = name;
        _ofResource = ofResource && scan.MayBeOfResource(_name) ? [.. scan.Resources.Select(r => r.Attributes.Get(_name))] : [];
        var fields = scan.Attributes;
        var dotted = _name.Contains('.');
        var known =
            ofAttributes
            && (
                fields.Names.Contains(_name)
                || (dotted && fields.Names.Any(n => _name.StartsWith(n + ".", StringComparison.Ordinal)))
            );
        (_columnOfShape, _baseOfShape) = (new int[fields.Shapes.Length], new int[fields.Shapes.Length]);
        Array.Fill(_columnOfShape, -1);
        if (!known)
            return;
        _inRest = fields.RestOfRow is not null;
        for (var s = 0; s < fields.Shapes.Length; s++)
        {
            var shape = fields.Shapes[s];
            var at = Array.IndexOf(shape.Names, _name);
            if (at >= 0 && fields.Keys[shape.Fields[at]].Kind != ValueKind.Missing)
                (_columnOfShape[s], _baseOfShape[s]) = (shape.Fields[at], shape.Bases[at]);
            // The value is missing there, whatever objects hold.
            else if (at >= 0)
                continue;
            else if (dotted && Array.Exists(shape.Fields, f => fields.Keys[f].Kind == ValueKind.Object))
                _columnOfShape[s] = Nested;
            _any |= _columnOfShape[s] != -1;
            _rowByRow |= _columnOfShape[s] == Nested;
        }
        _any |= _inRest;
    }

    /// <summary>Whether values have to be looked up row by row, and not by column.</summary>
    public bool RowByRow => _rowByRow || _inRest;

    /// <summary>Whether some row may have an attribute of this name.</summary>
    public bool Any => _any;

    public Value Of(int row)
    {
        if (_any)
        {
            var value = OfAttributes(row);
            if (!value.IsMissing)
                return value;
        }
        return _ofResource.Length == 0 ? Value.Missing : _ofResource[_scan.ResourceOfRow[row]];
    }

    private FieldVector?[]? _vectorOfShape;

    private Value OfAttributes(int row)
    {
        var fields = _scan.Attributes;
        if (_inRest && fields.RestOfRow![row] >= 0)
            return fields.Of(row).Get(_name);
        var shape = fields.IsOneShape ? 0 : fields.ShapeOfRow[row];
        _vectorOfShape ??= Array.ConvertAll(_columnOfShape, c => c < 0 ? null : fields.Column(c));
        if (_vectorOfShape[shape] is { } vector)
            return vector[fields.IsOneShape ? row : _baseOfShape[shape] + fields.Ranks[row]];
        return _columnOfShape[shape] == Nested ? fields.Of(row).Get(_name) : Value.Missing;
    }

    /// <summary>
    /// The values of all rows, where they are whole numbers of one kind and nothing else; false where they are not.
    /// </summary>
    /// <param name="arena">Lends buffers, where they have to be gathered.</param>
    /// <param name="numbers">Receives them; 0 where there is none.</param>
    /// <param name="there">Receives 1 for rows that have one; null where all have.</param>
    public bool TryWholes(Columns.Arena arena, out long[] numbers, out byte[]? there, out ValueKind kind)
    {
        (numbers, there, kind) = ([], null, default);
        if (RowByRow || !_ofResource.All(v => v.IsMissing))
            return false;
        var fields = _scan.Attributes;
        var columns = Columns.ToList();
        if (columns.Count == 0)
            return false;
        kind = fields.Keys[columns[0]].Kind;
        var first = kind;
        if (
            kind is not (ValueKind.Integer or ValueKind.Duration or ValueKind.Size or ValueKind.Time)
            || columns.Any(c => fields.Keys[c].Kind != first)
        )
            return false;
        if (fields.IsOneShape)
        {
            numbers = fields.Column(columns[0]).Numbers;
            return true;
        }
        var shapes = fields.ShapeOfRow;
        var ranks = fields.Ranks;
        numbers = arena.Longs(_scan.Count);
        if (columns.Count == 1 && !_columnOfShape.Contains(-1))
        {
            var all = fields.Column(columns[0]).Wholes;
            for (var i = 0; i < shapes.Length; i++)
                numbers[i] = all[_baseOfShape[shapes[i]] + ranks[i]];
            return true;
        }
        there = arena.Bytes(_scan.Count);
        var vectors = Array.ConvertAll(_columnOfShape, c => c < 0 ? null : fields.Column(c));
        for (var i = 0; i < shapes.Length; i++)
        {
            var vector = vectors[shapes[i]];
            there[i] = vector is null ? (byte)0 : (byte)1;
            numbers[i] = vector is null ? 0 : vector.Wholes[_baseOfShape[shapes[i]] + ranks[i]];
        }
        return true;
    }

    /// <summary>The column that holds the value of each row at the place of the row; null where there is none such.</summary>
    public FieldVector? Whole =>
        !RowByRow && _scan.Attributes.IsOneShape && _columnOfShape[0] >= 0 ? _scan.Attributes.Column(_columnOfShape[0]) : null;

    /// <summary>The columns that hold values of this name.</summary>
    public IEnumerable<int> Columns => _columnOfShape.Where(c => c >= 0).Distinct();

    /// <summary>The value that rows without an attribute of this name have, for each resource; empty where it is missing for
    /// all.</summary>
    public IReadOnlyList<Value> OfResource => _ofResource;

    /// <summary>
    /// For each row a number that stands for its value: what <paramref name="ofColumn"/> says of the values of each
    /// column, else what <paramref name="ofResource"/> says of its resource. Not for names that go row by row.
    /// </summary>
    /// <param name="missing">For rows that have it nowhere.</param>
    public void Codes(Span<int> codes, Func<int, int[]> ofColumn, ReadOnlySpan<int> ofResource, int missing)
    {
        if (ofResource.IsEmpty)
            codes.Fill(missing);
        else
        {
            var resources = _scan.ResourceOfRow;
            for (var i = 0; i < codes.Length; i++)
                codes[i] = ofResource[resources[i]];
        }
        if (!_any)
            return;
        var fields = _scan.Attributes;
        var values = Array.ConvertAll(_columnOfShape, c => c < 0 ? null : ofColumn(c));
        if (fields.IsOneShape)
        {
            if (values[0] is { } all)
                all.AsSpan(0, codes.Length).CopyTo(codes);
            return;
        }
        var shapes = fields.ShapeOfRow;
        var ranks = fields.Ranks;
        for (var i = 0; i < codes.Length; i++)
            if (values[shapes[i]] is { } column)
                codes[i] = column[_baseOfShape[shapes[i]] + ranks[i]];
    }
}
