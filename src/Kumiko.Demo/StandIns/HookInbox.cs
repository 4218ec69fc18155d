using System.Text.Json;
using Kumiko.Web.Delivery.Channels;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Http.Extensions;

namespace Kumiko.Demo.StandIns;

/// <summary>A webhook that arrived.</summary>
/// <param name="Key">Tells a repeat.</param>
/// <param name="Body">JSON, as it came.</param>
public sealed record HookMessage(string Key, DateTimeOffset Time, string Body)
{
    /// <summary>A text of the body's top level; empty where there is none.</summary>
    public string Text(string name)
    {
        using var document = JsonDocument.Parse(Body);
        return
            document.RootElement.ValueKind == JsonValueKind.Object
            && document.RootElement.TryGetProperty(name, out var value)
            && value.ValueKind == JsonValueKind.String
            ? value.GetString()!
            : "";
    }
}

/// <summary>Stands in for a chat room, or an on-call pager: takes signed webhooks, each once.</summary>
public sealed class HookInbox
{
    /// <summary>What the stand-ins and their channels share.</summary>
    public const string Secret = "skerry-line-demonstration";

    private const int Most = 500;
    private const int MostBytes = 256 * 1024;

    private readonly string _file;
    private readonly Lock _lock = new();
    private readonly List<HookMessage> _messages = [];

    public HookInbox(string data, string name)
    {
        Name = name;
        _file = Path.Combine(data, $"{name}.jsonl");
        if (File.Exists(_file))
            _messages.AddRange(
                File.ReadLines(_file).Select(l => JsonSerializer.Deserialize<HookMessage>(l)).OfType<HookMessage>().TakeLast(Most)
            );
    }

    public string Name { get; }
    public string Address => $"/demo/hooks/{Name}";

    /// <summary>Whether it answers that it is out of order.</summary>
    public bool IsBroken { get; set; }

    /// <summary>The newest first.</summary>
    public IReadOnlyList<HookMessage> Messages
    {
        get
        {
            lock (_lock)
                return [.. _messages.AsEnumerable().Reverse()];
        }
    }

    public void Map(WebApplication app, TimeProvider clock) =>
        app.MapPost(Address, async (HttpContext http) =>
            {
                if (IsBroken)
                    return Results.Text("out of order", statusCode: 503);
                using var body = new MemoryStream();
                if (http.Request.ContentLength is > MostBytes)
                    return Results.StatusCode(413);
                await http.Request.Body.CopyToAsync(body, http.RequestAborted);
                if (
                    !WebhookSignature.Verify(
                        Secret,
                        http.Request.GetEncodedUrl(),
                        body.ToArray(),
                        name => http.Request.Headers[name],
                        clock.GetUtcNow()
                    )
                )
                    return Results.Text("not signed by Kumiko", statusCode: 401);
                return Add(
                    http.Request.Headers["Idempotency-Key"].ToString(),
                    clock.GetUtcNow(),
                    System.Text.Encoding.UTF8.GetString(body.ToArray())
                )
                    ? Results.Text("taken")
                    : Results.Text("known already");
            })
            .AllowAnonymous();

    private bool Add(string key, DateTimeOffset time, string body)
    {
        lock (_lock)
        {
            if (_messages.Any(m => m.Key == key))
                return false;
            var message = new HookMessage(key, time, body);
            _messages.Add(message);
            if (_messages.Count > Most)
                _messages.RemoveAt(0);
            File.AppendAllText(_file, JsonSerializer.Serialize(message) + "\n");
            return true;
        }
    }
}

/// <summary>The stand-ins that take webhooks.</summary>
public sealed record HookInboxes(HookInbox Chat, HookInbox Pager)
{
    public static HookInboxes In(string data) => new(new HookInbox(data, "chat"), new HookInbox(data, "pager"));
}
