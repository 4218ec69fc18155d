using System.Text.Json;

namespace Kumiko.Web.Delivery.Channels;

/// <summary>What of a webhook stays secret: the key that signs, and the headers of one's own, which often hold a
/// password.</summary>
public sealed record WebhookSecret(string Key, IReadOnlyList<string> Headers)
{
    public static readonly WebhookSecret None = new("", []);

    public string ToText() => Key.Length == 0 && Headers.Count == 0 ? "" : JsonSerializer.Serialize(this);

    public static WebhookSecret Of(string text) =>
        text.Length == 0 ? None : JsonSerializer.Deserialize<WebhookSecret>(text) ?? None;

    public IReadOnlyList<string> HeaderNames => [.. Headers.Select(h => h[..h.IndexOf(':')].Trim())];
}
