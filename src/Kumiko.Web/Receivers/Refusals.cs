using Microsoft.AspNetCore.Http;

namespace Kumiko.Web.Receivers;

/// <summary>How plain HTTP says that somebody was not let in.</summary>
internal static class Refusals
{
    public static IResult Result(HttpContext http, Refusal away)
    {
        if (away.Wait is { } wait)
            http.Response.Headers.RetryAfter = IntakeGate.RetryAfter(wait);
        if (away.Status == StatusCodes.Status401Unauthorized)
            http.Response.Headers.WWWAuthenticate = "Bearer";
        return Results.Json(new { error = away.Reason }, statusCode: away.Status);
    }
}
