using System.Collections.Concurrent;
using System.Net;
using System.Net.Sockets;
using Kumiko.Core.Storage;
using Kumiko.Web.Hosting;
using Microsoft.Extensions.Hosting;
using Microsoft.Extensions.Logging;

namespace Kumiko.Web.Receivers.Syslog;

/// <summary>Listens for syslog: TCP and UDP at the same port.</summary>
public sealed class SyslogListener(
    ServerOptions options,
    ServerState state,
    SyslogSenders senders,
    RecordStore store,
    TimeProvider clock,
    ILogger<SyslogListener> log
) : IHostedService
{
    private const int MostConnections = 2_000;
    private const int MostOfPeer = 500;
    private const int ReceiveBuffer = 8 << 20;

    /// <summary>Places for those who have not shown who they are; the oldest of them makes room for a new one, so silence shuts
    /// nobody out.</summary>
    internal const int MostStrangers = 128;

    private readonly CancellationTokenSource _stop = new();
    private readonly ConcurrentDictionary<SyslogConnection, Task> _connections = new();
    private Socket? _tcp;
    private Socket? _udp;
    private Task _working = Task.CompletedTask;

    /// <exception cref="IOException">The port is taken.</exception>
    public Task StartAsync(CancellationToken cancellationToken)
    {
        if (options.SyslogPort is not { } port)
            return Task.CompletedTask;
        // Of any free port, TCP's may be taken for UDP.
        for (var tries = port == 0 ? 20 : 1; !TryBind(port); tries--)
            if (tries == 1)
                throw new IOException($"Port {port} for syslog is taken.");
        _tcp!.Listen(512);
        state.SyslogPort = ((IPEndPoint)_tcp.LocalEndPoint!).Port;
        _working = Task.WhenAll(Accept(), new SyslogDatagrams(_udp!, senders, store, clock).Serve(_stop.Token));
        return Task.CompletedTask;
    }

    private bool TryBind(int port)
    {
        _tcp = new Socket(options.Listen.AddressFamily, SocketType.Stream, ProtocolType.Tcp);
        _udp = new Socket(options.Listen.AddressFamily, SocketType.Dgram, ProtocolType.Udp) { ReceiveBufferSize = ReceiveBuffer };
        try
        {
            _tcp.Bind(new IPEndPoint(options.Listen, port));
            _udp.Bind(new IPEndPoint(options.Listen, ((IPEndPoint)_tcp.LocalEndPoint!).Port));
            return true;
        }
        catch (SocketException)
        {
            _tcp.Dispose();
            _udp.Dispose();
            return false;
        }
    }

    private async Task Accept()
    {
        while (!_stop.IsCancellationRequested)
        {
            Socket? peer = null;
            IPAddress address;
            try
            {
                peer = await _tcp!.AcceptAsync(_stop.Token);
                // A peer that is gone already has no address any more; that must not end the accepting of others.
                address = (peer.RemoteEndPoint as IPEndPoint)?.Address
                    ?? throw new SocketException((int)SocketError.NotConnected);
                peer.SetSocketOption(SocketOptionLevel.Socket, SocketOptionName.KeepAlive, true);
            }
            catch (OperationCanceledException)
            {
                return;
            }
            catch (SocketException e)
            {
                peer?.Dispose();
                log.LogWarning("A syslog connection was not accepted: {Reason}", e.Message);
                continue;
            }
            if (HasRoom(address))
                Begin(peer, address);
            else
                peer.Dispose();
        }
    }

    private bool HasRoom(IPAddress address)
    {
        var all = _connections.Keys.ToList();
        var strangers = all.Where(c => !c.IsKnown).OrderBy(c => c.Since).ToList();
        foreach (var oldest in strangers.Take(strangers.Count - MostStrangers + 1))
            oldest.CutOff();
        return all.Count - strangers.Count < MostConnections && all.Count(c => c.IsKnown && c.Peer.Equals(address)) < MostOfPeer;
    }

    private void Begin(Socket peer, IPAddress address)
    {
        var connection = new SyslogConnection(peer, address, senders, store, clock);
        // It is in the list before it can end.
        var begin = new TaskCompletionSource(TaskCreationOptions.RunContinuationsAsynchronously);
        _connections[connection] = Task.Run(async () =>
        {
            await begin.Task;
            await Serve(connection, peer, address);
        });
        begin.SetResult();
    }

    private async Task Serve(SyslogConnection connection, Socket peer, IPAddress address)
    {
        using var owned = peer;
        try
        {
            await connection.Serve(_stop.Token);
        }
        catch (OperationCanceledException)
        { /* the server stops */
        }
        catch (Exception e) when (e is IOException or Microsoft.Data.Sqlite.SqliteException)
        {
            log.LogWarning("Syslog from {Peer} could not be kept: {Reason}", address, e.Message);
        }
        catch (ObjectDisposedException)
        { /* cut off */
        }
        finally
        {
            _connections.TryRemove(connection, out _);
        }
    }

    public async Task StopAsync(CancellationToken cancellationToken)
    {
        await _stop.CancelAsync();
        await _working;
        await Task.WhenAll(_connections.Values);
        _tcp?.Dispose();
        _udp?.Dispose();
    }
}
