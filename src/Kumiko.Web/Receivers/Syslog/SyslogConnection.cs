using System.Net;
using System.Net.Sockets;
using Kumiko.Core.Accounts;
using Kumiko.Core.Intake.Syslog;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Microsoft.Data.Sqlite;

namespace Kumiko.Web.Receivers.Syslog;

/// <summary>
/// One peer that sends syslog over TCP. The protocol has no answer by which a sender could be told to wait, so the
/// connection is simply not read while its records cannot be taken.
/// </summary>
internal sealed class SyslogConnection(
    Socket socket,
    IPAddress peer,
    SyslogSenders senders,
    RecordStore store,
    TimeProvider clock
)
{
    private const int MostOfBatch = 4_096;
    private const long MostBytesOfBatch = 4 << 20;

    /// <summary>A message that has begun must be whole by then, however slowly it drips.</summary>
    private static readonly TimeSpan WholeBy = TimeSpan.FromSeconds(60);

    /// <summary>A peer that has nothing to say may be silent for so long.</summary>
    private static readonly TimeSpan SilentFor = TimeSpan.FromHours(6);

    /// <summary>Who is not known yet has so long for a first message that shows a token that works.</summary>
    internal static readonly TimeSpan KnownBy = TimeSpan.FromSeconds(30);

    private static readonly TimeSpan BeforeTryingAgain = TimeSpan.FromSeconds(1);

    private readonly SyslogFraming _framing = new();
    private readonly SyslogParser _parser = new();
    private SyslogBatch? _batch;
    private Token? _token;
    private long? _begunAt;

    /// <summary>When it began, by the clock's timestamp.</summary>
    public long Since { get; } = clock.GetTimestamp();

    public IPAddress Peer => peer;

    /// <summary>Whether it is somebody who may send: by its address, or by what it showed.</summary>
    public bool IsKnown { get; private set; } = senders.Knows(peer);

    /// <summary>Ends it, as others need its place.</summary>
    public void CutOff() => socket.Close();

    public async Task Serve(CancellationToken stop)
    {
        try
        {
            while (await Fill(stop))
                if (!await Take(stop))
                    return;
            _framing.End();
            await Take(stop);
        }
        catch (SocketException)
        { /* the peer is gone; what it sent whole is kept below */
        }
        finally
        {
            await Commit(mayWait: false, CancellationToken.None);
        }
    }

    /// <summary>Reads some bytes; false when the peer is done, or was too slow.</summary>
    private async Task<bool> Fill(CancellationToken stop)
    {
        var patience = SilentFor;
        if (_framing.IsWithin)
        {
            _begunAt ??= clock.GetTimestamp();
            patience = WholeBy - clock.GetElapsedTime(_begunAt.Value);
        }
        else
            _begunAt = null;
        if (!IsKnown && KnownBy - clock.GetElapsedTime(Since) is var left && left < patience)
            patience = left;
        using var limited = new CancellationTokenSource(patience > TimeSpan.Zero ? patience : TimeSpan.Zero, clock);
        using var either = CancellationTokenSource.CreateLinkedTokenSource(stop, limited.Token);
        try
        {
            var read = await socket.ReceiveAsync(_framing.Space(), either.Token);
            _framing.Filled(read);
            return read > 0;
        }
        catch (Exception e) when (e is OperationCanceledException or ObjectDisposedException)
        {
            return false;
        }
    }

    /// <summary>Takes all whole messages; false when the peer is to be cut off.</summary>
    private async Task<bool> Take(CancellationToken stop)
    {
        while (TryNext(out var refused, out var problem))
        {
            _begunAt = null;
            if (problem is not null)
            {
                await senders.Refuse(refused, problem, _token?.Name);
                if (_token is null)
                    return false;
            }
            if (_batch is { Count: >= MostOfBatch } or { Bytes: >= MostBytesOfBatch })
                await Commit(mayWait: true, stop);
        }
        // Whatever the peer has sent meanwhile goes into the same commit.
        if (!socket.Connected || socket.Available == 0)
            await Commit(mayWait: true, stop);
        return true;
    }

    private bool TryNext(out ReadOnlyMemory<byte> refused, out string? problem)
    {
        refused = default;
        if (!_framing.TryNext(out var message, out problem))
            return false;
        if (problem is null && message.IsEmpty)
            return true;
        // Once for each commit is often enough, and cheap enough.
        if (_token is not null && _batch is null && !senders.IsGood(_token))
            _token = null;
        _token ??= senders.Find(message, peer, "TCP");
        if (_token is null)
            problem = SyslogSenders.Unknown(peer);
        else
            IsKnown = true;
        if (problem is not null)
            refused = message.ToArray();
        else
            (_batch ??= new SyslogBatch(_parser, _token!.Name)).Add(message, Instants.FromDateTime(clock.GetUtcNow()), peer);
        return true;
    }

    private async Task Commit(bool mayWait, CancellationToken stop)
    {
        if (_batch is not { } batch)
            return;
        var (bytes, records, token) = (batch.Bytes, batch.Build(), _token);
        _batch = null;
        while (true)
        {
            try
            {
                await store.Append(records, batch.Source, null, cancel: stop);
                break;
            }
            catch (Exception e) when (mayWait && !stop.IsCancellationRequested && e is (IOException or SqliteException))
            {
                await Task.Delay(BeforeTryingAgain, clock, stop);
            }
        }
        if (token is null)
            return;
        senders.Count(token, records.Count, bytes);
        if (mayWait && senders.Wait(token) is var wait && wait > TimeSpan.Zero)
            await Task.Delay(wait, clock, stop);
    }
}
