using Kumiko.Core.Records;

namespace Kumiko.Core.Storage.Columns;

/// <summary>Names that are written as their place in a table.</summary>
public sealed class NameTable
{
    private readonly Dictionary<string, int> _places = new(StringComparer.Ordinal);
    private readonly List<string> _names = [];

    public IReadOnlyList<string> Names => _names;

    public int Place(string name)
    {
        if (_places.TryGetValue(name, out var place))
            return place;
        _places.Add(name, place = _names.Count);
        _names.Add(name);
        return place;
    }

    public void Write(ByteWriter to)
    {
        to.Number(_names.Count);
        foreach (var name in _names)
            to.Text(name);
    }

    public static string[] Read(ref ByteReader from, StringCache strings)
    {
        var names = new string[from.Count(from.Left)];
        for (var i = 0; i < names.Length; i++)
            names[i] = strings.Name(from.Sized());
        return names;
    }
}

/// <summary>Values and attributes of any kind as bytes: the kind, then the content.</summary>
public static class ValueCodec
{
    private const int Deepest = 128;

    public static void Write(ByteWriter to, Attributes fields, NameTable names)
    {
        to.Number(fields.Count);
        for (var i = 0; i < fields.Count; i++)
        {
            to.Number(names.Place(fields.Names[i]));
            Write(to, fields.Values[i], names);
        }
    }

    public static void Write(ByteWriter to, Value value, NameTable names)
    {
        to.Byte((byte)value.Kind);
        switch (value.Kind)
        {
            case ValueKind.Missing:
                break;
            case ValueKind.Text:
                to.Text(value.AsText);
                break;
            case ValueKind.Decimal:
                to.Fixed((ulong)BitConverter.DoubleToInt64Bits(value.AsDouble));
                break;
            case ValueKind.Object:
                Write(to, value.AsObject, names);
                break;
            case ValueKind.List:
                to.Number(value.AsList.Length);
                foreach (var item in value.AsList)
                    Write(to, item, names);
                break;
            default:
                to.Signed(value.AsLong);
                break;
        }
    }

    /// <exception cref="InvalidDataException">The bytes cannot be right.</exception>
    public static Attributes ReadFields(ref ByteReader from, string[] names, StringCache strings, int depth = 0)
    {
        var count = from.Count(from.Left);
        if (count == 0)
            return Attributes.Empty;
        var (fields, values) = (new string[count], new Value[count]);
        for (var i = 0; i < count; i++)
        {
            fields[i] = Name(ref from, names);
            values[i] = Read(ref from, names, strings, depth);
        }
        return new Attributes(fields, values);
    }

    public static string Name(ref ByteReader from, string[] names)
    {
        var place = from.Count(int.MaxValue);
        return place < names.Length ? names[place] : throw new InvalidDataException("A name is not in its table.");
    }

    public static Value Read(ref ByteReader from, string[] names, StringCache strings, int depth = 0)
    {
        if (depth > Deepest)
            throw new InvalidDataException("A value is nested too deeply.");
        var kind = (ValueKind)from.Byte();
        switch (kind)
        {
            case ValueKind.Missing:
                return Value.Missing;
            case ValueKind.Text:
                return Value.Of(strings.Get(from.Sized()));
            case ValueKind.Decimal:
                return Value.Of(BitConverter.Int64BitsToDouble((long)from.Fixed()));
            case ValueKind.Object:
                return Value.Of(ReadFields(ref from, names, strings, depth + 1));
            case ValueKind.List:
                var items = new Value[from.Count(from.Left)];
                for (var i = 0; i < items.Length; i++)
                    items[i] = Read(ref from, names, strings, depth + 1);
                return Value.Of(items);
            default:
                return Whole(kind, from.Signed());
        }
    }

    /// <summary>A value of a kind that is a whole number inside.</summary>
    public static Value Whole(ValueKind kind, long number) =>
        kind switch
        {
            ValueKind.Boolean => Value.Of(number != 0),
            ValueKind.Integer => Value.Of(number),
            ValueKind.Duration => Value.Duration(number),
            ValueKind.Size => Value.Size(number),
            ValueKind.Time => Value.Time(number),
            ValueKind.Level => Value.Level((int)number),
            _ => throw new InvalidDataException($"A value has the unknown kind {(int)kind}."),
        };
}
