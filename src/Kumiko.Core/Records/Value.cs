using System.Globalization;
using System.Text;

namespace Kumiko.Core.Records;

/// <summary>What is to be said beside a value; it takes no part in comparing.</summary>
[Flags]
public enum ValueMarks : byte
{
    None = 0,

    /// <summary>Estimated within 1 %.</summary>
    Approximate = 1,

    /// <summary>Not measured: put into an empty step.</summary>
    Filled = 2,

    /// <summary>Somewhere above: of what is above the last bound of a histogram no more is known.</summary>
    Beyond = 4,
}

/// <summary>
/// One typed value of a field. Missing is a value too: it compares as false and stays missing in arithmetic.
/// Times and durations are nanoseconds, sizes are bytes, a level is an OpenTelemetry severity number.
/// </summary>
public readonly struct Value : IEquatable<Value>
{
    private readonly long _bits;
    private readonly object? _reference;

    private Value(ValueKind kind, long bits, object? reference, ValueMarks marks = ValueMarks.None)
    {
        Kind = kind;
        _bits = bits;
        _reference = reference;
        Marks = marks;
    }

    public static readonly Value Missing = new(ValueKind.Missing, 0, null);
    public static readonly Value True = new(ValueKind.Boolean, 1, null);
    public static readonly Value False = new(ValueKind.Boolean, 0, null);

    public ValueKind Kind { get; }
    public ValueMarks Marks { get; }
    public bool IsMissing => Kind == ValueKind.Missing;
    public bool IsText => Kind == ValueKind.Text;

    /// <summary>True for integers, decimals, durations and sizes: what can be summed.</summary>
    public bool IsQuantity => Kind is ValueKind.Integer or ValueKind.Decimal or ValueKind.Duration or ValueKind.Size;

    public static Value Of(bool value) => value ? True : False;

    public static Value Of(long value) => new(ValueKind.Integer, value, null);

    public static Value Of(double value) =>
        double.IsNaN(value) ? Missing : new(ValueKind.Decimal, BitConverter.DoubleToInt64Bits(value), null);

    public static Value Of(string? value) => value is null ? Missing : new(ValueKind.Text, 0, value);

    public static Value Time(long nanoseconds) => new(ValueKind.Time, nanoseconds, null);

    public static Value Duration(long nanoseconds) => new(ValueKind.Duration, nanoseconds, null);

    public static Value Size(long bytes) => new(ValueKind.Size, bytes, null);

    public static Value Level(int severity) => severity == 0 ? Missing : new(ValueKind.Level, severity, null);

    public static Value Of(System.Net.IPAddress address) =>
        new(ValueKind.Address, 0, address.IsIPv4MappedToIPv6 ? address.MapToIPv4() : address);

    public static Value Of(byte[] bytes) => new(ValueKind.Bytes, 0, bytes);

    public static Value Of(Value[] items) => new(ValueKind.List, 0, items);

    public static Value Of(Attributes fields) => new(ValueKind.Object, 0, fields);

    /// <summary>The same value with something to be said beside it.</summary>
    public Value Marked(ValueMarks marks) => new(Kind, _bits, _reference, Marks | marks);

    /// <summary>The whole number behind a boolean, integer, duration, size, time or level.</summary>
    public long AsLong => _bits;

    public string AsText => (string)_reference!;
    public System.Net.IPAddress AsAddress => (System.Net.IPAddress)_reference!;
    public byte[] AsBytes => (byte[])_reference!;
    public Value[] AsList => (Value[])_reference!;
    public Attributes AsObject => (Attributes)_reference!;
    public bool IsTrue => Kind == ValueKind.Boolean && _bits != 0;

    /// <summary>The number behind a quantity or a time, in its base unit (ns, bytes).</summary>
    public double AsDouble => Kind == ValueKind.Decimal ? BitConverter.Int64BitsToDouble(_bits) : _bits;

    /// <summary>The canonical text, by which keys are told apart: 409 and "409" are one key.</summary>
    public string ToText() =>
        Kind switch
        {
            ValueKind.Text => AsText,
            ValueKind.Integer => _bits.ToString(CultureInfo.InvariantCulture),
            ValueKind.Decimal => AsDouble.ToString("R", CultureInfo.InvariantCulture),
            ValueKind.Boolean => _bits != 0 ? "true" : "false",
            ValueKind.Duration => Quantities.Duration(_bits),
            ValueKind.Size => Quantities.Size(_bits),
            ValueKind.Time => Instants.Format(_bits),
            ValueKind.Level => Severity.Name((int)_bits),
            ValueKind.Address => AsAddress.ToString(),
            ValueKind.Bytes => Convert.ToHexStringLower(AsBytes),
            ValueKind.List or ValueKind.Object => ToJson(),
            _ => "",
        };

    public string ToJson()
    {
        var text = new StringBuilder();
        JsonText.Append(text, this);
        return text.ToString();
    }

    /// <summary>Equality of kind and content; 1 and 1.0 differ here and are equal only in a query's <c>=</c>.</summary>
    public bool Equals(Value other)
    {
        if (Kind != other.Kind || _bits != other._bits)
            return false;
        return Kind switch
        {
            ValueKind.Text => string.Equals(AsText, other.AsText, StringComparison.Ordinal),
            ValueKind.Address => AsAddress.Equals(other.AsAddress),
            ValueKind.Bytes => AsBytes.AsSpan().SequenceEqual(other.AsBytes),
            ValueKind.List => AsList.AsSpan().SequenceEqual(other.AsList),
            ValueKind.Object => AsObject.Equals(other.AsObject),
            _ => true,
        };
    }

    public override bool Equals(object? obj) => obj is Value other && Equals(other);

    public override int GetHashCode() =>
        Kind switch
        {
            ValueKind.Text => AsText.GetHashCode(StringComparison.Ordinal),
            ValueKind.Address => AsAddress.GetHashCode(),
            ValueKind.Bytes => AsBytes.Length,
            ValueKind.List => AsList.Length,
            ValueKind.Object => AsObject.GetHashCode(),
            _ => HashCode.Combine(Kind, _bits),
        };

    public static bool operator ==(Value left, Value right) => left.Equals(right);

    public static bool operator !=(Value left, Value right) => !left.Equals(right);

    public override string ToString() => Kind == ValueKind.Missing ? "missing" : ToText();
}
