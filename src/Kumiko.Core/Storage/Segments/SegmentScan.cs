using Kumiko.Core.Evaluation;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Storage.Segments;

/// <summary>
/// One look through a segment: its columns, each read and unpacked when it is first asked for, into buffers that go
/// back when the look ends. For one thread; what it hands out is not to be kept.
/// </summary>
public sealed class SegmentScan : RowSource, IDisposable
{
    private readonly Arena _arena = new();
    private readonly Counting _source;
    private readonly SegmentFacts _facts;
    private readonly Func<long, Value>? _patternOf;
    private Value[]? _patterns;
    private readonly Dictionary<FieldRef, FieldColumn> _fields = [];
    private long[]? _times;
    private long[]? _sequences;
    private long[]? _observed;
    private long[]? _durations;
    private LongSlice? _packedResources;
    private LongSlice? _packedSeverities;
    private byte[]? _severities;
    private int[]? _resourceOfRow;
    private SegmentBodies? _bodies;
    private SegmentFields? _attributes;
    private (int[] Places, TextVector Texts)? _traceId;
    private (int[] Places, TextVector Texts)? _spanId;
    private (int[] Places, TextVector Texts)? _severityText;
    private (int[] Places, TextVector Texts)? _origin;

    /// <summary>Adds up what is read.</summary>
    private sealed class Counting(IColumnSource inner) : IColumnSource
    {
        public long Bytes;

        public ColumnBytes Read(SegmentColumn column)
        {
            var bytes = inner.Read(column);
            Bytes += bytes.Span.Length;
            return bytes;
        }
    }

    internal SegmentScan(Segment segment, IColumnSource source, SegmentFacts facts, Func<long, Value>? patternOf)
    {
        (Segment, _source, _facts, _patternOf) = (segment, new Counting(source), facts, patternOf);
    }

    public Segment Segment { get; }
    public int Count => Segment.Rows;

    /// <summary>Lends buffers until the look ends.</summary>
    internal Arena Arena => _arena;

    /// <summary>Unpacked bytes that were read so far.</summary>
    public long BytesRead => _source.Bytes;

    public ReadOnlySpan<long> Times => (_times ??= Numbers(SegmentColumn.Time)).AsSpan(0, Count);
    public ReadOnlySpan<long> Sequences => (_sequences ??= Numbers(SegmentColumn.Sequence)).AsSpan(0, Count);

    /// <summary>How much later each was observed than it happened.</summary>
    internal ReadOnlySpan<long> Observed => (_observed ??= Numbers(SegmentColumn.Observed)).AsSpan(0, Count);

    /// <summary>Of spans: how long each took. Clocks that went back make no time negative.</summary>
    internal long[] Durations
    {
        get
        {
            if (_durations is not null)
                return _durations;
            _durations = _arena.Longs(Count);
            var observed = Observed;
            for (var i = 0; i < observed.Length; i++)
                _durations[i] = Math.Max(0, observed[i]);
            return _durations;
        }
    }

    /// <summary>Severity numbers.</summary>
    public ReadOnlySpan<byte> Severities => (_severities ??= ReadSeverities()).AsSpan(0, Count);

    /// <summary>The different resources of its rows; one object however many segments have it.</summary>
    public Resource[] Resources => _facts.Resources;

    /// <summary>The different services and hosts of its resources, and for each resource the place of its own.</summary>
    internal (int[] OfResource, Value[] Values) Services => _facts.Services;
    internal (int[] OfResource, Value[] Values) Hosts => _facts.Hosts;

    /// <summary>False where no resource has a field of this name.</summary>
    internal bool MayBeOfResource(string name) => _facts.MayBeOfResource(name);

    /// <summary>For each row, the place of its resource.</summary>
    public ReadOnlySpan<int> ResourceOfRow => (_resourceOfRow ??= ReadResourceOfRow()).AsSpan(0, Count);

    public SegmentBodies Bodies => _bodies ??= new SegmentBodies(Count, _source, _facts.Templates, _arena, _facts.Starts);
    public SegmentFields Attributes => _attributes ??= new SegmentFields(Count, _source, _facts.Layout, _arena);

    /// <summary>For each row the place of its trace id among the texts, or -1.</summary>
    internal (int[] Places, TextVector Texts) TraceId
    {
        get
        {
            var ids = _traceId ??= Optional(SegmentColumn.TraceId);
            _facts.TraceForm ??= ids.Texts.Form;
            return ids;
        }
    }

    internal (int[] Places, TextVector Texts) SpanId
    {
        get
        {
            var ids = _spanId ??= Optional(SegmentColumn.SpanId);
            _facts.SpanForm ??= ids.Texts.Form;
            return ids;
        }
    }

    /// <summary>How these ids are kept, where that is known without reading them.</summary>
    internal TextForm? TraceForm => _facts.TraceForm;
    internal TextForm? SpanForm => _facts.SpanForm;
    internal (int[] Places, TextVector Texts) SeverityText => _severityText ??= Optional(SegmentColumn.SeverityText);
    internal (int[] Places, TextVector Texts) Origin => _origin ??= Optional(SegmentColumn.Source);

    /// <summary>The places [First, End) of the rows inside a window.</summary>
    public (int First, int End) Range(Frames.Window window)
    {
        if (window.From <= Segment.MinTime && Segment.MaxTime < window.To)
            return (0, Count);
        return (RecordBatch.LowerBound(Times, window.From), RecordBatch.LowerBound(Times, window.To));
    }

    /// <summary>The places of the resources of some rows, without unpacking those of all.</summary>
    /// <param name="places">Receives them, in the order of the rows.</param>
    internal void ResourcesOf(ReadOnlySpan<int> rows, Span<long> places)
    {
        // Segments of the first days have both in one column; then nothing is known of one row.
        if (_resourceOfRow is null && (_packedResources ??= Packed(SegmentColumn.ResourceOfRow)).TryAt(rows, places))
        {
            foreach (var place in places[..rows.Length])
                if ((ulong)place >= (ulong)Resources.Length)
                    throw new InvalidDataException("A place lies outside its list.");
            return;
        }
        var all = ResourceOfRow;
        for (var i = 0; i < rows.Length; i++)
            places[i] = all[rows[i]];
    }

    /// <summary>Sets the bits of the rows whose severity has a mark, 1 or 0, where that can be told without unpacking
    /// them.</summary>
    internal bool TryMarkSeverities(ReadOnlySpan<byte> marks, Span<ulong> words) =>
        _severities is null && PackedSeverities.TryMark(marks, words);

    private LongSlice PackedSeverities => _packedSeverities ??= Packed(SegmentColumn.Severity);

    private LongSlice Packed(SegmentColumn column)
    {
        var bytes = _arena.Keep(_source.Read(column));
        var from = new ByteReader(bytes.Memory);
        return bytes.Span.IsEmpty ? default : LongColumn.Take(ref from, Count);
    }

    private long[] Numbers(SegmentColumn column)
    {
        using var bytes = _source.Read(column);
        var from = new ByteReader(bytes.Span);
        var numbers = _arena.Longs(Count);
        LongColumn.Read(ref from, numbers.AsSpan(0, Count));
        return numbers;
    }

    private byte[] ReadSeverities()
    {
        var severities = _arena.Bytes(Count);
        PackedSeverities.ReadBytes(severities);
        return severities;
    }

    private (int[] Places, TextVector Texts) Optional(SegmentColumn column)
    {
        var bytes = _arena.Keep(_source.Read(column));
        if (!bytes.Span.IsEmpty)
            return OptionalTexts.Read(bytes.Memory, Count, _arena);
        var none = _arena.Ints(Count);
        Array.Fill(none, -1, 0, Count);
        return (none, TextVector.Empty);
    }

    private int[] ReadResourceOfRow()
    {
        using var bytes = _source.Read(SegmentColumn.ResourceOfRow);
        var ofRow = _arena.Ints(Count);
        if (bytes.Span.IsEmpty)
        {
            // Segments of the first days have both in one column.
            SegmentRows.ReadResources(Segment, _source).OfRow.CopyTo(ofRow, 0);
            return ofRow;
        }
        var from = new ByteReader(bytes.Span);
        LongColumn.ReadPlaces(ref from, ofRow.AsSpan(0, Count), Resources.Length);
        return ofRow;
    }

    /// <summary>Where a record's own attribute or its resource's of a name lies.</summary>
    internal FieldColumn Column(FieldRef field)
    {
        if (!_fields.TryGetValue(field, out var column))
            _fields.Add(field, column = new FieldColumn(this, field.Name));
        return column;
    }

    public override Value Field(FieldRef field, int place)
    {
        switch (field.Name)
        {
            case "time":
                return Value.Time(Times[place]);
            case "observed":
                return Value.Time(Times[place] + Observed[place]);
            case "level":
                return Value.Level(Severities[place]);
            case "severity_text":
                return Text(SeverityText, place);
            case "body":
                return Value.Of(Bodies.Text(place));
            case "service":
                return Resources[ResourceOfRow[place]].Service;
            case "host":
                return Resources[ResourceOfRow[place]].Host;
            case "source":
                return Text(Origin, place);
            case "trace_id":
                return Text(TraceId, place);
            case "span_id":
                return Text(SpanId, place);
            case SpanFields.Duration:
                return Value.Duration(Durations[place]);
            case SpanFields.Failed:
                return field.OfRow?.Invoke(new Row(this, place, []))
                    ?? Value.Of(SpanFields.StatusOf(Severities[place]) == SpanStatus.Error);
            case SpanFields.Status:
                return SpanFields.StatusValue(Severities[place]);
            case "pattern":
                // A pattern is told by the template alone, once for each that the segment has.
                _patterns ??= [.. Bodies.Templates.Select(t => _patternOf?.Invoke(t.Id) ?? Value.Missing)];
                return _patterns[Bodies.TemplateOfRow[place]];
            default:
                return Column(field).Of(place);
        }
    }

    internal static Value Text((int[] Places, TextVector Texts) column, int row) =>
        column.Places[row] is var place and >= 0 ? Value.Of(column.Texts.Text(place)) : Value.Missing;

    public override RecordId Id(int place) => new(Times[place], Sequences[place]);

    /// <summary>A record of its own, to be kept.</summary>
    public override LogRecord Record(int place) =>
        new()
        {
            Time = Times[place],
            Observed = Times[place] + Observed[place],
            SeverityNumber = Severities[place],
            SeverityText = Text(SeverityText, place) is { IsMissing: false } level ? level.AsText : null,
            Body = Bodies.Text(place),
            Attributes = Attributes.Of(place),
            Resource = Resources[ResourceOfRow[place]],
            TraceId = Text(TraceId, place) is { IsMissing: false } trace ? trace.AsText : null,
            SpanId = Text(SpanId, place) is { IsMissing: false } span ? span.AsText : null,
            Source = Text(Origin, place) is { IsMissing: false } origin ? origin.AsText : "",
            Sequence = Sequences[place],
            TemplateId = Bodies.Templates[Bodies.TemplateOfRow[place]].Id,
        };

    public void Dispose()
    {
        // The next look need not pass by all variables to find one.
        if (_bodies?.KnownStarts is { } starts)
            _facts.Starts ??= starts;
        _arena.Dispose();
    }
}
