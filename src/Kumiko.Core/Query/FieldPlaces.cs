using Kumiko.Core.Evaluation;
using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Query;

/// <summary>Where a field of a record came from.</summary>
public enum FieldOrigin
{
    /// <summary>The record does not have it.</summary>
    None,

    /// <summary>What every record has: its time, level, body, ids.</summary>
    Record,
    Attribute,
    Resource,

    /// <summary>The query cut it out of a text.</summary>
    Parse,

    /// <summary>The query computed it.</summary>
    Computed,

    /// <summary>The query looked it up in a table.</summary>
    LookUp,
}

/// <summary>A field in one record.</summary>
/// <param name="Start">Where its value stands in the body; null where it does not.</param>
public sealed record FieldPlace(RecordId Id, FieldOrigin Origin, int? Start, int Length);

/// <summary>Tells where a field of records came from, and where its value stands in their bodies.</summary>
internal sealed class FieldPlaces
{
    private const int LongestBody = 64 * 1024;

    private readonly string _name;
    private readonly FieldOrigin? _made;
    private readonly TemplateMatcher? _template;

    public FieldPlaces(Language.Query query, string name)
    {
        _name = name;
        var maker = query.Stages.TakeWhile(s => s.IsRowByRow).LastOrDefault(s => s is PipelineStage stage && Makes(stage, name));
        _made = maker switch
        {
            Parse => FieldOrigin.Parse,
            SetFields set => set.Items.Any(i => i.Name == name && LooksUp(i.Expr)) ? FieldOrigin.LookUp : FieldOrigin.Computed,
            null => null,
            _ => FieldOrigin.Computed,
        };
        if (maker is Parse { Shape: ParseShape.Template, Source: Field { Name: "body" } } parse)
            _template = new TemplateMatcher(parse.Pattern);
    }

    private static bool Makes(PipelineStage stage, string name) =>
        stage.Makes.Contains(name) || stage is Parse { Shape: ParseShape.Json or ParseShape.Logfmt };

    private static bool LooksUp(Expr expr) => expr is Call { Name: "lookup" } || QueryChecker.Parts(expr).Any(LooksUp);

    /// <param name="computed">What the query computed under this name; missing where it did not.</param>
    public FieldPlace Of(LogRecord record, Value computed)
    {
        var (origin, value) = _made is { } made && !computed.IsMissing ? (made, computed) : Stored(record);
        if (origin == FieldOrigin.None || value.IsMissing)
            return new FieldPlace(record.Id, FieldOrigin.None, null, 0);
        var (start, length) = Place(record.Body, value.ToText());
        return new FieldPlace(record.Id, origin, start < 0 ? null : start, length);
    }

    private (FieldOrigin, Value) Stored(LogRecord record)
    {
        if (_name is "service" or "host")
            return (FieldOrigin.Resource, RecordFields.Bind(_name)(record));
        if (RecordFields.BuiltIn.Contains(_name))
            return (FieldOrigin.Record, _name == "body" ? Value.Missing : RecordFields.Bind(_name)(record));
        var value = RecordFields.Bind(_name)(record);
        if (value.IsMissing)
            return (FieldOrigin.None, value);
        return (record.Attributes.Get(_name).IsMissing ? FieldOrigin.Resource : FieldOrigin.Attribute, value);
    }

    private (int Start, int Length) Place(string body, string text)
    {
        if (body.Length > LongestBody || text.Length == 0)
            return (-1, 0);
        if (_template is { } template)
        {
            var places = new (int Start, int End)[template.Slots + 1];
            if (template.Match(body, places) && template.Place(_name, places) is { } place)
                return (place.Start, place.End - place.Start);
        }
        return (NamedPlace(body, text) is var named and >= 0 ? named : WholePlace(body, text, 0), text.Length);
    }

    /// <summary>Where the value stands behind the field's name: <c>wait=812ms</c>, <c>"wait": "812ms"</c>.</summary>
    private int NamedPlace(string body, string text)
    {
        for (
            var at = body.IndexOf(_name, StringComparison.Ordinal);
            at >= 0;
            at = body.IndexOf(_name, at + 1, StringComparison.Ordinal)
        )
        {
            var value = at + _name.Length;
            while (value < body.Length && body[value] is '"' or '=' or ':' or ' ')
                value++;
            if (value > at + _name.Length && WholePlace(body, text, value) == value)
                return value;
        }
        return -1;
    }

    /// <summary>Where a text stands as a whole word or several, from a place on; −1 where it does not.</summary>
    private static int WholePlace(string body, string text, int from)
    {
        for (
            var at = body.IndexOf(text, Math.Min(from, body.Length), StringComparison.Ordinal);
            at >= 0;
            at = body.IndexOf(text, at + 1, StringComparison.Ordinal)
        )
        {
            var end = at + text.Length;
            var begins = at == 0 || !char.IsLetterOrDigit(body[at - 1]) || !char.IsLetterOrDigit(text[0]);
            var ends = end == body.Length || !char.IsLetterOrDigit(body[end]) || !char.IsLetterOrDigit(text[^1]);
            if (begins && ends)
                return at;
        }
        return -1;
    }
}
