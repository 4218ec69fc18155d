using System.Runtime.CompilerServices;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Storage.Blocks;

/// <summary>
/// Fills a block row by row: <see cref="Begin"/>, then texts and fields, then <see cref="End"/> or <see cref="Abandon"/>.
/// It may be used for block after block, and knows shapes again. Not for several threads.
/// </summary>
internal sealed class RecordBlockBuilder
{
    private const int Slots = 256;
    private const int ManyFields = 32;

    /// <summary>Shapes are known again up to so many, with so many names in all: a sender may make up names without
    /// end.</summary>
    private const int MostShapes = 4_096;
    private const int MostNames = 1 << 16;

    private readonly ByteWriter _bytes = new(1 << 16);
    private long[] _times = new long[256];
    private long[] _observed = new long[256];
    private long[] _sequences = new long[256];
    private long[] _cells = new long[1024];
    private byte[] _severities = new byte[256];
    private int[] _resourceOf = new int[256];
    private int[] _sourceOf = new int[256];
    private int[] _shapeOf = new int[256];
    private int[] _starts = new int[256];
    private int[] _cellOf = new int[256];
    private Slice[] _texts = new Slice[256 * RecordBlock.TextParts];
    private int _count;
    private int _cellCount;

    // The row that is being filled.
    private int _start;
    private int _firstCell;
    private int _fields;
    private string[] _names = new string[16];
    private ValueKind[] _kinds = new ValueKind[16];
    private Dictionary<string, int>? _places;

    // What the rows of this block have in common.
    private readonly List<Resource> _resources = [];
    private readonly List<string> _sources = [];
    private readonly List<RecordShape> _shapes = [];
    private readonly Dictionary<Resource, int> _placeOfResource = new(ReferenceEqualityComparer.Instance);
    private readonly Dictionary<string, int> _placeOfSource = new(StringComparer.Ordinal);
    private readonly Dictionary<RecordShape, ShapePlace> _known = [];
    private readonly ShapePlace?[] _recent = new ShapePlace?[Slots];
    private int _block = 1;
    private int _knownNames;

    /// <summary>A shape and its place in the block where it was met last.</summary>
    private sealed class ShapePlace(RecordShape shape)
    {
        public readonly RecordShape Shape = shape;
        public int Block;
        public int Place;
    }

    /// <summary>Rows so far.</summary>
    public int Count => _count;

    /// <summary>Fields of the row that is being filled.</summary>
    public int Fields => _fields;

    /// <summary>One that holds more is better left to the collector.</summary>
    public const int MostHeld = 8 << 20;

    /// <summary>Bytes of memory that it holds for the next block.</summary>
    public int BytesHeld => _bytes.Buffer.Length + (_cells.Length * sizeof(long));

    public void Begin()
    {
        if (_count == _times.Length)
            Grow();
        (_start, _firstCell, _fields, _places) = (_bytes.Length, _cellCount, 0, null);
        _texts.AsSpan(_count * RecordBlock.TextParts, RecordBlock.TextParts).Fill(new Slice(0, -1));
    }

    /// <summary>Forgets the row that is being filled.</summary>
    public void Abandon()
    {
        _bytes.Back(_bytes.Length - _start);
        _cellCount = _firstCell;
    }

    /// <summary>Whether the row has this text already.</summary>
    public bool Has(TextPart part) => _texts[(_count * RecordBlock.TextParts) + (int)part].Length >= 0;

    public void Text(TextPart part, ReadOnlySpan<byte> utf8)
    {
        var start = _bytes.Length;
        _bytes.Bytes(utf8);
        Text(part, start);
    }

    public void Text(TextPart part, string text)
    {
        var start = _bytes.Length;
        _bytes.Utf8(text);
        Text(part, start);
    }

    /// <summary>Takes what was written to <see cref="Bytes"/> since a place as the text.</summary>
    public void Text(TextPart part, int start) =>
        _texts[(_count * RecordBlock.TextParts) + (int)part] = new Slice(start - _start, _bytes.Length - start);

    /// <summary>The bytes of the block: what the row's texts are written to.</summary>
    public ByteWriter Bytes => _bytes;

    /// <summary>A field that is a text: what was written to <see cref="Bytes"/> since a place.</summary>
    public void Field(string name, int start) =>
        Field(name, ValueKind.Text, RecordBlock.CellOfSlice(start - _start, _bytes.Length - start));

    public void Field(string name, Value value) => Field(name, value.Kind, Cell(value));

    private long Cell(Value value)
    {
        var start = _bytes.Length;
        switch (value.Kind)
        {
            case ValueKind.Missing:
                return 0;
            case ValueKind.Text:
                _bytes.Utf8(value.AsText);
                break;
            case ValueKind.List or ValueKind.Object:
                NestedValue.Write(_bytes, value);
                break;
            case ValueKind.Decimal:
                return BitConverter.DoubleToInt64Bits(value.AsDouble);
            default:
                return value.AsLong;
        }
        return RecordBlock.CellOfSlice(start - _start, _bytes.Length - start);
    }

    /// <summary>A field of the row; of equal names the last wins.</summary>
    public void Field(string name, ValueKind kind, long cell)
    {
        var at = Find(name);
        if (at < 0)
        {
            Add(name, kind, cell);
            return;
        }
        _kinds[at] = kind;
        _cells[_firstCell + at] = cell;
    }

    /// <summary>A field of the row as it is, though there may be one of this name.</summary>
    public void Add(string name, Value value) => Add(name, value.Kind, Cell(value));

    /// <inheritdoc cref="Add(string, Value)"/>
    public void Add(string name, int start) =>
        Add(name, ValueKind.Text, RecordBlock.CellOfSlice(start - _start, _bytes.Length - start));

    public bool HasField(string name) => Find(name) >= 0;

    /// <summary>Takes fields back, but for the first so many.</summary>
    public void Back(int fields)
    {
        (_fields, _cellCount, _places) = (fields, _firstCell + fields, null);
        if (fields > ManyFields)
            IndexFields();
    }

    private int Find(string name)
    {
        if (_places is not null)
            return _places.GetValueOrDefault(name, -1);
        for (var i = 0; i < _fields; i++)
            if (string.Equals(_names[i], name, StringComparison.Ordinal))
                return i;
        return -1;
    }

    private void Add(string name, ValueKind kind, long cell)
    {
        if (_fields == _names.Length)
        {
            Array.Resize(ref _names, _fields * 2);
            Array.Resize(ref _kinds, _fields * 2);
        }
        if (_cellCount == _cells.Length)
            Array.Resize(ref _cells, _cellCount * 2);
        _names[_fields] = name;
        _kinds[_fields] = kind;
        _cells[_cellCount++] = cell;
        if (_places is not null)
            _places.TryAdd(name, _fields);
        _fields++;
        if (_places is null && _fields > ManyFields)
            IndexFields();
    }

    private void IndexFields()
    {
        _places = new Dictionary<string, int>(StringComparer.Ordinal);
        for (var i = 0; i < _fields; i++)
            _places.TryAdd(_names[i], i);
    }

    /// <summary>Ends the row.</summary>
    public void End(long time, long observed, int severity, Resource resource, string source, long sequence = 0)
    {
        var row = _count++;
        (_times[row], _observed[row], _sequences[row], _severities[row]) = (time, observed, sequence, (byte)severity);
        (_starts[row], _cellOf[row]) = (_start, _firstCell);
        _resourceOf[row] = PlaceOf(resource);
        _sourceOf[row] = row > 0 && _sources[_sourceOf[row - 1]] == source ? _sourceOf[row - 1] : PlaceOf(source);
        _shapeOf[row] = PlaceOfShape();
    }

    /// <summary>A record as it is, equal names and all.</summary>
    public void Add(LogRecord record)
    {
        Begin();
        if (record.SeverityText is { } level)
            Text(TextPart.Level, level);
        if (record.TraceId is { } trace)
            Text(TextPart.TraceId, trace);
        if (record.SpanId is { } span)
            Text(TextPart.SpanId, span);
        Text(TextPart.Body, record.Body);
        var fields = record.Attributes;
        for (var i = 0; i < fields.Count; i++)
            Add(fields.Names[i], fields.Values[i]);
        End(record.Time, record.Observed, record.SeverityNumber, record.Resource, record.Source, record.Sequence);
    }

    private int PlaceOf(Resource resource)
    {
        if (_count > 1 && _resources[_resourceOf[_count - 2]] == resource)
            return _resourceOf[_count - 2];
        if (_placeOfResource.TryGetValue(resource, out var place))
            return place;
        _placeOfResource.Add(resource, place = _resources.Count);
        _resources.Add(resource);
        return place;
    }

    private int PlaceOf(string source)
    {
        if (_placeOfSource.TryGetValue(source, out var place))
            return place;
        _placeOfSource.Add(source, place = _sources.Count);
        _sources.Add(source);
        return place;
    }

    private int PlaceOfShape()
    {
        var hash = _fields;
        for (var i = 0; i < _fields; i++)
            hash = (((hash * 31) + RuntimeHelpers.GetHashCode(_names[i])) * 31) + (int)_kinds[i];
        ref var slot = ref _recent[hash & (Slots - 1)];
        if (slot is null || !IsRow(slot.Shape))
            slot = KnownShape();
        if (slot.Block == _block)
            return slot.Place;
        (slot.Block, slot.Place) = (_block, _shapes.Count);
        _shapes.Add(slot.Shape);
        return slot.Place;
    }

    private ShapePlace KnownShape()
    {
        var shape = new RecordShape(_names[.._fields], _kinds[.._fields]);
        if (_known.TryGetValue(shape, out var known))
            return known;
        if (_known.Count >= MostShapes || _knownNames + _fields > MostNames)
        {
            _known.Clear();
            Array.Clear(_recent);
            _knownNames = 0;
        }
        _knownNames += _fields;
        return _known[shape] = new ShapePlace(shape);
    }

    private bool IsRow(RecordShape shape)
    {
        if (shape.Names.Length != _fields || !shape.Kinds.AsSpan().SequenceEqual(_kinds.AsSpan(0, _fields)))
            return false;
        for (var i = 0; i < _fields; i++)
            if (!ReferenceEquals(shape.Names[i], _names[i]))
                return false;
        return true;
    }

    /// <summary>The rows as a block; the builder is empty then.</summary>
    public RecordBlock Build(Signal signal = Signal.Logs)
    {
        var block = new RecordBlock(_count, _cellCount, _bytes.Length) { Signal = signal }.With(
            [.. _resources],
            [.. _sources],
            [.. _shapes]
        );
        _times.AsSpan(0, _count).CopyTo(block.TimeOf);
        _observed.AsSpan(0, _count).CopyTo(block.ObservedOf);
        _sequences.AsSpan(0, _count).CopyTo(block.SequenceOf);
        _severities.AsSpan(0, _count).CopyTo(block.SeverityOf);
        _resourceOf.AsSpan(0, _count).CopyTo(block.ResourceOf);
        _sourceOf.AsSpan(0, _count).CopyTo(block.SourceOf);
        _shapeOf.AsSpan(0, _count).CopyTo(block.ShapeOf);
        _starts.AsSpan(0, _count).CopyTo(block.StartOf);
        _cellOf.AsSpan(0, _count).CopyTo(block.CellOf);
        (block.StartOf[_count], block.CellOf[_count]) = (_bytes.Length, _cellCount);
        _texts.AsSpan(0, _count * RecordBlock.TextParts).CopyTo(block.Texts);
        _cells.AsSpan(0, _cellCount).CopyTo(block.Cells);
        _bytes.Written.CopyTo(block.Bytes);
        Clear();
        return block;
    }

    private void Clear()
    {
        _bytes.Clear();
        (_count, _cellCount) = (0, 0);
        _block++;
        _resources.Clear();
        _sources.Clear();
        _shapes.Clear();
        _placeOfResource.Clear();
        _placeOfSource.Clear();
    }

    private void Grow()
    {
        var size = _count * 2;
        Array.Resize(ref _times, size);
        Array.Resize(ref _observed, size);
        Array.Resize(ref _sequences, size);
        Array.Resize(ref _severities, size);
        Array.Resize(ref _resourceOf, size);
        Array.Resize(ref _sourceOf, size);
        Array.Resize(ref _shapeOf, size);
        Array.Resize(ref _starts, size);
        Array.Resize(ref _cellOf, size);
        Array.Resize(ref _texts, size * RecordBlock.TextParts);
    }
}
