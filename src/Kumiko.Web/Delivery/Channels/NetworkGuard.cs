using System.Net;
using System.Net.Sockets;

namespace Kumiko.Web.Delivery.Channels;

/// <summary>
/// Says which addresses may be reached by what people set up: webhooks, mail servers, syslog, traps, scraped targets. All public
/// ones
/// may, and of the others those that were allowed; link-local ones never, as machines in data centres find their own credentials
/// there. It is asked for the address that is connected to, after its name was resolved, so that a name cannot stand for one
/// address
/// when checked and another later.
/// </summary>
/// <param name="allowed">Networks that are no public ones, and may be reached.</param>
public sealed class NetworkGuard(IReadOnlyList<IPNetwork> allowed)
{
    // IANA's special-purpose address registries (RFC 6890): nothing out there has such an address.
    private static readonly IPNetwork[] Special =
    [
        .. new[]
        {
            "0.0.0.0/8",
            "10.0.0.0/8",
            "100.64.0.0/10",
            "127.0.0.0/8",
            "169.254.0.0/16",
            "172.16.0.0/12",
            "192.0.0.0/24",
            "192.0.2.0/24",
            "192.88.99.0/24",
            "192.168.0.0/16",
            "198.18.0.0/15",
            "198.51.100.0/24",
            "203.0.113.0/24",
            "224.0.0.0/4",
            "240.0.0.0/4",
            "::/128",
            "::1/128",
            "64:ff9b::/96",
            "64:ff9b:1::/48",
            "100::/64",
            "2001::/23",
            "2001:db8::/32",
            "2002::/16",
            "fc00::/7",
            "fe80::/10",
            "ff00::/8",
        }.Select(n => IPNetwork.Parse(n)),
    ];

    private static readonly IPNetwork[] Never = [IPNetwork.Parse("169.254.0.0/16"), IPNetwork.Parse("fe80::/10")];

    public bool Allows(IPAddress address)
    {
        if (address.IsIPv4MappedToIPv6)
            address = address.MapToIPv4();
        return !Never.Any(n => n.Contains(address))
            && (allowed.Any(n => n.Contains(address)) || !Special.Any(n => n.Contains(address)));
    }

    /// <summary>The addresses of a name that may be reached.</summary>
    /// <exception cref="SendFailedException">None of them may, or the name is not known.</exception>
    public async Task<IPAddress[]> Resolve(string host, CancellationToken cancel)
    {
        IPAddress[] addresses;
        try
        {
            addresses = IPAddress.TryParse(host.Trim('[', ']'), out var literal)
                ? [literal]
                : await Dns.GetHostAddressesAsync(host, cancel);
        }
        catch (SocketException e)
        {
            throw new SendFailedException($"The name {host} is not known.", cause: e);
        }
        var reachable = addresses.Where(Allows).ToArray();
        return reachable.Length > 0
            ? reachable
            : throw new SendFailedException(
                $"{host} is {(addresses.Length > 0 ? addresses[0] : "nowhere")}, in a network that may not be reached from here. Whoever runs Kumiko can allow it with --reach.",
                isFinal: true
            );
    }

    /// <summary>Connects to the first address of a name that may be reached.</summary>
    /// <exception cref="SendFailedException">None of them may.</exception>
    /// <exception cref="SocketException">None of those that may answers.</exception>
    public async ValueTask<Stream> Connect(string host, int port, CancellationToken cancel)
    {
        var reachable = await Resolve(host, cancel);
        var socket = new Socket(SocketType.Stream, ProtocolType.Tcp) { NoDelay = true };
        try
        {
            await socket.ConnectAsync(reachable, port, cancel);
            return new NetworkStream(socket, ownsSocket: true);
        }
        catch
        {
            socket.Dispose();
            throw;
        }
    }

    /// <summary>Sends one datagram to the first address of a name that may be reached.</summary>
    /// <exception cref="SendFailedException">None of them may.</exception>
    public async Task SendDatagram(ReadOnlyMemory<byte> bytes, string host, int port, CancellationToken cancel)
    {
        var to = (await Resolve(host, cancel))[0];
        using var udp = new UdpClient(to.AddressFamily);
        await udp.SendAsync(bytes, new IPEndPoint(to, port), cancel);
    }
}
