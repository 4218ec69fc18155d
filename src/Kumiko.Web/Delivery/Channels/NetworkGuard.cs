using System.Net;
using System.Net.Sockets;

namespace Kumiko.Web.Delivery.Channels;

/// <summary>
/// Says which addresses webhooks may reach: all public ones, and of the others those that were allowed. It is asked for the address
/// that is connected to, after its name was resolved, so that a name cannot stand for one address when checked and another later.
/// </summary>
/// <param name="allowed">Networks that are no public ones, and may be reached.</param>
public sealed class NetworkGuard(IReadOnlyList<IPNetwork> allowed)
{
    // IANA's special-purpose address registries (RFC 6890): nothing out there has such an address.
    private static readonly IPNetwork[] Special =
    [
        .. new[]
        {
            "0.0.0.0/8", "10.0.0.0/8", "100.64.0.0/10", "127.0.0.0/8", "169.254.0.0/16", "172.16.0.0/12", "192.0.0.0/24", "192.0.2.0/24", "192.88.99.0/24", "192.168.0.0/16", "198.18.0.0/15", "198.51.100.0/24", "203.0.113.0/24", "224.0.0.0/4", "240.0.0.0/4",
            "::/128", "::1/128", "64:ff9b::/96", "64:ff9b:1::/48", "100::/64", "2001::/23", "2001:db8::/32", "2002::/16", "fc00::/7", "fe80::/10", "ff00::/8",
        }.Select(n => IPNetwork.Parse(n)),
    ];

    public bool Allows(IPAddress address)
    {
        if (address.IsIPv4MappedToIPv6) address = address.MapToIPv4();
        return allowed.Any(n => n.Contains(address)) || !Special.Any(n => n.Contains(address));
    }

    /// <summary>Connects to the first address of a name that may be reached.</summary>
    /// <exception cref="SendFailedException">None of them may.</exception>
    public async ValueTask<Stream> Connect(DnsEndPoint to, CancellationToken cancel)
    {
        IPAddress[] addresses;
        try { addresses = await Dns.GetHostAddressesAsync(to.Host, cancel); }
        catch (SocketException e) { throw new SendFailedException($"The name {to.Host} is not known.", cause: e); }
        var reachable = addresses.Where(Allows).ToArray();
        if (reachable.Length == 0)
            throw new SendFailedException($"{to.Host} is {(addresses.Length > 0 ? addresses[0] : "nowhere")}, in a network that webhooks may not reach. An administrator can allow it with --webhook-network.", isFinal: true);
        var socket = new Socket(SocketType.Stream, ProtocolType.Tcp) { NoDelay = true };
        try
        {
            await socket.ConnectAsync(reachable, to.Port, cancel);
            return new NetworkStream(socket, ownsSocket: true);
        }
        catch
        {
            socket.Dispose();
            throw;
        }
    }
}
