using System.Globalization;
using Google.Protobuf;
using Google.Protobuf.Collections;
using Kumiko.Core.Intake.Files;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Intake.Otlp;

/// <summary>What could be read of a request, and what not.</summary>
/// <param name="Items">All of them.</param>
/// <param name="RefusedTotal">Items left out.</param>
/// <param name="Refused">The first of them: place among all, reason, and the item as JSON.</param>
public sealed record OtlpTaken<T>(T Items, int RefusedTotal, IReadOnlyList<Refused> Refused);

/// <summary>The parts that logs, metrics and spans of the OpenTelemetry protocol share. Not for several threads.</summary>
internal sealed class OtlpReading
{
    private const int MostReasons = LineIntake.MostReported;
    private const int MostNames = 4_096;
    private const int MostCompared = 64;
    private const int LongestKnown = 32;

    private readonly NameCache _names = new();
    private readonly Dictionary<string, string> _known = new(StringComparer.Ordinal);
    private readonly List<Refused> _refused = [];
    private readonly List<string> _keys = [];
    private readonly List<Value> _values = [];
    private int _item;

    public int RefusedTotal { get; private set; }
    public IReadOnlyList<Refused> Refused => _refused;

    public void Next() => _item++;

    public void Refuse(string reason, IMessage item)
    {
        RefusedTotal++;
        if (_refused.Count >= MostReasons)
            return;
        var head = System.Text.Encoding.UTF8.GetBytes(JsonFormatter.Default.Format(item));
        _refused.Add(new Refused(_item, 0, reason, head.Length > LineReader.KeptHead ? head[..LineReader.KeptHead] : head));
    }

    /// <summary>Attributes; a value that is not set is left out, the last of equal names wins.</summary>
    public Attributes Fields(RepeatedField<Wire.KeyValue> from)
    {
        _keys.Clear();
        _values.Clear();
        Collect(from);
        return _keys.Count == 0
            ? Attributes.Empty
            : new Attributes(_names.Shared(System.Runtime.InteropServices.CollectionsMarshal.AsSpan(_keys)), [.. _values]);
    }

    private void Collect(RepeatedField<Wire.KeyValue> from)
    {
        foreach (var field in from)
        {
            // Short texts come again and again; one object for each is less to keep until it is sealed.
            var value =
                field.Value?.ValueCase == Wire.AnyValue.ValueOneofCase.StringValue
                && field.Value.StringValue.Length <= LongestKnown
                    ? Records.Value.Of(Interned(field.Value.StringValue))
                    : Value(field.Value);
            if (field.Key.Length > 0 && !value.IsMissing)
                Set(field.Key, value);
        }
    }

    private void Set(string key, Value value)
    {
        key = Interned(key);
        // Lists are short, as in all that is measured or written.
        for (var i = 0; i < _keys.Count && _keys.Count <= MostCompared; i++)
            if (ReferenceEquals(_keys[i], key))
            {
                _values[i] = value;
                return;
            }
        _keys.Add(key);
        _values.Add(value);
    }

    /// <summary>The same object for the same name or short text, for as many as a sane sender has.</summary>
    public string Interned(string key)
    {
        if (_known.TryGetValue(key, out var known))
            return known;
        if (_known.Count >= MostNames)
            _known.Clear();
        return _known[key] = key;
    }

    public static Value Value(Wire.AnyValue? from) =>
        from?.ValueCase switch
        {
            Wire.AnyValue.ValueOneofCase.StringValue => Records.Value.Of(from.StringValue),
            Wire.AnyValue.ValueOneofCase.BoolValue => Records.Value.Of(from.BoolValue),
            Wire.AnyValue.ValueOneofCase.IntValue => Records.Value.Of(from.IntValue),
            Wire.AnyValue.ValueOneofCase.DoubleValue => double.IsFinite(from.DoubleValue)
                ? Records.Value.Of(from.DoubleValue)
                : Records.Value.Of(from.DoubleValue.ToString(CultureInfo.InvariantCulture)),
            Wire.AnyValue.ValueOneofCase.ArrayValue => Records.Value.Of([.. from.ArrayValue.Values.Select(Value)]),
            Wire.AnyValue.ValueOneofCase.KvlistValue => Records.Value.Of(Object(from.KvlistValue)),
            // As the protocol's JSON has them; bytes are nothing that can be asked for.
            Wire.AnyValue.ValueOneofCase.BytesValue => Records.Value.Of(from.BytesValue.ToBase64()),
            _ => Records.Value.Missing,
        };

    private static Attributes Object(Wire.KeyValueList from)
    {
        var fields = new Dictionary<string, Value>(StringComparer.Ordinal);
        foreach (var field in from.Values)
            fields[field.Key] = Value(field.Value);
        return new Attributes([.. fields.Keys], [.. fields.Values]);
    }

    public Resource Resource(Wire.Resource? from) =>
        from is null || from.Attributes.Count == 0 ? Records.Resource.Unknown : new Resource(Fields(from.Attributes));

    public InstrumentationScope Scope(Wire.InstrumentationScope? from) =>
        from is null ? InstrumentationScope.None : new InstrumentationScope(from.Name, from.Version, Fields(from.Attributes));

    /// <summary>
    /// Lower-case hex of an id of so many bytes; null where it is absent, all zero or of another length. The protocol's
    /// JSON writes ids as hex where protobuf's JSON has base64: hex read as base64 is half as long again.
    /// </summary>
    public static string? Id(ByteString from, int bytes)
    {
        if (from.Length == bytes)
            return from.Span.IndexOfAnyExcept((byte)0) < 0 ? null : Convert.ToHexStringLower(from.Span);
        if (from.Length != bytes * 3 / 2)
            return null;
        var text = from.ToBase64();
        foreach (var c in text)
            if (!char.IsAsciiHexDigit(c))
                return null;
        return text.AsSpan().IndexOfAnyExcept('0') < 0 ? null : text.ToLowerInvariant();
    }

    /// <summary>Whether nanoseconds since 1970 are within what can be kept, to the year 2261.</summary>
    public static bool IsTime(ulong nanoseconds) => nanoseconds <= long.MaxValue;
}
