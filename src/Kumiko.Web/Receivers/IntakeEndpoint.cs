using Kumiko.Core.Accounts;
using Kumiko.Core.Intake;
using Kumiko.Web.Hosting;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Http.Features;

namespace Kumiko.Web.Receivers;

/// <summary>Records as newline-delimited JSON over HTTP.</summary>
public static class IntakeEndpoint
{
    private const int RetryAfterSeconds = 30;
    private const int LongestKey = 200;

    public static void Map(WebApplication app) => app.MapPost("/intake/records", Receive).AllowAnonymous().DisableAntiforgery();

    private static async Task<IResult> Receive(HttpContext http, BearerTokens tokens, NdjsonIntake intake)
    {
        if (tokens.Find(http, TokenPurpose.Intake) is not { } sender) return BearerTokens.Refuse(http, TokenPurpose.Intake);
        if (http.Features.Get<IHttpMaxRequestBodySizeFeature>() is { IsReadOnly: false } size) size.MaxRequestBodySize = null;
        var source = tokens.IsControl(http) && http.Request.Query["source"].ToString() is { Length: > 0 and <= LongestKey } named ? named : sender;
        var key = http.Request.Headers["Idempotency-Key"].ToString();
        if (key.Length > LongestKey) return Results.Json(new { error = $"Idempotency-Key can have {LongestKey} characters." }, statusCode: StatusCodes.Status400BadRequest);
        Stream body;
        switch (http.Request.Headers.ContentEncoding.ToString().ToLowerInvariant())
        {
            case "" or "identity": body = http.Request.Body; break;
            case "gzip":
                // Decompression reads synchronously, on a thread of the pool.
                if (http.Features.Get<IHttpBodyControlFeature>() is { } control) control.AllowSynchronousIO = true;
                body = Gzip.Open(http.Request.Body);
                break;
            case var other: return Results.Json(new { error = $"Content-Encoding {other} is not understood. Send gzip, or none." }, statusCode: StatusCodes.Status415UnsupportedMediaType);
        }
        var limit = tokens.IsControl(http) ? long.MaxValue : NdjsonIntake.MostBytes;
        var answer = await intake.Take(body, source, key.Length > 0 ? key : null, limit, null, http.RequestAborted);
        return Answer(http, answer);
    }

    private static IResult Answer(HttpContext http, IntakeAnswer answer)
    {
        var status = answer switch
        {
            { Stopped: IntakeStop.NoRoom } => StatusCodes.Status503ServiceUnavailable,
            { Stopped: IntakeStop.TooLarge } => StatusCodes.Status413PayloadTooLarge,
            { Stopped: IntakeStop.Damaged } => StatusCodes.Status400BadRequest,
            { Taken: 0, RefusedTotal: > 0 } => StatusCodes.Status400BadRequest,
            _ => StatusCodes.Status200OK,
        };
        if (status == StatusCodes.Status503ServiceUnavailable) http.Response.Headers.RetryAfter = RetryAfterSeconds.ToString(System.Globalization.CultureInfo.InvariantCulture);
        var body = new Dictionary<string, object>
        {
            ["taken"] = answer.Taken,
            ["refused_total"] = answer.RefusedTotal,
            ["refused"] = answer.Refused.Select(r => new { line = r.Line, column = r.Column, reason = r.Reason }),
        };
        if (answer.Problem is not null) body["error"] = answer.Problem;
        return Results.Json(body, statusCode: status);
    }
}
