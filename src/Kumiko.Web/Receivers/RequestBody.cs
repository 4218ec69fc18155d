using Kumiko.Core.Intake;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Http.Features;

namespace Kumiko.Web.Receivers;

/// <summary>The body of a request as it was before it was compressed.</summary>
internal static class RequestBody
{
    /// <summary>Opens the body, which has no limit of its own: its reader has one.</summary>
    /// <param name="problem">Set where the answer is null: an encoding that is not understood.</param>
    public static Stream? Open(HttpContext http, out string? problem)
    {
        problem = null;
        if (http.Features.Get<IHttpMaxRequestBodySizeFeature>() is { IsReadOnly: false } size) size.MaxRequestBodySize = null;
        switch (http.Request.Headers.ContentEncoding.ToString().ToLowerInvariant())
        {
            case "" or "identity": return http.Request.Body;
            case "gzip":
                // Decompression reads synchronously, on a thread of the pool.
                if (http.Features.Get<IHttpBodyControlFeature>() is { } control) control.AllowSynchronousIO = true;
                return Gzip.Open(http.Request.Body);
            case var other:
                problem = $"Content-Encoding {other} is not understood. Send gzip, or none.";
                return null;
        }
    }
}
