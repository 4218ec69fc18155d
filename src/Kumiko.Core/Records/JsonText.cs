using System.Buffers;
using System.Globalization;
using System.Text;
using System.Text.Encodings.Web;
using System.Text.Json;

namespace Kumiko.Core.Records;

/// <summary>Values written as JSON: times as ISO text, durations in seconds, sizes in bytes.</summary>
public static class JsonText
{
    /// <summary>Characters that stand for themselves; most texts have no others, and need no encoder.</summary>
    private static readonly SearchValues<char> Themselves = SearchValues.Create([
        .. Enumerable.Range(' ', '~' - ' ' + 1).Select(c => (char)c).Except(['"', '\\']),
    ]);

    public static void Append(StringBuilder text, Value value)
    {
        switch (value.Kind)
        {
            case ValueKind.Missing:
                text.Append("null");
                break;
            case ValueKind.Boolean:
                text.Append(value.IsTrue ? "true" : "false");
                break;
            case ValueKind.Integer or ValueKind.Size:
                text.Append(CultureInfo.InvariantCulture, $"{value.AsLong}");
                break;
            case ValueKind.Decimal when double.IsFinite(value.AsDouble):
                text.Append(value.ToText());
                break;
            case ValueKind.Duration:
                text.Append(CultureInfo.InvariantCulture, $"{value.AsLong / 1_000_000_000m:0.#########}");
                break;
            case ValueKind.List:
                AppendList(text, value.AsList);
                break;
            case ValueKind.Object:
                Append(text, value.AsObject);
                break;
            default:
                Append(text, value.ToText());
                break;
        }
    }

    public static void Append(StringBuilder text, Attributes fields)
    {
        text.Append('{');
        for (var i = 0; i < fields.Count; i++)
        {
            if (i > 0)
                text.Append(',');
            Append(text, fields.Names[i]);
            text.Append(':');
            Append(text, fields.Values[i]);
        }
        text.Append('}');
    }

    public static void Append(StringBuilder text, string value) =>
        text.Append('"')
            .Append(
                value.AsSpan().ContainsAnyExcept(Themselves)
                    ? JsonEncodedText.Encode(value, JavaScriptEncoder.UnsafeRelaxedJsonEscaping).Value
                    : value
            )
            .Append('"');

    private static void AppendList(StringBuilder text, Value[] items)
    {
        text.Append('[');
        for (var i = 0; i < items.Length; i++)
        {
            if (i > 0)
                text.Append(',');
            Append(text, items[i]);
        }
        text.Append(']');
    }
}
