using System.Net;
using Kumiko.Core.Accounts;
using Kumiko.Core.Intake;
using Kumiko.Core.Intake.Syslog;
using Kumiko.Core.Sources;
using Kumiko.Core.Storage;

namespace Kumiko.Web.Receivers.Syslog;

/// <summary>Tells who sends syslog, by the token a message shows or by the address, and keeps what nobody known sent.</summary>
public sealed class SyslogSenders(TokenStore tokens, RateGates gates, SourceBook book, RecordStore store, TimeProvider clock)
{
    /// <summary>Of what is refused, so much is kept a minute: an unknown peer can send without end.</summary>
    private const int MostKeptAMinute = 100;

    /// <summary>Who is not known is one source, however many addresses claim to send: over UDP they can be made up.</summary>
    public const string NobodyKnown = "syslog from nobody known";

    private readonly Lock _lock = new();
    private long _minute;
    private int _kept;

    /// <param name="transport"><c>UDP</c> or <c>TCP</c>.</param>
    public Token? Find(ReadOnlySpan<byte> message, IPAddress peer, string transport)
    {
        var shown = SyslogParser.FindToken(message);
        var token = shown is null ? tokens.FindSender(peer) : tokens.Find(shown, TokenPurpose.Intake);
        if (token is null)
            return null;
        book.Recognise(
            token.Name,
            "syslog over " + transport,
            shown is null ? $"address {peer}" : "token in its structured data"
        );
        return token;
    }

    /// <summary>Whether whoever sends from an address is known by it alone.</summary>
    public bool Knows(IPAddress peer) => tokens.FindSender(peer) is not null;

    /// <summary>How long a sender must wait before more is taken.</summary>
    public TimeSpan Wait(Token token) => gates.Wait(token);

    public void Count(Token token, int records, long bytes)
    {
        gates.Count(token, records, bytes);
        tokens.Touch(token);
    }

    /// <summary>Whether the token still works: a connection outlives what was known when it began.</summary>
    public bool IsGood(Token token) => tokens.IsGood(token.Id);

    /// <summary>Keeps the beginning of what was not taken, and counts it.</summary>
    /// <param name="source">Null where nobody knows.</param>
    public async Task Refuse(ReadOnlyMemory<byte> message, string reason, string? source, long total = 1)
    {
        var keep = false;
        lock (_lock)
        {
            var minute = clock.GetUtcNow().ToUnixTimeSeconds() / 60;
            if (minute != _minute)
                (_minute, _kept) = (minute, 0);
            keep = _kept++ < MostKeptAMinute;
        }
        await store.Keep(
            keep ? [new Refused(0, 0, reason, message[..Math.Min(message.Length, LineReader.KeptHead)].ToArray())] : [],
            source ?? NobodyKnown,
            total
        );
    }

    public static string Unknown(IPAddress peer) =>
        $"Nobody here is known to send from {peer}, and the message shows no token that works. Connect the sender on the page Sources, by its address or a token.";
}
