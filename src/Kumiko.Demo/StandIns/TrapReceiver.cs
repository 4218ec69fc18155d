using System.Formats.Asn1;
using System.Net;
using System.Net.Sockets;
using Kumiko.Web.Delivery.Channels;
using Microsoft.Extensions.Hosting;

namespace Kumiko.Demo.StandIns;

/// <summary>A trap that arrived.</summary>
public sealed record ReceivedTrap(DateTimeOffset Time, string Community, IReadOnlyList<(string Name, string Value)> Bindings)
{
    /// <summary>Names of KUMIKO-MIB for what it knows.</summary>
    public static string NameOf(string oid) =>
        oid switch
        {
            "1.3.6.1.2.1.1.3.0" => "sysUpTime",
            "1.3.6.1.6.3.1.1.4.1.0" => "snmpTrapOID",
            _ when oid.StartsWith(TrapSender.Root + ".1.", StringComparison.Ordinal) => oid[(TrapSender.Root.Length + 3)..] switch
            {
                "1.0" => "kumikoAlertMessage",
                "2.0" => "kumikoAlertEvent",
                "3.0" => "kumikoAlertLevel",
                "4.0" => "kumikoAlertRule",
                "5.0" => "kumikoAlertWhere",
                "6.0" => "kumikoAlertText",
                "7.0" => "kumikoAlertLink",
                _ => oid,
            },
            _ => oid,
        };
}

/// <summary>Stands in for a network management system: takes SNMP v2c traps. On loopback only.</summary>
public sealed class TrapReceiver(TimeProvider clock) : BackgroundService
{
    private const int Most = 200;

    private readonly UdpClient _udp = new(new IPEndPoint(IPAddress.Loopback, 0));
    private readonly Lock _lock = new();
    private readonly List<ReceivedTrap> _traps = [];

    public int Port => ((IPEndPoint)_udp.Client.LocalEndPoint!).Port;

    /// <summary>The newest first.</summary>
    public IReadOnlyList<ReceivedTrap> Traps
    {
        get
        {
            lock (_lock)
                return [.. _traps.AsEnumerable().Reverse()];
        }
    }

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        try
        {
            while (true)
            {
                var datagram = await _udp.ReceiveAsync(stoppingToken);
                try
                {
                    var (community, bindings) = TrapSender.Decode(datagram.Buffer);
                    lock (_lock)
                    {
                        _traps.Add(new ReceivedTrap(clock.GetUtcNow(), community, bindings));
                        if (_traps.Count > Most)
                            _traps.RemoveAt(0);
                    }
                }
                catch (AsnContentException)
                { /* no trap */
                }
            }
        }
        catch (OperationCanceledException)
        { /* the demo stops */
        }
    }

    public override void Dispose()
    {
        _udp.Dispose();
        base.Dispose();
    }
}
