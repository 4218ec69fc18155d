using Kumiko.Core.Records;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Storage.Segments;

/// <summary>Where the unpacked bytes of a segment's columns come from.</summary>
public interface IColumnSource
{
    /// <summary>The bytes of a column, empty where the segment has none. To be disposed: they lie in a pooled buffer.</summary>
    /// <exception cref="InvalidDataException">The column is damaged.</exception>
    ColumnBytes Read(SegmentColumn column);
}

/// <summary>
/// The rows of a segment, decoded: times and severities when they are asked for, the other columns when the first
/// row is, and a row's record when it is. Reading from several threads at once is safe.
/// </summary>
public sealed class SegmentRows(Segment segment, IColumnSource source) : IRecordRows
{
    [ThreadStatic]
    private static StringCache? _strings;

    private readonly Lock _lock = new();
    private volatile long[]? _times;
    private volatile byte[]? _bands;
    private volatile byte[]? _severities;
    private volatile Columns? _columns;
    private LogRecord?[]? _records;

    /// <summary>Short strings that this thread met before.</summary>
    internal static StringCache Strings => _strings ??= new StringCache();

    private sealed record Columns(
        long[] Observed,
        long[] Sequence,
        (int[] Places, TextVector Texts)? SeverityText,
        TextVector Source,
        Resource[] Resources,
        int[] ResourceOfRow,
        (int[] Places, TextVector Texts)? TraceId,
        (int[] Places, TextVector Texts)? SpanId,
        SegmentBodies Bodies,
        SegmentFields Fields
    );

    public int Count => segment.Rows;

    public ReadOnlySpan<long> Times => _times ?? Once(() => _times ??= Numbers(SegmentColumn.Time));

    public ReadOnlySpan<byte> Bands => _bands ?? Once(() => _bands ??= Array.ConvertAll(Severities, s => (byte)Severity.Band(s)));

    public SegmentBodies Bodies => Decoded.Bodies;
    public SegmentFields Fields => Decoded.Fields;

    private byte[] Severities =>
        _severities ?? Once(() => _severities ??= Array.ConvertAll(Numbers(SegmentColumn.Severity), s => (byte)s));

    private Columns Decoded => _columns ?? Once(() => _columns ??= Decode());

    public LogRecord this[int index]
    {
        get
        {
            var columns = Decoded;
            ref var record = ref _records![index];
            return Volatile.Read(ref record) ?? (record = Make(columns, index));
        }
    }

    /// <summary>Decodes every column, so that reading rows cannot fail later.</summary>
    /// <exception cref="DamagedSegmentException">A column is damaged.</exception>
    public void Decode(bool rows)
    {
        _ = Times;
        _ = Bands;
        if (rows)
            _ = Decoded;
    }

    private T Once<T>(Func<T> decode)
    {
        lock (_lock)
        {
            try
            {
                return decode();
            }
            catch (Exception e)
                when (e is InvalidDataException or OverflowException or IndexOutOfRangeException or ArgumentException)
            {
                throw new DamagedSegmentException(segment, e.Message, e);
            }
        }
    }

    private long[] Numbers(SegmentColumn column)
    {
        using var bytes = source.Read(column);
        var from = new ByteReader(bytes.Span);
        var numbers = new long[segment.Rows];
        LongColumn.Read(ref from, numbers);
        return numbers;
    }

    private (int[] Places, TextVector Texts)? Optional(SegmentColumn column)
    {
        using var bytes = source.Read(column);
        if (bytes.Span.IsEmpty)
            return null;
        var (places, texts) = OptionalTexts.Read(bytes.Span, segment.Rows);
        return (places, texts.Decode());
    }

    private Columns Decode()
    {
        var (resources, resourceOfRow) = ReadResources(segment, source);
        var bodies = new SegmentBodies(segment.Rows, source, ReadTemplates(), arena: null);
        bodies.Decode();
        var sources = Optional(SegmentColumn.Source)?.Texts ?? throw new InvalidDataException("The sources are missing.");
        _records = new LogRecord?[segment.Rows];
        return new Columns(
            Numbers(SegmentColumn.Observed),
            Numbers(SegmentColumn.Sequence),
            Optional(SegmentColumn.SeverityText),
            sources,
            resources,
            resourceOfRow,
            Optional(SegmentColumn.TraceId),
            Optional(SegmentColumn.SpanId),
            bodies,
            ReadFields().Decode()
        );
    }

    private SegmentFields ReadFields()
    {
        using var head = source.Read(SegmentColumn.Shapes);
        return new SegmentFields(segment.Rows, source, FieldLayout.Read(head.Span, segment.Rows), arena: null);
    }

    private SegmentTemplate[] ReadTemplates()
    {
        using var bytes = source.Read(SegmentColumn.Templates);
        return SegmentBodies.ReadTemplates(bytes.Span);
    }

    /// <summary>The different resources, and which one each row has.</summary>
    internal static (Resource[] Resources, int[] OfRow) ReadResources(Segment segment, IColumnSource source)
    {
        using var head = source.Read(SegmentColumn.Shapes);
        var names = new ByteReader(head.Span);
        var table = NameTable.Read(ref names, Strings);
        using var bytes = source.Read(SegmentColumn.Resource);
        var from = new ByteReader(bytes.Span);
        var resources = ReadResources(ref from, table);
        using var places = source.Read(SegmentColumn.ResourceOfRow);
        // Segments of the first days have both in one column.
        var ofRow = places.Span.IsEmpty ? from : new ByteReader(places.Span);
        return (resources, LongColumn.ReadPlaces(ref ofRow, segment.Rows, resources.Length));
    }

    /// <summary>The different resources, from a reader that stands at them.</summary>
    internal static Resource[] ReadResources(ref ByteReader from, string[] names)
    {
        var resources = new Resource[from.Count(from.Left)];
        for (var i = 0; i < resources.Length; i++)
            resources[i] = new Resource(ValueCodec.ReadFields(ref from, names, Strings));
        return resources;
    }

    private LogRecord Make(Columns columns, int row)
    {
        var time = Times[row];
        return new LogRecord
        {
            Time = time,
            Observed = time + columns.Observed[row],
            SeverityNumber = Severities[row],
            SeverityText = Text(columns.SeverityText, row),
            Body = columns.Bodies.Text(row),
            Attributes = columns.Fields.Of(row),
            Resource = columns.Resources[columns.ResourceOfRow[row]],
            TraceId = Text(columns.TraceId, row),
            SpanId = Text(columns.SpanId, row),
            Source = columns.Source.Text(row),
            Sequence = columns.Sequence[row],
            TemplateId = columns.Bodies.Templates[columns.Bodies.TemplateOfRow[row]].Id,
        };
    }

    private static string? Text((int[] Places, TextVector Texts)? column, int row) =>
        column is { } texts && texts.Places[row] is var place and >= 0 ? texts.Texts.Text(place) : null;
}
