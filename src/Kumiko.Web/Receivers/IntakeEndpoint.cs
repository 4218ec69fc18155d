using Kumiko.Core.Intake;
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
                Receive(http, gate, intake, "NDJSON over HTTP", _ => null)
            )
            .AllowAnonymous()
            .DisableAntiforgery()
            .AddEndpointFilter<CutOff>();
        app.MapPost("/intake/lines", (HttpContext http, IntakeGate gate, LineIntake intake) =>
                Receive(http, gate, intake, "plain lines over HTTP", source => new PlainLineParser(
                    source,
                    Short(http.Request.Query["service"]),
                    Short(http.Request.Query["host"])
                ))
            )
            .AllowAnonymous()
            .DisableAntiforgery()
            .AddEndpointFilter<CutOff>();
    }

    private static string? Short(string? name) => name is { Length: > 0 and <= LongestKey } ? name : null;

    private static async Task<IResult> Receive(
        HttpContext http,
        IntakeGate gate,
        LineIntake intake,
        string protocol,
        Func<string, PlainLineParser?> parser
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
        var answer = await intake.Take(
            body,
            entry.Source,
            key.Length > 0 ? key : null,
            limit,
            null,
            http.RequestAborted,
            parser(entry.Source)
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
