using System.Net;
using Microsoft.AspNetCore.Http;

namespace Kumiko.Web.Hosting;

/// <summary>
/// Answers only under names that are its own: this machine's, the address it was reached at, what <c>--listen</c> and
/// <c>--address</c> say. A name of somebody else's that leads here (DNS rebinding) would let their pages read ours. Pages are on
/// the web port alone.
/// </summary>
internal sealed class KnownHosts(RequestDelegate next, ServerOptions options, ServerState state)
{
    private readonly HashSet<string> _names = new(StringComparer.OrdinalIgnoreCase) { "localhost", Environment.MachineName };

    public async Task InvokeAsync(HttpContext http)
    {
        if (state.GrpcPort is { } grpc && http.Connection.LocalPort == grpc)
        {
            // Calls are known by their token, whatever name they used.
            if (http.Request.ContentType?.StartsWith("application/grpc", StringComparison.OrdinalIgnoreCase) == true)
                await next(http);
            else
                await Refuse(http, StatusCodes.Status404NotFound, "This port takes OTLP over gRPC alone.");
            return;
        }
        if (IsOwn(http))
            await next(http);
        else
            await Refuse(
                http,
                StatusCodes.Status421MisdirectedRequest,
                "Kumiko is not known by this name here. Start it with --address and the address that people use."
            );
    }

    private bool IsOwn(HttpContext http)
    {
        var name = http.Request.Host.Host.Trim('[', ']');
        if (_names.Contains(name))
            return true;
        // The public address is settled when the server has started.
        if (
            Uri.TryCreate(options.PublicAddress, UriKind.Absolute, out var address)
            && string.Equals(address.IdnHost, name, StringComparison.OrdinalIgnoreCase)
        )
            return true;
        return IPAddress.TryParse(name, out var ip)
            && (IPAddress.IsLoopback(ip) || ip.Equals(options.Listen) || ip.Equals(Plain(http.Connection.LocalIpAddress)));
    }

    private static IPAddress? Plain(IPAddress? address) =>
        address is { IsIPv4MappedToIPv6: true } ? address.MapToIPv4() : address;

    private static Task Refuse(HttpContext http, int status, string reason)
    {
        http.Response.StatusCode = status;
        http.Response.ContentType = "text/plain; charset=utf-8";
        return http.Response.WriteAsync(reason);
    }
}
