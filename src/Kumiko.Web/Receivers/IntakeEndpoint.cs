using Kumiko.Core.Intake.Files;
using Kumiko.Core.Intake.Formats;
using Kumiko.Core.Sources;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Http;

namespace Kumiko.Web.Receivers;

/// <summary>Records over HTTP: newline-delimited JSON, and plain lines.</summary>
public static class IntakeEndpoint
{
    private const int LongestKey = 200;

    public static void Map(WebApplication app)
    {
        app.MapPost("/intake/records", (HttpContext http, IntakeGate gate, LineIntake intake) =>
                Receive(http, gate, intake, "NDJSON over HTTP", (_, body) => Task.FromResult<LineBody?>(new(body, null)))
            )
            .AllowAnonymous()
            .DisableAntiforgery()
            .AddEndpointFilter<CutOff>();
        app.MapPost("/intake/lines", (HttpContext http, IntakeGate gate, LineIntake intake, SourceFormats formats) =>
                Receive(http, gate, intake, "lines over HTTP", (entry, body) => Lines(http, entry, body, formats))
            )
            .AllowAnonymous()
            .DisableAntiforgery()
            .AddEndpointFilter<CutOff>();
    }

    /// <summary>A body, and how it is read.</summary>
    private sealed record LineBody(Stream Body, FormatSettings? Settings);

    /// <summary>Lines are read as the request says, or the token, or as the source's were so far.</summary>
    /// <returns>Null where there is no format of that name.</returns>
    private static async Task<LineBody?> Lines(HttpContext http, Entry entry, Stream body, SourceFormats formats)
    {
        var named = http.Request.Query["format"].ToString() is { Length: > 0 } inQuery ? inQuery : entry.Token?.Format ?? "";
        if (named.Length > 0 && FormatList.Find(named) is null)
            return null;
        var head = new LineHead(body);
        var start = await head.Read(http.RequestAborted);
        var settings =
            named.Length > 0 ? formats.Complete(named, start, head.IsWhole) : await formats.Of(entry.Source, start, head.IsWhole);
        return new LineBody(
            head,
            settings with
            {
                Service = Short(http.Request.Query["service"]) ?? settings.Service,
                Host = Short(http.Request.Query["host"]) ?? settings.Host,
            }
        );
    }

    private static string? Short(string? name) => name is { Length: > 0 and <= LongestKey } ? name : null;

    private static async Task<IResult> Receive(
        HttpContext http,
        IntakeGate gate,
        LineIntake intake,
        string protocol,
        Func<Entry, Stream, Task<LineBody?>> reading
    )
    {
        using var entry = gate.Enter(http, protocol, out var away);
        if (entry is null)
            return Refusals.Result(http, away!);
        var key = http.Request.Headers["Idempotency-Key"].ToString();
        if (key.Length > LongestKey)
            return Refusals.Result(
                http,
                new Refusal(StatusCodes.Status400BadRequest, $"Idempotency-Key can have {LongestKey} characters.")
            );
        // A command on this machine has no token, and no limit.
        var limit = entry.Token is null ? long.MaxValue : LineIntake.MostBytes;
        var (body, wrong) = await RequestBody.Open(http, limit);
        if (body is null)
            return Refusals.Result(http, wrong!);
        if (await reading(entry, body) is not { } lines)
            return Refusals.Result(
                http,
                new Refusal(
                    StatusCodes.Status400BadRequest,
                    $"There is no such format. There are: {string.Join(", ", FormatList.All.Select(f => f.Name))}."
                )
            );
        var answer = await intake.Take(
            lines.Body,
            new LineWish(entry.Source)
            {
                Key = key.Length > 0 ? key : null,
                Limit = limit,
                Settings = lines.Settings,
            },
            http.RequestAborted
        );
        entry.Settle(answer.Taken + answer.RefusedTotal, answer.Bytes);
        return Answer(http, answer);
    }

    private static IResult Answer(HttpContext http, IntakeAnswer answer)
    {
        var status = answer switch
        {
            { Stopped: IntakeStop.NoRoom } => StatusCodes.Status503ServiceUnavailable,
            { Stopped: IntakeStop.KeyUsed } => StatusCodes.Status422UnprocessableEntity,
            { Stopped: IntakeStop.TooLarge } => StatusCodes.Status413PayloadTooLarge,
            { Stopped: IntakeStop.Damaged } => StatusCodes.Status400BadRequest,
            { Taken: 0, RefusedTotal: > 0 } => StatusCodes.Status400BadRequest,
            _ => StatusCodes.Status200OK,
        };
        if (status == StatusCodes.Status503ServiceUnavailable)
            http.Response.Headers.RetryAfter = IntakeGate.RetryAfter(IntakeGate.NoRoomWait);
        var body = new Dictionary<string, object>
        {
            ["taken"] = answer.Taken,
            ["refused_total"] = answer.RefusedTotal,
            ["refused"] = answer.Refused.Select(r => new
            {
                line = r.Line,
                column = r.Column,
                reason = r.Reason,
            }),
        };
        if (answer.Problem is not null)
            body["error"] = answer.Problem;
        return Results.Json(body, statusCode: status);
    }
}
