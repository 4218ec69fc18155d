using System.IO.Hashing;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Storage.Metrics;

/// <summary>A series as bytes. What tells it from others comes first, in one order, so that equal series have equal bytes
/// there.</summary>
internal static class SeriesCodec
{
    private const byte Version = 1;

    /// <summary>What all samples of a metric in a batch share of the identity.</summary>
    public static void WriteMetric(ByteWriter to, Metric metric, string source)
    {
        to.Text(source);
        to.Text(metric.Name);
        to.Text(metric.Unit);
        to.Byte((byte)metric.Kind);
        to.Byte((byte)metric.Temporality);
        to.Byte(metric.IsMonotonic ? (byte)1 : (byte)0);
        to.Text(metric.Scope.Name);
        WriteFields(to, metric.Resource.Attributes);
    }

    public static void WriteFields(ByteWriter to, Attributes fields)
    {
        to.Number(fields.Count);
        if (IsRising(fields.Names))
        {
            for (var i = 0; i < fields.Count; i++)
                Write(to, fields.Names[i], fields.Values[i]);
            return;
        }
        var (names, values) = (fields.Names.ToArray(), fields.Values.ToArray());
        Array.Sort(names, values, StringComparer.Ordinal);
        for (var i = 0; i < names.Length; i++)
            Write(to, names[i], values[i]);
    }

    private static bool IsRising(ReadOnlySpan<string> names)
    {
        for (var i = 1; i < names.Length; i++)
            if (string.CompareOrdinal(names[i - 1], names[i]) >= 0)
                return false;
        return true;
    }

    private static void Write(ByteWriter to, string name, Value value)
    {
        to.Text(name);
        if (value.Kind == ValueKind.Text)
        {
            to.Byte((byte)ValueKind.Text);
            to.Text(value.AsText);
            return;
        }
        // Lists and objects are rare here; their names go with them.
        using var inner = new ByteWriter();
        var names = new NameTable();
        ValueCodec.Write(inner, value, names);
        to.Byte((byte)ValueKind.Object);
        names.Write(to);
        to.Sized(inner.Written);
    }

    public static byte[] Encode(MetricSeries series)
    {
        using var to = new ByteWriter();
        to.Byte(Version);
        to.Text(series.Source);
        to.Text(series.Name);
        to.Text(series.Unit);
        to.Byte((byte)series.Kind);
        to.Byte((byte)series.Temporality);
        to.Byte(series.IsMonotonic ? (byte)1 : (byte)0);
        to.Text(series.Scope.Name);
        WriteFields(to, series.Resource.Attributes);
        WriteFields(to, series.Attributes);
        var identity = to.Length;
        to.Text(series.Description);
        to.Text(series.Scope.Version);
        WriteFields(to, series.Scope.Attributes);
        WriteFields(to, series.Metadata);
        to.Bytes(BitConverter.GetBytes(identity));
        return to.ToArray();
    }

    /// <summary>The bytes that tell a series from others.</summary>
    public static ReadOnlySpan<byte> Identity(byte[] encoded) =>
        encoded.AsSpan(1, BitConverter.ToInt32(encoded.AsSpan(encoded.Length - sizeof(int))) - 1);

    /// <exception cref="InvalidDataException">The bytes are damaged.</exception>
    public static MetricSeries Decode(
        int id,
        ReadOnlySpan<byte> content,
        StringCache strings,
        Dictionary<ulong, Resource> resources
    )
    {
        var from = new ByteReader(content);
        if (from.Byte() != Version)
            throw new InvalidDataException("A series has an unknown version.");
        var (source, name, unit) = (strings.Get(from.Sized()), strings.Get(from.Sized()), strings.Get(from.Sized()));
        var (kind, temporality, monotonic) = ((MetricKind)from.Byte(), (Temporality)from.Byte(), from.Byte() != 0);
        var scope = strings.Get(from.Sized());
        var start = from.Position;
        var shared = ReadFields(ref from, strings);
        var hash = XxHash3.HashToUInt64(content[start..from.Position]);
        if (!resources.TryGetValue(hash, out var resource))
            resources.Add(hash, resource = new Resource(shared));
        var attributes = ReadFields(ref from, strings);
        return new MetricSeries
        {
            Id = id,
            Source = source,
            Name = name,
            Unit = unit,
            Kind = kind,
            Temporality = temporality,
            IsMonotonic = monotonic,
            Resource = resource,
            Attributes = attributes,
            Description = strings.Get(from.Sized()),
            Scope = new InstrumentationScope(scope, strings.Get(from.Sized()), ReadFields(ref from, strings)),
            Metadata = ReadFields(ref from, strings),
        };
    }

    public static Attributes ReadFields(ref ByteReader from, StringCache strings)
    {
        var count = from.Count(from.Left);
        if (count == 0)
            return Attributes.Empty;
        var (names, values) = (new string[count], new Value[count]);
        for (var i = 0; i < count; i++)
        {
            names[i] = strings.Name(from.Sized());
            if ((ValueKind)from.Byte() == ValueKind.Text)
            {
                values[i] = Value.Of(strings.Get(from.Sized()));
                continue;
            }
            var table = NameTable.Read(ref from, strings);
            var inner = new ByteReader(from.Sized());
            values[i] = ValueCodec.Read(ref inner, table, strings);
        }
        return new Attributes(names, values);
    }
}
