using System.Globalization;
using System.Text;
using System.Text.Json;

namespace Kumiko.Core.Records;

/// <summary>Values written as JSON: times as ISO text, durations in seconds, sizes in bytes.</summary>
public static class JsonText
{
    public static void Append(StringBuilder text, Value value)
    {
        switch (value.Kind)
        {
            case ValueKind.Missing: text.Append("null"); break;
            case ValueKind.Boolean: text.Append(value.IsTrue ? "true" : "false"); break;
            case ValueKind.Integer or ValueKind.Size: text.Append(value.AsLong.ToString(CultureInfo.InvariantCulture)); break;
            case ValueKind.Decimal when double.IsFinite(value.AsDouble): text.Append(value.ToText()); break;
            case ValueKind.Duration: text.Append((value.AsLong / 1_000_000_000m).ToString("0.#########", CultureInfo.InvariantCulture)); break;
            case ValueKind.List: AppendList(text, value.AsList); break;
            case ValueKind.Object: Append(text, value.AsObject); break;
            default: Append(text, value.ToText()); break;
        }
    }

    public static void Append(StringBuilder text, Attributes fields)
    {
        text.Append('{');
        for (var i = 0; i < fields.Count; i++)
        {
            if (i > 0) text.Append(',');
            Append(text, fields.Names[i]);
            text.Append(':');
            Append(text, fields.Values[i]);
        }
        text.Append('}');
    }

    public static void Append(StringBuilder text, string value) =>
        text.Append('"').Append(JsonEncodedText.Encode(value, System.Text.Encodings.Web.JavaScriptEncoder.UnsafeRelaxedJsonEscaping).Value).Append('"');

    private static void AppendList(StringBuilder text, Value[] items)
    {
        text.Append('[');
        for (var i = 0; i < items.Length; i++)
        {
            if (i > 0) text.Append(',');
            Append(text, items[i]);
        }
        text.Append(']');
    }
}
