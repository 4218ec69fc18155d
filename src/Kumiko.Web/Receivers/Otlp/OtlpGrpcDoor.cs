using System.Globalization;
using Grpc.Core;
using Kumiko.Core.Accounts;
using Kumiko.Web.Hosting;
using Microsoft.AspNetCore.Http;

namespace Kumiko.Web.Receivers.Otlp;

/// <summary>Turns strangers away before their message is read: a service is called only with all of it decoded.</summary>
internal sealed class OtlpGrpcDoor(RequestDelegate next)
{
    public Task Invoke(HttpContext http, BearerTokens tokens)
    {
        var isGrpc = http.Request.ContentType?.StartsWith("application/grpc", StringComparison.OrdinalIgnoreCase) == true;
        if (!isGrpc || tokens.Find(http, TokenPurpose.Intake) is not null) return next(http);
        http.Response.ContentType = "application/grpc";
        http.Response.Headers["grpc-status"] = ((int)StatusCode.Unauthenticated).ToString(CultureInfo.InvariantCulture);
        http.Response.Headers["grpc-message"] = Uri.EscapeDataString(BearerTokens.Advice(TokenPurpose.Intake));
        return Task.CompletedTask;
    }
}
