using System.Globalization;
using System.Text.Json;

namespace Kumiko.Demo.World;

/// <summary>What a service writes, before it is spelled as its kind spells it.</summary>
/// <param name="Time">When it happened.</param>
/// <param name="Line">Which line of code wrote it: the truth, which is not sent.</param>
public sealed record SimulatedRecord(
    DateTimeOffset Time,
    string Service,
    string Host,
    string Level,
    string Body,
    IReadOnlyList<(string Name, object Value)> Attributes,
    string? TraceId,
    string? SpanId,
    string Line
)
{
    /// <summary>How far the clock of its host is off.</summary>
    public TimeSpan Drift { get; init; }

    /// <summary>The process that wrote it, where that says so; empty for devices.</summary>
    public Core.Records.Resource? Process { get; init; }

    /// <summary>One line of JSON in the spelling of the service.</summary>
    public void WriteTo(Utf8JsonWriter to)
    {
        var (time, level, body) = Spelling(Service);
        to.WriteStartObject();
        to.WriteString(time, (Time + Drift).UtcDateTime.ToString("yyyy-MM-ddTHH:mm:ss.fffZ", CultureInfo.InvariantCulture));
        if (Level.Length > 0)
            to.WriteString(level, level == "lvl" ? Level.ToUpperInvariant() : Level);
        to.WriteString("service", Service);
        to.WriteString("host", Host);
        to.WriteString(body, Body);
        if (TraceId is not null)
        {
            to.WriteString("trace_id", TraceId);
            to.WriteString("span_id", SpanId ?? TraceId[8..24]);
        }
        foreach (var (name, value) in Attributes)
            switch (value)
            {
                case int number:
                    to.WriteNumber(name, number);
                    break;
                case double number:
                    to.WriteNumber(name, number);
                    break;
                default:
                    to.WriteString(name, value.ToString());
                    break;
            }
        to.WriteStartObject("resource");
        to.WriteString("deployment.environment.name", SkerryLine.EnvironmentOf(Host));
        foreach (var name in OfProcess)
            if (Process?.Attributes.Get(name) is { IsMissing: false } value)
                to.WriteString(name, value.ToText());
        to.WriteEndObject();
        to.WriteEndObject();
    }

    private static readonly string[] OfProcess = ["service.version", "service.instance.id"];

    private static (string Time, string Level, string Body) Spelling(string service) =>
        service switch
        {
            "booking-web" or "fare-engine" or "refund-desk" => ("timestamp", "severity", "message"),
            "tide-feed" or "berth-planner" or "crew-roster" => ("ts", "lvl", "msg"),
            _ => ("time", "level", "body"),
        };
}
