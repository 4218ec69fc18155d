using System.Buffers;
using System.Runtime.InteropServices;
using System.Text;
using System.Text.Json;
using System.Text.Unicode;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Blocks;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Intake;

/// <summary>One JSON object to one record. Not for several threads.</summary>
public sealed class JsonRecordParser(string source) : ILineParser
{
    private const int MostResources = 4_096;

    private readonly StringCache _strings = new();
    private readonly NameCache _names = new();
    private readonly Dictionary<string, Resource> _resources = new(StringComparer.Ordinal);
    private readonly Dictionary<(Value Service, Value Host), Resource> _plainResources = [];
    private readonly string _source = string.Intern(source);
    private readonly Draft _draft = new();

    /// <summary>The parts of the record that is being read that are not texts of its row; one object serves all.</summary>
    private sealed class Draft
    {
        public long? Time;
        public long? Observed;
        public int SeverityNumber;
        public string? Level;
        public Value Service = Value.Missing;
        public Value Host = Value.Missing;
        public Fields? Resource;

        public void Clear()
        {
            (Time, Observed, SeverityNumber, Level, Resource) = (null, null, 0, null, null);
            (Service, Host) = (Value.Missing, Value.Missing);
        }
    }

    /// <summary>Names and values in order; the last of equal names wins.</summary>
    private sealed class Fields
    {
        private const int SmallCount = 32;
        private readonly List<string> _names = [];
        private readonly List<Value> _values = [];
        private Dictionary<string, int>? _places;

        public void Set(string name, Value value)
        {
            var at = _places is null ? _names.IndexOf(name) : _places.GetValueOrDefault(name, -1);
            if (at >= 0)
            {
                _values[at] = value;
                return;
            }
            _names.Add(name);
            _values.Add(value);
            if (_places is not null)
                _places.Add(name, _names.Count - 1);
            else if (_names.Count == SmallCount)
                _places = _names.Select((n, i) => (n, i)).ToDictionary(p => p.n, p => p.i, StringComparer.Ordinal);
        }

        public int Count => _names.Count;

        public Attributes Build() => Count == 0 ? Attributes.Empty : new Attributes([.. _names], [.. _values]);
    }

    private sealed class RefusedException(string reason, long at) : Exception(reason)
    {
        public long At { get; } = at;
    }

    Refusal? ILineParser.Parse(ReadOnlySpan<byte> line, long now, RecordBlockBuilder into)
    {
        var isLatin = !Utf8.IsValid(line);
        if (isLatin)
            line = Lines.FromLatin1(line);
        var reader = new Utf8JsonReader(line, new JsonReaderOptions { CommentHandling = JsonCommentHandling.Disallow });
        Refusal refusal;
        into.Begin();
        try
        {
            if (!reader.Read() || reader.TokenType != JsonTokenType.StartObject)
                throw new RefusedException("A record is a JSON object, { … }.", reader.TokenStartIndex);
            _draft.Clear();
            while (reader.Read() && reader.TokenType == JsonTokenType.PropertyName)
                ReadPart(ref reader, into);
            if (!line[(int)reader.BytesConsumed..].Trim(" \t"u8).IsEmpty)
                throw new RefusedException("Something follows the record. Write one record a line.", reader.BytesConsumed);
            if (!into.Has(TextPart.Body) && into.Fields == 0)
                throw new RefusedException("The record has no body and no attributes.", 0);
            if (isLatin)
                into.Field(Lines.Inferred, Lines.Latin1);
            End(into, now);
            return null;
        }
        catch (RefusedException e)
        {
            refusal = new Refusal((int)e.At + 1, e.Message);
        }
        catch (JsonException e)
        {
            refusal = new Refusal((int)(e.BytePositionInLine ?? 0) + 1, "This is not JSON: " + Shortened(e.Message));
        }
        catch (InvalidOperationException)
        {
            refusal = new Refusal((int)reader.TokenStartIndex + 1, "This text is not valid Unicode.");
        }
        into.Abandon();
        return refusal;
    }

    private static string Shortened(string message)
    {
        var end = message.IndexOf(" LineNumber:", StringComparison.Ordinal);
        return end > 0 ? message[..end] : message;
    }

    private void End(RecordBlockBuilder into, long now)
    {
        int number;
        if (_draft.SeverityNumber != 0)
            number = _draft.SeverityNumber;
        else if (_draft.Level is null)
            number = 0;
        else
            number = Severity.FromText(_draft.Level);
        var observed = _draft.Observed ?? now;
        into.End(_draft.Time ?? observed, observed, number, ResourceOf(_draft), _source);
    }

    private Resource ResourceOf(Draft draft)
    {
        if (draft.Resource is null)
        {
            if (draft.Service.IsMissing && draft.Host.IsMissing)
                return Resource.Unknown;
            if (_plainResources.TryGetValue((draft.Service, draft.Host), out var plain))
                return plain;
            if (_plainResources.Count >= MostResources)
                _plainResources.Clear();
            return _plainResources[(draft.Service, draft.Host)] = Described(draft);
        }
        return Described(draft);
    }

    private Resource Described(Draft draft)
    {
        var fields = draft.Resource ?? new Fields();
        if (!draft.Service.IsMissing)
            fields.Set("service.name", draft.Service);
        if (!draft.Host.IsMissing)
            fields.Set("host.name", draft.Host);
        if (fields.Count == 0)
            return Resource.Unknown;
        var attributes = fields.Build();
        var key = Value.Of(attributes).ToJson();
        if (_resources.TryGetValue(key, out var known))
            return known;
        if (_resources.Count >= MostResources)
            _resources.Clear();
        return _resources[key] = new Resource(attributes);
    }

    private void ReadPart(ref Utf8JsonReader reader, RecordBlockBuilder into)
    {
        var draft = _draft;
        var (name, part) = reader.ValueIsEscaped ? _names.Find(reader.GetString()!) : _names.Find(reader.ValueSpan);
        var at = reader.TokenStartIndex;
        reader.Read();
        var isText = reader.TokenType == JsonTokenType.String;
        switch (part)
        {
            case FieldPart.Time when draft.Time is null:
                draft.Time = Time(ref reader);
                return;
            case FieldPart.Observed when draft.Observed is null:
                draft.Observed = Time(ref reader);
                return;
            case FieldPart.Body when !into.Has(TextPart.Body):
                if (isText)
                    Text(ref reader, into, TextPart.Body);
                else
                    into.Text(TextPart.Body, ReadValue(ref reader).ToText());
                return;
            case FieldPart.Level when draft.Level is null && isText:
                Text(ref reader, into, TextPart.Level);
                draft.Level = Short(ref reader);
                return;
            case FieldPart.Level
            or FieldPart.SeverityNumber
                when draft.SeverityNumber == 0
                    && reader.TokenType == JsonTokenType.Number
                    && reader.TryGetInt32(out var number)
                    && number is >= 1 and <= 24:
                draft.SeverityNumber = number;
                return;
            case FieldPart.Service when draft.Service.IsMissing && isText:
                draft.Service = Value.Of(Short(ref reader));
                return;
            case FieldPart.Host when draft.Host.IsMissing && isText:
                draft.Host = Value.Of(Short(ref reader));
                return;
            case FieldPart.TraceId when !into.Has(TextPart.TraceId) && isText:
                Id(ref reader, into, TextPart.TraceId);
                return;
            case FieldPart.SpanId when !into.Has(TextPart.SpanId) && isText:
                Id(ref reader, into, TextPart.SpanId);
                return;
            case FieldPart.Attributes when reader.TokenType == JsonTokenType.StartObject:
                ReadAttributes(ref reader, into);
                return;
            case FieldPart.Resource when reader.TokenType == JsonTokenType.StartObject:
                ReadFields(ref reader, draft.Resource ??= new Fields());
                return;
        }
        if (name.Length == 0)
            throw new RefusedException("A name in the record is empty.", at);
        ReadField(ref reader, name, into);
    }

    private void ReadAttributes(ref Utf8JsonReader reader, RecordBlockBuilder into)
    {
        while (reader.Read() && reader.TokenType == JsonTokenType.PropertyName)
        {
            var name = Name(ref reader);
            reader.Read();
            // OpenTelemetry's has them one level down.
            if (name == "attributes" && reader.TokenType == JsonTokenType.StartObject)
                ReadAttributes(ref reader, into);
            else if (name.Length > 0)
                ReadField(ref reader, name, into);
            else
                ReadValue(ref reader);
        }
    }

    private void ReadField(ref Utf8JsonReader reader, string name, RecordBlockBuilder into)
    {
        if (reader.TokenType == JsonTokenType.String)
        {
            var start = into.Bytes.Length;
            Append(ref reader, into.Bytes);
            into.Field(name, start);
        }
        else if (reader.TokenType == JsonTokenType.Number && reader.TryGetInt64(out var whole))
            into.Field(name, ValueKind.Integer, whole);
        else if (ReadValue(ref reader) is { IsMissing: false } value)
            into.Field(name, value);
    }

    private static void Append(ref Utf8JsonReader reader, ByteWriter to)
    {
        if (!reader.ValueIsEscaped)
        {
            to.Bytes(reader.ValueSpan);
            return;
        }
        // Without its escapes it is not longer.
        var room = to.Reserve(reader.ValueSpan.Length);
        to.Back(room.Length - reader.CopyString(room));
    }

    private static void Text(ref Utf8JsonReader reader, RecordBlockBuilder into, TextPart part)
    {
        var start = into.Bytes.Length;
        Append(ref reader, into.Bytes);
        into.Text(part, start);
    }

    private static void Id(ref Utf8JsonReader reader, RecordBlockBuilder into, TextPart part)
    {
        if (reader.ValueSpan.Length > 0)
            Text(ref reader, into, part);
    }

    private void ReadFields(ref Utf8JsonReader reader, Fields fields)
    {
        // OpenTelemetry's resource has its attributes one level down.
        while (reader.Read() && reader.TokenType == JsonTokenType.PropertyName)
        {
            var name = Name(ref reader);
            reader.Read();
            if (name == "attributes" && reader.TokenType == JsonTokenType.StartObject)
            {
                ReadFields(ref reader, fields);
                continue;
            }
            var value = ReadValue(ref reader);
            if (!value.IsMissing && name.Length > 0)
                fields.Set(name, value);
        }
    }

    private string Name(ref Utf8JsonReader reader) =>
        (reader.ValueIsEscaped ? _names.Find(reader.GetString()!) : _names.Find(reader.ValueSpan)).Name;

    private string Short(ref Utf8JsonReader reader) =>
        reader.ValueIsEscaped ? reader.GetString()! : _strings.Get(reader.ValueSpan);

    private static long Time(ref Utf8JsonReader reader)
    {
        var at = reader.TokenStartIndex;
        long time = 0;
        var reason = "A time is a text or a number. Send ISO 8601, such as 2026-11-23T17:51:04.204Z, or a number since 1970.";
        var known = reader.TokenType switch
        {
            JsonTokenType.String => Times.TryRead(
                reader.ValueIsEscaped ? Encoding.UTF8.GetBytes(reader.GetString()!) : reader.ValueSpan,
                out time,
                out reason
            ),
            JsonTokenType.Number when reader.TryGetInt64(out var whole) => Times.TryRead(whole, out time, out reason),
            JsonTokenType.Number => reader.TryGetDecimal(out var exact)
                ? Times.TryRead(exact, out time, out reason)
                : Times.TryRead(reader.GetDouble(), out time, out reason),
            _ => false,
        };
        return known ? time : throw new RefusedException(reason, at);
    }

    private Value ReadValue(ref Utf8JsonReader reader)
    {
        switch (reader.TokenType)
        {
            case JsonTokenType.String:
                return Value.Of(Short(ref reader));
            case JsonTokenType.True:
                return Value.True;
            case JsonTokenType.False:
                return Value.False;
            case JsonTokenType.Number:
                if (reader.TryGetInt64(out var whole))
                    return Value.Of(whole);
                var digits =
                    reader.ValueSpan.IndexOfAnyExceptInRange((byte)'0', (byte)'9') is var other
                    && (other < 0 || (other == 0 && reader.ValueSpan[1..].IndexOfAnyExceptInRange((byte)'0', (byte)'9') < 0));
                // A whole number beyond int64 would lose digits as a double, so it stays text.
                return !digits && reader.TryGetDouble(out var number) && double.IsFinite(number)
                    ? Value.Of(number)
                    : Value.Of(Encoding.ASCII.GetString(reader.ValueSpan));
            case JsonTokenType.StartArray:
                var items = new List<Value>();
                while (reader.Read() && reader.TokenType != JsonTokenType.EndArray)
                    items.Add(ReadValue(ref reader));
                return Value.Of([.. items]);
            case JsonTokenType.StartObject:
                var fields = new Fields();
                while (reader.Read() && reader.TokenType == JsonTokenType.PropertyName)
                {
                    var name = Name(ref reader);
                    reader.Read();
                    fields.Set(name, ReadValue(ref reader));
                }
                return Value.Of(fields.Build());
            default:
                return Value.Missing;
        }
    }
}
