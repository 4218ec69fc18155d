using System.Text.Json;

namespace Kumiko.Core.Records;

/// <summary>Values read from JSON text.</summary>
public static class JsonValues
{
    private const int Deepest = 64;

    /// <summary>Reads a whole JSON text; false where it is none, or nested too deep.</summary>
    public static bool TryRead(string text, out Value value)
    {
        value = Value.Missing;
        try
        {
            using var document = JsonDocument.Parse(text, new JsonDocumentOptions { MaxDepth = Deepest });
            value = Read(document.RootElement);
            return true;
        }
        catch (Exception e) when (e is JsonException or InvalidOperationException or ArgumentException)
        {
            return false;
        }
    }

    private static Value Read(JsonElement element) =>
        element.ValueKind switch
        {
            JsonValueKind.True => Value.True,
            JsonValueKind.False => Value.False,
            JsonValueKind.String => Value.Of(element.GetString()),
            // An integer beyond 64 bits stays text: a rounded id is a wrong id.
            JsonValueKind.Number when element.TryGetInt64(out var whole) => Value.Of(whole),
            JsonValueKind.Number
                when element.GetRawText().AsSpan().IndexOfAny(".eE") >= 0
                    && element.TryGetDouble(out var number)
                    && double.IsFinite(number) => Value.Of(number),
            JsonValueKind.Number => Value.Of(element.GetRawText()),
            JsonValueKind.Array => Value.Of([.. element.EnumerateArray().Select(Read)]),
            JsonValueKind.Object => Object(element),
            _ => Value.Missing,
        };

    private static Value Object(JsonElement element)
    {
        // Of equal names the last counts, as most readers of JSON have it.
        var fields = new Dictionary<string, Value>(StringComparer.Ordinal);
        foreach (var property in element.EnumerateObject())
            fields[property.Name] = Read(property.Value);
        return Value.Of(new Attributes([.. fields.Keys], [.. fields.Values]));
    }
}
