using System.Globalization;
using Google.Protobuf;
using Microsoft.AspNetCore.Http;

namespace Kumiko.Web.Receivers.Otlp;

/// <summary>Lets senders in, or turns them away, before their message is read: a service is called only with all of it
/// decoded.</summary>
internal sealed class OtlpGrpcGate(RequestDelegate next)
{
    private static readonly object EntryKey = new();

    /// <summary>Who was let in with this request.</summary>
    public static Entry EntryOf(HttpContext http) => (Entry)http.Items[EntryKey]!;

    public async Task Invoke(HttpContext http, IntakeGate gate)
    {
        if (http.Request.ContentType?.StartsWith("application/grpc", StringComparison.OrdinalIgnoreCase) != true)
        {
            await next(http);
            return;
        }
        using var entry = gate.Enter(http, "OTLP over gRPC", out var away);
        if (entry is null)
        {
            var status = OtlpGrpc.StatusOf(away!);
            http.Response.ContentType = "application/grpc";
            http.Response.Headers["grpc-status"] = status.Code.ToString(CultureInfo.InvariantCulture);
            http.Response.Headers["grpc-message"] = Uri.EscapeDataString(status.Message);
            http.Response.Headers["grpc-status-details-bin"] = Convert.ToBase64String(status.ToByteArray());
            return;
        }
        http.Items[EntryKey] = entry;
        await next(http);
    }
}
