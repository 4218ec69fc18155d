using System.Buffers;
using System.Globalization;
using System.Runtime.InteropServices;
using System.Text;
using System.Text.Json;
using System.Text.Unicode;
using Kumiko.Core.Intake.Formats;
using Kumiko.Core.Intake.Times;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Blocks;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Intake.Formats;

/// <summary>One JSON object to one record. Not for several threads.</summary>
public sealed class JsonRecordParser(string source, FormatSettings? settings = null) : IRecordReader
{
    private const int MostResources = 4_096;

    private readonly StringCache _strings = new();
    private readonly NameCache _names = new();
    private readonly Dictionary<string, Resource> _resources = new(StringComparer.Ordinal);
    private readonly Dictionary<(Value Service, Value Host), Resource> _plainResources = [];
    private readonly string _source = string.Intern(source);
    private readonly Draft _draft = new();
    private readonly FieldMap? _map = settings is null ? null : FieldMap.Of(settings);
    private readonly TimeReader? _times = settings is null ? null : new TimeReader(settings.Times);
    private long _now;

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
        public long? TimeHint;
        public string? LevelHint;
        public string? BodyHint;

        public void Clear()
        {
            (Time, Observed, SeverityNumber, Level, Resource) = (null, null, 0, null, null);
            (Service, Host) = (Value.Missing, Value.Missing);
            (TimeHint, LevelHint, BodyHint) = (null, null, null);
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
        _now = now;
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
            TakeHints(into);
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
            number = LevelNames.Find(_draft.Level);
        if (_draft.Service.IsMissing || settings?.Service is not null)
            _draft.Service = Value.Of(settings?.Service);
        if (_draft.Host.IsMissing || settings?.Host is not null)
            _draft.Host = Value.Of(settings?.Host);
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
        var type = FieldType.AsWritten;
        if (_map is not null)
        {
            if (_map.Name(name, out type) is not { } called)
            {
                reader.Skip();
                return;
            }
            if (called != name)
                (name, part) = _names.Find(called);
        }
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
                    && LevelNumber(part, number) is > 0 and var severity:
                draft.SeverityNumber = severity;
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
        if (reader.TokenType == JsonTokenType.StartObject && IsFamily(name))
            ReadFamily(reader, name, into);
        else if (name is "t" or "s" or "log" or "event")
            Hint(reader, name);
        if (type == FieldType.AsWritten)
            ReadField(ref reader, name, into);
        else
            into.Field(name, Typed(ReadValue(ref reader), type));
    }

    /// <summary>OpenTelemetry's numbers, or levels in tens.</summary>
    private static int LevelNumber(FieldPart part, int number)
    {
        if (part == FieldPart.Level && number is 10 or 20 or 30 or 40 or 50 or 60)
            return LevelNames.FromNumber(number);
        return number is >= 1 and <= 24 ? number : 0;
    }

    private static Value Typed(Value value, FieldType type)
    {
        if (type == FieldType.Text)
            return Value.Of(value.ToText());
        return value.IsText && double.TryParse(value.AsText, CultureInfo.InvariantCulture, out var number)
            ? Value.Of(number)
            : value;
    }

    /// <summary>Names that some programs use for parts of a record and others for anything: they count where nothing
    /// surer does.</summary>
    private void Hint(Utf8JsonReader reader, string name)
    {
        var isText = reader.TokenType == JsonTokenType.String;
        switch (name)
        {
            case "t" when isText && Text(Encoding.UTF8.GetBytes(reader.GetString()!), out var time, out _):
                _draft.TimeHint = time;
                break;
            case "t" when reader.TokenType == JsonTokenType.StartObject:
                var reason = "";
                if (Dated(ref reader, out var dated, ref reason))
                    _draft.TimeHint = dated;
                break;
            case "s" when isText && LevelNames.Find(reader.GetString()!) > 0:
                _draft.LevelHint = reader.GetString();
                break;
            case "log" or "event" when isText:
                _draft.BodyHint = reader.GetString()!.TrimEnd('\n', '\r');
                break;
        }
    }

    private void TakeHints(RecordBlockBuilder into)
    {
        _draft.Time ??= _draft.TimeHint;
        if (!into.Has(TextPart.Body) && _draft.BodyHint is { } body)
            into.Text(TextPart.Body, body);
        if (_draft.Level is null && _draft.LevelHint is { } level)
        {
            into.Text(TextPart.Level, level);
            _draft.Level = level;
        }
    }

    /// <summary>Objects that hold parts of a record: <c>{"log":{"level":"error"},"trace":{"id":"…"}}</c>.</summary>
    private static bool IsFamily(string name) => name is "log" or "host" or "service" or "trace" or "span";

    /// <summary>Takes the parts out of an object; it stays a field as it is. The reader is a copy, so nothing moves on.</summary>
    private void ReadFamily(Utf8JsonReader reader, string family, RecordBlockBuilder into)
    {
        while (reader.Read() && reader.TokenType == JsonTokenType.PropertyName)
        {
            var part = FieldNames.Find($"{family}.{reader.GetString()}");
            reader.Read();
            if (reader.TokenType != JsonTokenType.String)
            {
                reader.Skip();
                continue;
            }
            switch (part)
            {
                case FieldPart.Level when _draft.Level is null:
                    Text(ref reader, into, TextPart.Level);
                    _draft.Level = Short(ref reader);
                    break;
                case FieldPart.Service when _draft.Service.IsMissing:
                    _draft.Service = Value.Of(Short(ref reader));
                    break;
                case FieldPart.Host when _draft.Host.IsMissing:
                    _draft.Host = Value.Of(Short(ref reader));
                    break;
                case FieldPart.TraceId when !into.Has(TextPart.TraceId):
                    Id(ref reader, into, TextPart.TraceId);
                    break;
                case FieldPart.SpanId when !into.Has(TextPart.SpanId):
                    Id(ref reader, into, TextPart.SpanId);
                    break;
            }
        }
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

    private long Time(ref Utf8JsonReader reader)
    {
        var at = reader.TokenStartIndex;
        long time = 0;
        var reason = "A time is a text or a number. Send ISO 8601, such as 2026-11-23T17:51:04.204Z, or a number since 1970.";
        var known = reader.TokenType switch
        {
            JsonTokenType.String => Text(
                reader.ValueIsEscaped ? Encoding.UTF8.GetBytes(reader.GetString()!) : reader.ValueSpan,
                out time,
                out reason
            ),
            JsonTokenType.StartObject => Dated(ref reader, out time, ref reason),
            JsonTokenType.Number when reader.TryGetInt64(out var whole) => TimeText.TryRead(whole, out time, out reason),
            JsonTokenType.Number => reader.TryGetDecimal(out var exact)
                ? TimeText.TryRead(exact, out time, out reason)
                : TimeText.TryRead(reader.GetDouble(), out time, out reason),
            _ => false,
        };
        return known ? time : throw new RefusedException(reason, at);
    }

    /// <summary>A time in an object of its own, as JSON with types has it: <c>{"$date":"2026-11-23T17:51:04Z"}</c>.</summary>
    private bool Dated(ref Utf8JsonReader reader, out long time, ref string reason)
    {
        time = 0;
        var known = false;
        while (reader.Read() && reader.TokenType == JsonTokenType.PropertyName)
        {
            reader.Read();
            if (reader.TokenType == JsonTokenType.String && !known)
                known = Text(Encoding.UTF8.GetBytes(reader.GetString()!), out time, out reason);
            else
                reader.Skip();
        }
        return known;
    }

    /// <summary>A time that is a text: as a person said of its zone and order of days, where somebody did.</summary>
    private bool Text(ReadOnlySpan<byte> text, out long time, out string reason)
    {
        reason = "";
        if (Instants.TryParsePlain(text, out time))
            return true;
        if (_times is not null && _times.TryRead(text, _now, out time, out var length) && length == text.Length)
            return true;
        return TimeText.TryRead(text, out time, out reason);
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
