using System.Security.Cryptography;
using Microsoft.AspNetCore.Http;

namespace Kumiko.Web.Hosting;

/// <summary>Headers that keep text from logs from ever running, and the nonce that the editor's styles need.</summary>
public sealed class SecurityHeaders(RequestDelegate next)
{
    private const string NonceKey = "nonce";

    public static string Nonce(HttpContext http) => (string)http.Items[NonceKey]!;

    public Task InvokeAsync(HttpContext http)
    {
        var nonce = http.Items[NonceKey] as string ?? Convert.ToBase64String(RandomNumberGenerator.GetBytes(16));
        http.Items[NonceKey] = nonce;
        var headers = http.Response.Headers;
        headers.ContentSecurityPolicy =
            $"default-src 'none'; script-src 'self' 'nonce-{nonce}'; style-src 'self' 'nonce-{nonce}'; font-src 'self'; img-src 'self' data:; connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'";
        headers.XContentTypeOptions = "nosniff";
        headers["Referrer-Policy"] = "same-origin";
        http.Response.OnStarting(() =>
        {
            if (headers.CacheControl.Count == 0)
                headers.CacheControl = "no-store";
            return Task.CompletedTask;
        });
        return next(http);
    }
}
