using System.Collections.Concurrent;
using System.Net;
using System.Net.Sockets;
using Kumiko.Core.Storage;
using Kumiko.Web.Hosting;
using Microsoft.Extensions.Hosting;
using Microsoft.Extensions.Logging;

namespace Kumiko.Web.Receivers.Syslog;

/// <summary>Listens for syslog: TCP and UDP at the same port.</summary>
public sealed class SyslogListener(ServerOptions options, ServerState state, SyslogSenders senders, RecordStore store, TimeProvider clock, ILogger<SyslogListener> log) : IHostedService
{
    private const int MostConnections = 2_000, MostOfPeer = 500, ReceiveBuffer = 8 << 20;

    private readonly CancellationTokenSource _stop = new();
    private readonly ConcurrentDictionary<Task, IPAddress> _connections = new();
    private Socket? _tcp, _udp;
    private Task _working = Task.CompletedTask;

    /// <exception cref="IOException">The port is taken.</exception>
    public Task StartAsync(CancellationToken cancellationToken)
    {
        if (options.SyslogPort is not { } port) return Task.CompletedTask;
        // Of any free port, TCP's may be taken for UDP.
        for (var tries = port == 0 ? 20 : 1; !TryBind(port); tries--)
            if (tries == 1) throw new IOException($"Port {port} for syslog is taken.");
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
                address = (peer.RemoteEndPoint as IPEndPoint)?.Address ?? throw new SocketException((int)SocketError.NotConnected);
                peer.SetSocketOption(SocketOptionLevel.Socket, SocketOptionName.KeepAlive, true);
            }
            catch (OperationCanceledException) { return; }
            catch (SocketException e)
            {
                peer?.Dispose();
                log.LogWarning("A syslog connection was not accepted: {Reason}", e.Message);
                continue;
            }
            if (_connections.Count >= MostConnections || _connections.Values.Count(a => a.Equals(address)) >= MostOfPeer)
            {
                peer.Dispose();
                continue;
            }
            var serving = Task.Run(() => Serve(peer, address), CancellationToken.None);
            _connections[serving] = address;
            _ = serving.ContinueWith(t => _connections.TryRemove(t, out _), TaskScheduler.Default);
        }
    }

    private async Task Serve(Socket peer, IPAddress address)
    {
        using var owned = peer;
        try { await new SyslogConnection(peer, address, senders, store, clock).Serve(_stop.Token); }
        catch (OperationCanceledException) { /* the server stops */ }
        catch (Exception e) when (e is IOException or Microsoft.Data.Sqlite.SqliteException) { log.LogWarning("Syslog from {Peer} could not be kept: {Reason}", address, e.Message); }
    }

    public async Task StopAsync(CancellationToken cancellationToken)
    {
        await _stop.CancelAsync();
        await _working;
        await Task.WhenAll(_connections.Keys);
        _tcp?.Dispose();
        _udp?.Dispose();
    }
}
