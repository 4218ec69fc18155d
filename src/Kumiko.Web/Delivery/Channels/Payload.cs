using System.Text.Json;
using System.Text.Json.Serialization;

namespace Kumiko.Web.Delivery.Channels;

/// <summary>What a message carries, as it is kept in the history.</summary>
[JsonPolymorphic(TypeDiscriminatorPropertyName = "kind")]
[JsonDerivedType(typeof(MailPayload), "mail")]
[JsonDerivedType(typeof(WebhookPayload), "webhook")]
[JsonDerivedType(typeof(SyslogPayload), "syslog")]
[JsonDerivedType(typeof(TrapPayload), "trap")]
[JsonDerivedType(typeof(ScriptPayload), "script")]
public abstract record Payload
{
    public string ToJson() => JsonSerializer.Serialize(this);

    /// <summary>Reads what was kept; a mail of an earlier version has no kind.</summary>
    public static Payload FromJson(string json)
    {
        using var document = JsonDocument.Parse(json);
        return document.RootElement.TryGetProperty("kind", out _)
            ? JsonSerializer.Deserialize<Payload>(json)!
            : new MailPayload(
                document.RootElement.GetProperty("subject").GetString()!,
                document.RootElement.GetProperty("text").GetString()!,
                document.RootElement.GetProperty("html").GetString()!,
                null
            );
    }

    /// <summary>For people to read.</summary>
    public abstract string Describe();
}

/// <param name="Html">Empty for text alone.</param>
/// <param name="Picture">A PNG in Base64 that the HTML shows as <c>cid:chart</c>; null for none.</param>
public sealed record MailPayload(string Subject, string Text, string Html, string? Picture) : Payload
{
    public override string Describe() => $"Subject: {Subject}\n\n{Text}";
}

public sealed record WebhookPayload(string Body, string ContentType) : Payload
{
    public override string Describe() => Body;
}

/// <param name="Severity">As syslog counts it: 2 critical, 4 warning, 5 notice, 6 informational.</param>
/// <param name="Data">Parameters of the structured data.</param>
public sealed record SyslogPayload(int Severity, string MessageId, IReadOnlyDictionary<string, string> Data, string Text)
    : Payload
{
    public override string Describe() => Text;
}

/// <param name="Kind">started, rose, ended, …</param>
/// <param name="Level">0 none, 1 warning, 2 critical.</param>
public sealed record TrapPayload(string Event, int Level, string Rule, string Where, string Text, string Link) : Payload
{
    public override string Describe() => $"{Event}, level {Level}: {Text}\n{Link}";
}

public sealed record ScriptPayload(IReadOnlyList<string> Arguments, IReadOnlyDictionary<string, string> Environment, string Input)
    : Payload
{
    public override string Describe() =>
        string.Join(
            "\n",
            Arguments
                .Select((a, i) => FormattableString.Invariant($"argument {i + 1}: {a}"))
                .Concat(Environment.Select(e => $"{e.Key}={e.Value}"))
        );
}
