using System.Diagnostics;
using System.Net;
using System.Net.Sockets;
using Kumiko.Core.Delivery;
using Kumiko.Web.Delivery.Channels;
using static Kumiko.Web.Tests.Notifications.NotificationFixtures;

namespace Kumiko.Web.Tests.Notifications;

/// <summary>Traps as a receiver reads them that nobody here wrote: Debian's snmptrapd.</summary>
public sealed class SnmpTests : IDisposable
{
    private const string Daemon = "/usr/sbin/snmptrapd";

    private readonly string _folder = Directory.CreateTempSubdirectory("kumiko-snmp-").FullName;

    public void Dispose() => Directory.Delete(_folder, true);

    [Fact]
    public async Task Snmptrapd_decodes_what_is_sent()
    {
        if (!File.Exists(Daemon))
            Assert.Skip("snmptrapd is not installed.");
        int port;
        using (var free = new UdpClient(new IPEndPoint(IPAddress.Loopback, 0)))
            port = ((IPEndPoint)free.Client.LocalEndPoint!).Port;
        var settings = Path.Combine(_folder, "snmptrapd.conf");
        await File.WriteAllTextAsync(settings, "authCommunity log skerry\nformat2 %B|%v\\n\n");
        var start = new ProcessStartInfo(
            Daemon,
            [
                "-f",
                "-Lo",
                "-On",
                "-m",
                "",
                "-C",
                "-c",
                settings,
                "-p",
                Path.Combine(_folder, "pid"),
                FormattableString.Invariant($"udp:127.0.0.1:{port}"),
            ]
        )
        {
            RedirectStandardOutput = true,
            RedirectStandardError = true,
        };
        start.Environment["SNMP_PERSISTENT_DIR"] = _folder;
        using var daemon = Process.Start(start)!;
        try
        {
            var outgoing = new Outgoing(
                "k1",
                1,
                At,
                "",
                new TrapSettings("127.0.0.1", port),
                "skerry",
                new TrapPayload(
                    "started",
                    2,
                    "Refusals at the gates",
                    "Tarnhead",
                    "47 in 10 min, Café",
                    "http://127.0.0.1:1/alerts/7"
                )
            );
            using var limit = new CancellationTokenSource(TimeSpan.FromSeconds(30));
            var heard = Heard(daemon.StandardOutput, limit.Token);
            // A datagram that comes before the daemon listens is lost, as the protocol has it.
            while (!heard.IsCompleted)
            {
                limit.Token.ThrowIfCancellationRequested();
                await new TrapSender(NotificationFixtures.ThisMachine).Send(outgoing, limit.Token);
                await Task.WhenAny(heard, Task.Delay(100, limit.Token));
            }
            var line = await heard;
            Assert.Contains(".1.3.6.1.6.3.1.1.4.1.0 = OID: .1.3.6.1.4.1.32473.77.0.1", line);
            Assert.Contains(".1.3.6.1.4.1.32473.77.1.1.0 = STRING: \"k1\"", line);
            Assert.Contains(".1.3.6.1.4.1.32473.77.1.3.0 = INTEGER: 2", line);
            Assert.Contains(".1.3.6.1.4.1.32473.77.1.4.0 = STRING: \"Refusals at the gates\"", line);
            Assert.Contains(".1.3.6.1.4.1.32473.77.1.5.0 = STRING: \"Tarnhead\"", line);
        }
        finally
        {
            daemon.Kill();
            await daemon.WaitForExitAsync();
        }
    }

    private static async Task<string> Heard(StreamReader output, CancellationToken cancel)
    {
        while (await output.ReadLineAsync(cancel) is { } line)
            if (line.Contains("32473", StringComparison.Ordinal))
                return line;
        throw new InvalidOperationException("snmptrapd ended and had heard nothing.");
    }
}
