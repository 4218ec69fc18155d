using System.Buffers;
using K4os.Compression.LZ4;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Storage;

/// <summary>
/// A batch of records as one blob: a version byte, then LZ4 of a table of resources, a table of names and the
/// records in order. Numbers are LEB128, times are differences from the one before.
/// </summary>
public static class BatchCodec
{
    private const byte Version = 1;

    public static byte[] Encode(IReadOnlyList<LogRecord> records)
    {
        using var body = new ByteWriter(records.Count * 256);
        using var head = new ByteWriter();
        var names = new NameTable();
        var resources = new Dictionary<Attributes, int>(ReferenceEqualityComparer.Instance);
        var (time, observed) = (0L, 0L);
        foreach (var record in records)
        {
            body.Signed(record.Time - time);
            body.Signed(record.Observed - observed);
            (time, observed) = (record.Time, record.Observed);
            Write(body, record, names, resources);
        }
        head.Number(records.Count);
        // Resources before names: writing them may add names.
        using var resourceBytes = new ByteWriter();
        foreach (var resource in resources.Keys) ValueCodec.Write(resourceBytes, resource, names);
        names.Write(head);
        head.Number(resources.Count);
        head.Bytes(resourceBytes.Written);
        head.Bytes(body.Written);
        var packed = new ArrayBufferWriter<byte>(LZ4Codec.MaximumOutputSize(head.Length) + 64);
        packed.Write([Version]);
        LZ4Pickler.Pickle(head.Written, packed);
        return packed.WrittenSpan.ToArray();
    }

    private static void Write(ByteWriter to, LogRecord record, NameTable names, Dictionary<Attributes, int> resources)
    {
        to.Byte((byte)record.SeverityNumber);
        var resource = record.Resource.Attributes;
        if (!resources.TryGetValue(resource, out var place)) resources.Add(resource, place = resources.Count);
        to.Number(place);
        to.Number(names.Place(record.Source));
        WriteOptional(to, record.SeverityText);
        WriteOptional(to, record.TraceId);
        WriteOptional(to, record.SpanId);
        to.Text(record.Body);
        ValueCodec.Write(to, record.Attributes, names);
    }

    private static void WriteOptional(ByteWriter to, string? text)
    {
        to.Byte(text is null ? (byte)0 : (byte)1);
        if (text is not null) to.Text(text);
    }

    /// <exception cref="InvalidDataException">The blob is damaged, or of a version that is not known.</exception>
    public static LogRecord[] Decode(ReadOnlySpan<byte> content, long firstSequence, StringCache strings)
    {
        if (content.Length < 2) throw new InvalidDataException("The batch is empty.");
        if (content[0] != Version) throw new InvalidDataException($"The batch has version {content[0]}; {Version} is known.");
        try { return Read(new ByteReader(LZ4Pickler.Unpickle(content[1..])), firstSequence, strings); }
        catch (Exception e) when (e is ArgumentException or IndexOutOfRangeException or OverflowException or OutOfMemoryException)
        {
            throw new InvalidDataException("The batch is damaged.", e);
        }
    }

    private static LogRecord[] Read(ByteReader from, long firstSequence, StringCache strings)
    {
        var records = new LogRecord[from.Count(from.Left)];
        var names = NameTable.Read(ref from, strings);
        var resources = new Resource[from.Count(from.Left)];
        for (var i = 0; i < resources.Length; i++) resources[i] = new Resource(ValueCodec.ReadFields(ref from, names, strings));
        var (time, observed) = (0L, 0L);
        for (var i = 0; i < records.Length; i++)
        {
            time += from.Signed();
            observed += from.Signed();
            records[i] = new LogRecord
            {
                Time = time,
                Observed = observed,
                SeverityNumber = from.Byte(),
                Resource = resources[from.Count(resources.Length - 1)],
                Source = ValueCodec.Name(ref from, names),
                SeverityText = Optional(ref from, strings),
                TraceId = Optional(ref from, strings),
                SpanId = Optional(ref from, strings),
                Body = strings.Get(from.Sized()),
                Attributes = ValueCodec.ReadFields(ref from, names, strings),
                Sequence = firstSequence + i,
            };
        }
        return records;
    }

    private static string? Optional(ref ByteReader from, StringCache strings) => from.Byte() != 0 ? strings.Get(from.Sized()) : null;
}
