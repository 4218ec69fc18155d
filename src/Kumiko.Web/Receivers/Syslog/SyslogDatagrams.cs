using System.Net;
using System.Net.Sockets;
using System.Threading.Channels;
using Kumiko.Core.Accounts;
using Kumiko.Core.Intake.Syslog;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Microsoft.Data.Sqlite;

namespace Kumiko.Web.Receivers.Syslog;

/// <summary>Syslog over UDP: one message a datagram. What comes faster than it can be taken is lost on the way, as UDP has it,
/// and counted.</summary>
internal sealed class SyslogDatagrams(Socket socket, SyslogSenders senders, RecordStore store, TimeProvider clock)
{
    private const int LargestDatagram = 65_535;
    private const int MostWaiting = 65_536;
    private const int MostAtOnce = 4_096;

    private readonly Channel<(byte[] Message, IPAddress Peer)> _waiting = Channel.CreateBounded<(byte[], IPAddress)>(
        new BoundedChannelOptions(MostWaiting) { SingleReader = true, SingleWriter = true }
    );
    private readonly SyslogParser _parser = new();

    public Task Serve(CancellationToken stop) =>
        Task.WhenAll(Task.Run(() => Receive(stop), CancellationToken.None), Task.Run(Take, CancellationToken.None));

    private async Task Receive(CancellationToken stop)
    {
        var buffer = new byte[LargestDatagram];
        var from = new IPEndPoint(socket.AddressFamily == AddressFamily.InterNetwork ? IPAddress.Any : IPAddress.IPv6Any, 0);
        var lost = 0L;
        try
        {
            while (true)
            {
                SocketReceiveFromResult read;
                // One peer's refusal of an answer must not end the receiving of all.
                try
                {
                    read = await socket.ReceiveFromAsync(buffer, SocketFlags.None, from, stop);
                }
                catch (SocketException)
                {
                    continue;
                }
                var peer = ((IPEndPoint)read.RemoteEndPoint).Address;
                if (!_waiting.Writer.TryWrite((buffer[..read.ReceivedBytes], peer)))
                    lost++;
                else if (lost > 0)
                {
                    await senders.Refuse(default, "More came over UDP than could be taken.", null, lost);
                    lost = 0;
                }
            }
        }
        catch (OperationCanceledException)
        {
            _waiting.Writer.Complete();
        }
    }

    private async Task Take()
    {
        while (await _waiting.Reader.WaitToReadAsync())
        {
            var batches = new Dictionary<string, (Token Token, SyslogBatch Batch)>(StringComparer.Ordinal);
            for (var i = 0; i < MostAtOnce && _waiting.Reader.TryRead(out var next); i++)
                await Take(next.Message, next.Peer, batches);
            foreach (var (token, batch) in batches.Values)
                try
                {
                    var (records, bytes) = (batch.Count, batch.Bytes);
                    await store.Append(batch.Build(), token.Name);
                    senders.Count(token, records, bytes);
                }
                catch (Exception e) when (e is IOException or SqliteException)
                {
                    await senders.Refuse(default, e.Message, token.Name, batch.Count);
                }
        }
    }

    private async Task Take(byte[] datagram, IPAddress peer, Dictionary<string, (Token Token, SyslogBatch Batch)> batches)
    {
        var message = datagram.AsMemory().TrimEnd("\r\n\0"u8);
        if (message.IsEmpty)
            return;
        if (senders.Find(message.Span, peer, "UDP") is not { } token)
        {
            await senders.Refuse(message, SyslogSenders.Unknown(peer), null);
            return;
        }
        if (senders.Wait(token) > TimeSpan.Zero)
        {
            await senders.Refuse(
                message,
                $"The sender may send {token.Rate} records a second, and over UDP nobody can be told to wait.",
                token.Name
            );
            return;
        }
        if (!batches.TryGetValue(token.Name, out var batch))
            batches.Add(token.Name, batch = (token, new SyslogBatch(_parser, token.Name)));
        batch.Batch.Add(message.Span, Instants.FromDateTime(clock.GetUtcNow()), peer);
    }
}
