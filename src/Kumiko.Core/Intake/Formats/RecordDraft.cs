using System.Buffers.Text;
using System.Text;
using System.Text.Unicode;
using Kumiko.Core.Intake.Times;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Blocks;

namespace Kumiko.Core.Intake.Formats;

/// <summary>
/// The record that a reader of a format is filling: its parts, and fields by their names, as a person corrected them. What
/// was inferred is told in its field <c>line.inferred</c>. Not for several threads.
/// </summary>
internal sealed class RecordDraft(FormatSettings settings, string source)
{
    /// <summary>The field that keeps a line as it came, where the record does not say all of it (OpenTelemetry's name).</summary>
    public const string Original = "log.record.original";

    private const long FirstNumber = 631_152_000 * Instants.Second;

    private static readonly Value OfLineBefore = Value.Of("time of the line before");
    private static readonly Value OfArrival = Value.Of("time of arrival");
    private static readonly Value OfArrivalInLatin1 = Value.Of("time of arrival, encoding Latin-1");

    private readonly TimeReader _times = new(settings.Times);
    private readonly FieldMap? _map = FieldMap.Of(settings);
    private readonly NameCache _names = new();
    private readonly StringCache _strings = new(1 << 10);
    private readonly ResourceBook _resources = new();
    private readonly string _source = string.Intern(source);
    private readonly string _givenHost = settings.Host ?? "";
    private readonly string _givenService = settings.Service ?? "";
    private RecordBlockBuilder _into = null!;
    private long _now;
    private long? _time;
    private WrittenTime? _date;
    private long? _before;
    private int _severity;
    private string _host = "";
    private string _service = "";
    private bool _latin;

    public TimeReader Times => _times;

    public RecordBlockBuilder Into => _into;

    /// <summary>Whether the record has a time of its own.</summary>
    public bool HasTime => _time is not null;

    public bool HasBody => _into.Has(TextPart.Body);

    /// <param name="now">When it came, UTC nanoseconds.</param>
    public void Begin(RecordBlockBuilder into, long now)
    {
        (_into, _now) = (into, now);
        (_time, _date, _severity, _host, _service, _latin) = (null, null, 0, "", "", false);
        into.Begin();
    }

    public void Abandon() => _into.Abandon();

    /// <summary>Takes a time at the beginning of a text.</summary>
    /// <returns>Bytes that it takes; 0 where none stands there.</returns>
    public int TimeAt(ReadOnlySpan<byte> text)
    {
        if (!_times.TryRead(text, _now, out var time, out var length))
            return 0;
        _time = time;
        return length;
    }

    /// <summary>Takes a time that was put together of parts.</summary>
    public bool Place(in WrittenTime written)
    {
        if (!_times.TryPlace(written, default, _now, out var time))
            return false;
        _time = time;
        return true;
    }

    public void Body(ReadOnlySpan<byte> text) => Text(TextPart.Body, text);

    private void Text(TextPart part, ReadOnlySpan<byte> text)
    {
        var start = _into.Bytes.Length;
        Write(text);
        _into.Text(part, start);
    }

    private void Write(ReadOnlySpan<byte> text)
    {
        if (Utf8.IsValid(text))
        {
            _into.Bytes.Bytes(text);
            return;
        }
        _latin = true;
        _into.Bytes.Utf8(Encoding.Latin1.GetString(text));
    }

    /// <summary>A level, by name or number.</summary>
    public void Level(ReadOnlySpan<byte> text)
    {
        Text(TextPart.Level, text);
        _severity = LevelNames.Find(text);
    }

    public void Severity(int number) => _severity = number;

    public void Host(ReadOnlySpan<byte> text)
    {
        if (_givenHost.Length > 0)
            Field("log.host", text);
        else if (_map is null || Renamed("host", text))
            _host = String(text);
    }

    public void Service(ReadOnlySpan<byte> text)
    {
        if (_givenService.Length > 0)
            Field("log.service", text);
        else if (_map is null || Renamed("service", text))
            _service = String(text);
    }

    /// <summary>Whether a part keeps its name; else it is a field of another, or left out.</summary>
    private bool Renamed(string part, ReadOnlySpan<byte> text)
    {
        var name = _map!.Name(part, out var type);
        if (name == part)
            return true;
        if (name is not null)
            Add(name, text, type);
        return false;
    }

    private string String(ReadOnlySpan<byte> text) => Utf8.IsValid(text) ? _strings.Get(text) : Encoding.Latin1.GetString(text);

    /// <summary>A field that is a text, whatever it looks like.</summary>
    /// <param name="name">From a constant, or pooled.</param>
    public void Field(string name, ReadOnlySpan<byte> text)
    {
        var type = FieldType.Text;
        if (_map is not null)
        {
            if (_map.Name(name, out var wished) is not { } found)
                return;
            (name, type) = (found, wished == FieldType.Number ? wished : type);
        }
        Add(name, text, type);
    }

    public void Field(string name, long number)
    {
        if (Wished(ref name, out var type))
            Set(name, type == FieldType.Text ? Value.Of(Value.Of(number).ToText()) : Value.Of(number));
    }

    public void Field(string name, Value value)
    {
        if (Wished(ref name, out var type))
            Set(name, type == FieldType.Text ? Value.Of(value.ToText()) : value);
    }

    private bool Wished(ref string name, out FieldType type)
    {
        type = FieldType.AsWritten;
        if (_map is null)
            return true;
        if (_map.Name(name, out type) is not { } found)
            return false;
        name = found;
        return true;
    }

    private void Set(string name, Value value) => _into.Field(name, value);

    /// <summary>A field that is a number where it is written as one.</summary>
    public void Typed(string name, ReadOnlySpan<byte> text)
    {
        var type = FieldType.AsWritten;
        if (_map is not null)
        {
            if (_map.Name(name, out type) is not { } found)
                return;
            name = found;
        }
        Add(name, text, type);
    }

    private void Add(string name, ReadOnlySpan<byte> text, FieldType type)
    {
        if (type == FieldType.AsWritten && text.Length < 20 && TryNumber(text, out var whole, out var broken))
        {
            if (broken is { } number)
                _into.Field(name, Value.Of(number));
            else
                _into.Field(name, ValueKind.Integer, whole);
            return;
        }
        if (type == FieldType.Number)
        {
            // A number that is none stays what it is: nothing is lost, and it can be seen.
            if (Utf8Parser.TryParse(text, out long integer, out var read) && read == text.Length)
            {
                _into.Field(name, ValueKind.Integer, integer);
                return;
            }
            if (Utf8Parser.TryParse(text, out double real, out read) && read == text.Length && double.IsFinite(real))
            {
                _into.Field(name, Value.Of(real));
                return;
            }
        }
        if (type == FieldType.AsWritten && text.Length is 4 or 5)
        {
            if (text.SequenceEqual("true"u8) || text.SequenceEqual("false"u8))
            {
                _into.Field(name, Value.Of(text.Length == 4));
                return;
            }
        }
        var start = _into.Bytes.Length;
        Write(text);
        _into.Field(name, start);
    }

    /// <summary>A number as JSON would write it; leading zeros are of ids.</summary>
    private static bool TryNumber(ReadOnlySpan<byte> text, out long whole, out double? broken)
    {
        (whole, broken) = (0, null);
        var digits = text is [(byte)'-', ..] ? text[1..] : text;
        if (digits.IsEmpty || (digits[0] == '0' && digits.Length > 1 && digits[1] != '.'))
            return false;
        var end = digits.IndexOfAnyExceptInRange((byte)'0', (byte)'9');
        if (end < 0)
            return Utf8Parser.TryParse(text, out whole, out var read) && read == text.Length;
        if (end == 0 || digits[end] != '.' || end + 1 == digits.Length)
            return false;
        if (digits[(end + 1)..].ContainsAnyExceptInRange((byte)'0', (byte)'9'))
            return false;
        if (!Utf8Parser.TryParse(text, out double number, out var length) || length != text.Length)
            return false;
        broken = number;
        return true;
    }

    /// <summary>A named value as its name says: a part of the record, or a field.</summary>
    /// <param name="isQuoted">A quoted value is a text.</param>
    /// <returns>Whether it became a part.</returns>
    public bool Named(ReadOnlySpan<byte> name, ReadOnlySpan<byte> value, bool isQuoted)
    {
        var (known, part) = _names.Find(name);
        var type = isQuoted ? FieldType.Text : FieldType.AsWritten;
        if (_map is not null)
        {
            if (_map.Name(known, out var wished) is not { } found)
                return false;
            if (!ReferenceEquals(found, known))
                (known, part) = _names.Find(found);
            if (wished != FieldType.AsWritten)
                type = wished;
        }
        if (part != FieldPart.Attribute && !value.IsEmpty && IsPart(part, value))
            return true;
        if (known.Length > 0)
            Add(known, value, type);
        return false;
    }

    private bool IsPart(FieldPart part, ReadOnlySpan<byte> value)
    {
        switch (part)
        {
            case FieldPart.Time when _time is null:
                return WholeTime(value);
            case FieldPart.Body when !HasBody:
                Body(value);
                return true;
            case FieldPart.Level when _severity == 0 && !_into.Has(TextPart.Level):
                Level(value);
                return true;
            case FieldPart.Service when _service.Length == 0 && _givenService.Length == 0:
                _service = String(value);
                return true;
            case FieldPart.Host when _host.Length == 0 && _givenHost.Length == 0:
                _host = String(value);
                return true;
            case FieldPart.TraceId when !_into.Has(TextPart.TraceId):
                Text(TextPart.TraceId, value);
                return true;
            case FieldPart.SpanId when !_into.Has(TextPart.SpanId):
                Text(TextPart.SpanId, value);
                return true;
            default:
                return false;
        }
    }

    /// <summary>A text that is all a time; a day and a clock may come as two.</summary>
    public bool WholeTime(ReadOnlySpan<byte> text)
    {
        if (WrittenTime.TryScan(text, out var written) && written.Length == text.Length)
        {
            if (_date is { } date && written.Month == 0)
                written = written with { Year = date.Year, Month = date.Month, Day = date.Day, Numbers = date.Numbers };
            else if (!written.HasClock && written.Month > 0 && _date is null)
            {
                _date = written;
                return true;
            }
            if (!_times.TryPlace(written, text, _now, out var placed))
                return false;
            (_time, _date) = (placed, null);
            return true;
        }
        if (!_times.TryRead(text, _now, out var time, out var length) || length != text.Length)
        {
            // A small number is a duration or a count.
            if (!TimeText.TryRead(text, out time, out _) || time < FirstNumber)
                return false;
        }
        _time = time;
        return true;
    }

    /// <summary>Ends the row.</summary>
    public void End()
    {
        if (_time is null && _date is { } date && date.TryGetLocal(out _) && _times.TryPlace(date, default, _now, out var day))
            _time = day;
        Value inferred;
        if (_time is not null)
            inferred = _latin ? Lines.Latin1 : Value.Missing;
        else if (_before is not null)
            inferred = OfLineBefore;
        else
            inferred = _latin ? OfArrivalInLatin1 : OfArrival;
        if (!inferred.IsMissing)
            _into.Field(Lines.Inferred, inferred);
        if (_time is not null)
            _before = _time;
        _into.End(
            _time ?? _before ?? _now,
            _now,
            _severity,
            _resources.Of(_host.Length > 0 ? _host : _givenHost, _service.Length > 0 ? _service : _givenService),
            _source
        );
    }
}
