using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.HttpOverrides;

namespace Kumiko.Web.Hosting;

/// <summary>What is taken from a proxy in front: who called, by which name, and whether over TLS.</summary>
internal static class BehindProxy
{
    public static ForwardedHeadersOptions Trusting(IReadOnlyList<System.Net.IPNetwork> proxies)
    {
        var options = new ForwardedHeadersOptions
        {
            ForwardedHeaders =
                ForwardedHeaders.XForwardedFor | ForwardedHeaders.XForwardedProto | ForwardedHeaders.XForwardedHost,
        };
        options.KnownProxies.Clear();
        options.KnownIPNetworks.Clear();
        foreach (var proxy in proxies)
            options.KnownIPNetworks.Add(proxy);
        return options;
    }
}
