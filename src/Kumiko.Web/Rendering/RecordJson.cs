using System.Text.Encodings.Web;
using System.Text.Json;
using System.Text.Json.Nodes;
using Kumiko.Core.Records;

namespace Kumiko.Web.Rendering;

/// <summary>A record written out with the names that OpenTelemetry's data model has.</summary>
public static class RecordJson
{
    private const int LongestBody = 16 * 1024;

    // The page escapes it as it does all text.
    private static readonly JsonSerializerOptions Indented = new()
    {
        WriteIndented = true,
        Encoder = JavaScriptEncoder.UnsafeRelaxedJsonEscaping,
    };

    public static string Of(LogRecord record)
    {
        var json = new JsonObject
        {
            ["Timestamp"] = Instants.Format(record.Time),
            ["ObservedTimestamp"] = Instants.Format(record.Observed),
            ["TraceId"] = record.TraceId,
            ["SpanId"] = record.SpanId,
            ["SeverityText"] = record.SeverityText,
            ["SeverityNumber"] = record.SeverityNumber,
            ["Body"] = record.Body.Length > LongestBody ? record.Body[..LongestBody] + "…" : record.Body,
            ["Resource"] = Fields(record.Resource.Attributes),
            ["Attributes"] = Fields(record.Attributes),
        };
        foreach (var name in json.Where(p => p.Value is null).Select(p => p.Key).ToList())
            json.Remove(name);
        return json.ToJsonString(Indented);
    }

    private static JsonNode? Fields(Attributes fields) => JsonNode.Parse(Value.Of(fields).ToJson());
}
