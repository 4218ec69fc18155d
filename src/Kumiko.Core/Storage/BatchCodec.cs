using System.Buffers;
using System.Text;
using K4os.Compression.LZ4;
using Kumiko.Core.Records;

namespace Kumiko.Core.Storage;

/// <summary>
/// A batch of records as one blob: a version byte, then LZ4 of a table of resources, a table of names and the
/// records in order. Numbers are LEB128, times are differences from the one before.
/// </summary>
public static class BatchCodec
{
    private const byte Version = 1;
    private const int DeepestValue = 64;

    public static byte[] Encode(IReadOnlyList<LogRecord> records)
    {
        using var buffer = new MemoryStream();
        using (var body = new MemoryStream())
        using (var to = new BinaryWriter(body, Encoding.UTF8))
        {
            var names = new Tables();
            var before = new Times();
            foreach (var record in records) Write(to, record, names, ref before);
            to.Flush();
            using var head = new BinaryWriter(buffer, Encoding.UTF8, leaveOpen: true);
            head.Write7BitEncodedInt(records.Count);
            names.Write(head);
            head.Flush();
            body.WriteTo(buffer);
        }
        var packed = LZ4Pickler.Pickle(buffer.GetBuffer().AsSpan(0, (int)buffer.Length));
        return [Version, .. packed];
    }

    /// <exception cref="InvalidDataException">The blob is damaged, or of a version that is not known.</exception>
    public static LogRecord[] Decode(ReadOnlySpan<byte> content, long firstSequence, StringCache strings)
    {
        if (content.Length < 2) throw new InvalidDataException("The batch is empty.");
        if (content[0] != Version) throw new InvalidDataException($"The batch has version {content[0]}; {Version} is known.");
        try
        {
            var reader = new Reader(LZ4Pickler.Unpickle(content[1..]), strings);
            var records = new LogRecord[reader.Number()];
            var tables = reader.Tables();
            var before = new Times();
            for (var i = 0; i < records.Length; i++)
            {
                records[i] = reader.Record(tables, ref before);
                records[i].Sequence = firstSequence + i;
            }
            return records;
        }
        catch (Exception e) when (e is ArgumentException or IndexOutOfRangeException or OverflowException or OutOfMemoryException)
        {
            throw new InvalidDataException("The batch is damaged.", e);
        }
    }

    private struct Times
    {
        public long Time, Observed;
    }

    private sealed class Tables
    {
        private readonly Dictionary<Attributes, int> _resources = new(ReferenceEqualityComparer.Instance);
        private readonly Dictionary<string, int> _names = new(StringComparer.Ordinal);
        private readonly List<Attributes> _resourceList = [];

        public int Resource(Resource resource) => Add(_resources, resource.Attributes, _resourceList);
        public int Name(string name)
        {
            if (!_names.TryGetValue(name, out var id)) _names.Add(name, id = _names.Count);
            return id;
        }

        private static int Add(Dictionary<Attributes, int> ids, Attributes item, List<Attributes> list)
        {
            if (ids.TryGetValue(item, out var id)) return id;
            ids.Add(item, id = list.Count);
            list.Add(item);
            return id;
        }

        public void Write(BinaryWriter to)
        {
            // Resources first, into a buffer of their own: writing them may add names.
            using var resources = new MemoryStream();
            using (var inner = new BinaryWriter(resources, Encoding.UTF8, leaveOpen: true))
                foreach (var resource in _resourceList) WriteFields(inner, resource, this);
            to.Write7BitEncodedInt(_names.Count);
            foreach (var name in _names.Keys) to.Write(name);
            to.Write7BitEncodedInt(_resourceList.Count);
            to.Flush();
            resources.WriteTo(to.BaseStream);
        }
    }

    private static void Write(BinaryWriter to, LogRecord record, Tables tables, ref Times before)
    {
        to.Write7BitEncodedInt64(ZigZag(record.Time - before.Time));
        to.Write7BitEncodedInt64(ZigZag(record.Observed - before.Observed));
        (before.Time, before.Observed) = (record.Time, record.Observed);
        to.Write((byte)record.SeverityNumber);
        to.Write7BitEncodedInt(tables.Resource(record.Resource));
        to.Write7BitEncodedInt(tables.Name(record.Source));
        WriteOptional(to, record.SeverityText);
        WriteOptional(to, record.TraceId);
        WriteOptional(to, record.SpanId);
        to.Write(record.Body);
        WriteFields(to, record.Attributes, tables);
    }

    private static void WriteOptional(BinaryWriter to, string? text)
    {
        to.Write(text is not null);
        if (text is not null) to.Write(text);
    }

    private static void WriteFields(BinaryWriter to, Attributes fields, Tables tables)
    {
        to.Write7BitEncodedInt(fields.Count);
        for (var i = 0; i < fields.Count; i++)
        {
            to.Write7BitEncodedInt(tables.Name(fields.Names[i]));
            WriteValue(to, fields.Values[i], tables);
        }
    }

    private static void WriteValue(BinaryWriter to, Value value, Tables tables)
    {
        to.Write((byte)value.Kind);
        switch (value.Kind)
        {
            case ValueKind.Missing: break;
            case ValueKind.Text: to.Write(value.AsText); break;
            case ValueKind.Decimal: to.Write(value.AsDouble); break;
            case ValueKind.Object: WriteFields(to, value.AsObject, tables); break;
            case ValueKind.List:
                to.Write7BitEncodedInt(value.AsList.Length);
                foreach (var item in value.AsList) WriteValue(to, item, tables);
                break;
            default: to.Write7BitEncodedInt64(ZigZag(value.AsLong)); break;
        }
    }

    private static long ZigZag(long number) => (number << 1) ^ (number >> 63);

    private sealed class Reader(byte[] content, StringCache strings)
    {
        private int _at;
        private int _depth;

        public long Long()
        {
            ulong number = 0;
            for (var shift = 0; ; shift += 7)
            {
                var next = content[_at++];
                number |= (ulong)(next & 0x7f) << shift;
                if (next < 0x80) return (long)number;
                if (shift > 63) throw new InvalidDataException("A number in the batch is too long.");
            }
        }

        /// <summary>A count or an index; never more than what could follow.</summary>
        public int Number()
        {
            var number = Long();
            return number >= 0 && number <= content.Length ? (int)number : throw new InvalidDataException("A count in the batch is wrong.");
        }

        private ReadOnlySpan<byte> Bytes()
        {
            var length = Number();
            var bytes = content.AsSpan(_at, length);
            _at += length;
            return bytes;
        }

        private string Text() => strings.Get(Bytes());
        private string? Optional() => content[_at++] != 0 ? Text() : null;

        private long Signed()
        {
            var number = Long();
            return (long)((ulong)number >> 1) ^ -(number & 1);
        }

        public (string[] Names, Resource[] Resources) Tables()
        {
            var names = new string[Number()];
            for (var i = 0; i < names.Length; i++) names[i] = strings.Name(Bytes());
            var resources = new Resource[Number()];
            for (var i = 0; i < resources.Length; i++) resources[i] = new Resource(Fields(names));
            return (names, resources);
        }

        public LogRecord Record((string[] Names, Resource[] Resources) tables, ref Times before)
        {
            before.Time += Signed();
            before.Observed += Signed();
            var severity = content[_at++];
            var (resource, source) = (tables.Resources[Number()], tables.Names[Number()]);
            var (level, trace, span) = (Optional(), Optional(), Optional());
            return new LogRecord
            {
                Time = before.Time,
                Observed = before.Observed,
                SeverityNumber = severity,
                Resource = resource,
                Source = source,
                SeverityText = level,
                TraceId = trace,
                SpanId = span,
                Body = Text(),
                Attributes = Fields(tables.Names),
            };
        }

        private Attributes Fields(string[] names)
        {
            var count = Number();
            if (count == 0) return Attributes.Empty;
            var (fields, values) = (new string[count], new Value[count]);
            for (var i = 0; i < count; i++)
            {
                fields[i] = names[Number()];
                values[i] = ReadValue(names);
            }
            return new Attributes(fields, values);
        }

        private Value ReadValue(string[] names)
        {
            if (++_depth > DeepestValue * 2) throw new InvalidDataException("A value in the batch is nested too deeply.");
            var kind = (ValueKind)content[_at++];
            var value = kind switch
            {
                ValueKind.Missing => Value.Missing,
                ValueKind.Text => Value.Of(Text()),
                ValueKind.Decimal => Decimal(),
                ValueKind.Object => Value.Of(Fields(names)),
                ValueKind.List => List(names),
                ValueKind.Boolean => Value.Of(Signed() != 0),
                ValueKind.Integer => Value.Of(Signed()),
                ValueKind.Duration => Value.Duration(Signed()),
                ValueKind.Size => Value.Size(Signed()),
                ValueKind.Time => Value.Time(Signed()),
                _ => throw new InvalidDataException($"The batch holds a value of unknown kind {(int)kind}."),
            };
            _depth--;
            return value;
        }

        private Value Decimal()
        {
            var number = BitConverter.ToDouble(content, _at);
            _at += sizeof(double);
            return Value.Of(number);
        }

        private Value List(string[] names)
        {
            var items = new Value[Number()];
            for (var i = 0; i < items.Length; i++) items[i] = ReadValue(names);
            return Value.Of(items);
        }
    }
}
