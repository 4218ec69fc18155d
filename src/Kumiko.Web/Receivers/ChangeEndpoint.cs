using System.Net.Mime;
using System.Text;
using System.Text.Json;
using CloudNative.CloudEvents;
using CloudNative.CloudEvents.SystemTextJson;
using Kumiko.Core.Changes;
using Kumiko.Core.Intake;
using Kumiko.Core.Records;
using Kumiko.Core.Sources;
using Kumiko.Core.Storage;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Http;

namespace Kumiko.Web.Receivers;

/// <summary>Changes as CloudEvents 1.0 over HTTP: structured, binary, and batches.</summary>
public static class ChangeEndpoint
{
    private const int MostBytes = 1 << 20;
    private const string HeaderPrefix = "ce-";
    private const string Structured = "application/cloudevents+json";
    private const string Batch = "application/cloudevents-batch+json";

    private static readonly JsonEventFormatter Formatter = new();

    public static void Map(WebApplication app) =>
        app.MapPost("/intake/changes", Receive).AllowAnonymous().DisableAntiforgery().AddEndpointFilter<CutOff>();

    private static async Task<IResult> Receive(
        HttpContext http,
        IntakeGate gate,
        ChangeStore changes,
        SourceBook book,
        RecordStore records,
        TimeProvider clock
    )
    {
        var type = (http.Request.ContentType ?? "").Split(';')[0].Trim().ToLowerInvariant();
        var how = type switch
        {
            Structured => "structured",
            Batch => "batch",
            _ => "binary",
        };
        using var entry = gate.Enter(http, $"CloudEvents over HTTP, {how}", out var away);
        if (entry is null)
            return Refusals.Result(http, away!);
        var (stream, wrong) = await RequestBody.Open(http, MostBytes);
        if (stream is null)
            return Refusals.Result(http, wrong!);
        byte[] body;
        try
        {
            body = await Read(stream, http.RequestAborted);
        }
        catch (Exception e) when (Gzip.IsDamage(e))
        {
            return Refusals.Result(http, new Refusal(StatusCodes.Status400BadRequest, "The compressed data is damaged."));
        }
        if (body.Length > MostBytes)
            return Refusals.Result(
                http,
                new Refusal(
                    StatusCodes.Status413PayloadTooLarge,
                    $"More than {MostBytes >> 10} KB of changes. Send fewer at once."
                )
            );
        var refused = new List<Refused>();
        var taken = 0;
        try
        {
            var events = Decode(http, type, body);
            var now = Instants.FromDateTime(clock.GetUtcNow());
            for (var i = 0; i < events.Count; i++)
            {
                if (ChangeReader.Read(Parts(events[i]), entry.Sender, entry.Source, now, out var reason) is not { } change)
                {
                    refused.Add(new Refused(i + 1, 0, reason!, Head(body)));
                    continue;
                }
                // One that was told before is as good as taken.
                if (await changes.Add(change) > 0)
                    book.CountChange(entry.Source, change.At);
                taken++;
            }
        }
        catch (Exception e) when (e is ArgumentException or JsonException or FormatException or InvalidOperationException)
        {
            refused.Add(new Refused(0, 0, "This is no CloudEvent: " + e.Message, Head(body)));
        }
        catch (DiskFullException e)
        {
            return Refusals.Result(http, new Refusal(StatusCodes.Status503ServiceUnavailable, e.Message, IntakeGate.NoRoomWait));
        }
        entry.Settle(taken + refused.Count, body.Length);
        await records.Keep(refused, entry.Source);
        return Results.Json(
            new { taken, refused = refused.Select(r => new { place = r.Line, reason = r.Reason }) },
            statusCode: taken == 0 && refused.Count > 0 ? StatusCodes.Status400BadRequest : StatusCodes.Status200OK
        );
    }

    private static byte[] Head(byte[] body) => body[..Math.Min(body.Length, LineReader.KeptHead)];

    private static async Task<byte[]> Read(Stream from, CancellationToken cancel)
    {
        using var to = new MemoryStream();
        var buffer = new byte[16 * 1024];
        for (int read; to.Length <= MostBytes && (read = await from.ReadAsync(buffer, cancel)) > 0; )
            to.Write(buffer, 0, read);
        return to.ToArray();
    }

    private static IReadOnlyList<CloudEvent> Decode(HttpContext http, string type, byte[] body) =>
        type switch
        {
            Structured => [Formatter.DecodeStructuredModeMessage(body, new ContentType(Structured), null)],
            Batch => Formatter.DecodeBatchModeMessage(body, new ContentType(Batch), null),
            _ => [Binary(http, body)],
        };

    private static CloudEvent Binary(HttpContext http, byte[] body)
    {
        var version = http.Request.Headers[HeaderPrefix + "specversion"].ToString();
        var result = new CloudEvent(
            CloudEventsSpecVersion.FromVersionId(version)
                ?? throw new ArgumentException(
                    version.Length == 0
                        ? "the header ce-specversion is missing. Send Content-Type application/cloudevents+json, or the ce- headers."
                        : $"version {version} is not known."
                )
        );
        foreach (var (name, value) in http.Request.Headers)
            if (
                name.StartsWith(HeaderPrefix, StringComparison.OrdinalIgnoreCase)
                && name[HeaderPrefix.Length..].ToLowerInvariant() is var attribute and not "specversion"
            )
                result.SetAttributeFromString(attribute, Uri.UnescapeDataString(value.ToString()));
        result.DataContentType = http.Request.ContentType;
        Formatter.DecodeBinaryModeEventData(body, result);
        return result.Validate();
    }

    private static ChangeEvent Parts(CloudEvent e) =>
        new(
            e.Id!,
            e.Source!.ToString(),
            e.Type!,
            e.Subject,
            IsTimed(e) ? Instants.FromDateTime(e.Time!.Value) : null,
            e.Data switch
            {
                JsonElement json => json,
                string text when IsJson(text, out var parsed) => parsed,
                byte[] bytes when IsJson(Encoding.UTF8.GetString(bytes), out var parsed) => parsed,
                _ => null,
            }
        )
        {
            HasWrongTime = e.Time is not null && !IsTimed(e),
        };

    private static bool IsTimed(CloudEvent e) => e.Time is { UtcDateTime.Year: >= 1678 and <= 2261 };

    private static bool IsJson(string text, out JsonElement parsed)
    {
        parsed = default;
        try
        {
            parsed = JsonElement.Parse(text);
            return true;
        }
        catch (JsonException)
        {
            return false;
        }
    }
}
