using System.Net;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Http;

namespace Kumiko.Web.Hosting;

/// <summary>Cookies go over TLS alone, unless a browser on this machine asks.</summary>
public static class SecureCookies
{
    public static readonly CookiePolicyOptions Policy = new()
    {
        OnAppendCookie = context => context.CookieOptions.Secure |= !IsOnThisMachine(context.Context),
    };

    /// <summary>Whether the browser is on this machine, so that nobody is between.</summary>
    public static bool IsOnThisMachine(HttpContext http) =>
        !http.Request.IsHttps
        && http.Connection.RemoteIpAddress is { } from
        && IPAddress.IsLoopback(from)
        && (
            http.Request.Host.Host == "localhost"
            || (IPAddress.TryParse(http.Request.Host.Host.Trim('[', ']'), out var name) && IPAddress.IsLoopback(name))
        );

    /// <summary>Whether a sign-in would last: without TLS a browser elsewhere does not keep its cookie.</summary>
    public static bool AreKept(HttpContext http) => http.Request.IsHttps || IsOnThisMachine(http);
}
