using Kumiko.Core.Accounts;
using Kumiko.Core.Sources;
using Kumiko.Web.Hosting;
using Microsoft.AspNetCore.Http;

namespace Kumiko.Web.Receivers;

/// <summary>Who was let in, and as which source. Disposed when the upload is over, however it ended.</summary>
public sealed class Entry(string source, Token? token, RateReservation reservation, IDisposable slot) : IDisposable
{
    public string Source { get; } = source;
    public Token? Token { get; } = token;

    /// <summary>Tells senders apart that may use the same names.</summary>
    public string Sender =>
        Token is null ? "machine" : string.Create(System.Globalization.CultureInfo.InvariantCulture, $"token {Token.Id}");

    /// <summary>Counts what came in against the sender's limit.</summary>
    /// <param name="bytes">Decompressed.</param>
    public void Settle(long items, long bytes) => reservation.Settle(items, bytes);

    public void Dispose() => slot.Dispose();
}

/// <summary>Why somebody was not let in.</summary>
/// <param name="Status">The HTTP status that says so.</param>
/// <param name="Wait">When it may be tried again, where that helps.</param>
public sealed record Refusal(int Status, string Reason, TimeSpan? Wait = null);

/// <summary>Lets senders in: by token, as a source that the token may name, no faster and no more at once than the token
/// may.</summary>
public sealed class IntakeGate(BearerTokens tokens, RateGates gates, UploadSlots slots, SourceBook book)
{
    /// <summary>How long a sender should wait when there is no room.</summary>
    public static readonly TimeSpan NoRoomWait = TimeSpan.FromSeconds(30);

    private static readonly TimeSpan SlotWait = TimeSpan.FromSeconds(1);

    private const string SourceHeader = "Kumiko-Source";

    /// <param name="protocol">How it sends, in the words of the pages.</param>
    /// <param name="away">Set where the answer is null.</param>
    public Entry? Enter(HttpContext http, string protocol, out Refusal? away)
    {
        away = null;
        if (tokens.Find(http, TokenPurpose.Intake) is not { } sender)
        {
            away = new Refusal(StatusCodes.Status401Unauthorized, BearerTokens.Advice(TokenPurpose.Intake));
            return null;
        }
        var named = http.Request.Query["source"].ToString() is { Length: > 0 } inQuery
            ? inQuery
            : http.Request.Headers[SourceHeader].ToString();
        var source = named.Length > 0 ? named : sender.Name;
        if (source.Length > TokenWish.LongestName || source.Any(char.IsControl))
            away = new Refusal(
                StatusCodes.Status400BadRequest,
                $"The name of a source can have {TokenWish.LongestName} characters, none of them control characters."
            );
        else if (sender.Token?.MayName(source) == false)
            away = new Refusal(
                StatusCodes.Status403Forbidden,
                $"This token may not send as “{source}”. Its own source is “{sender.Name}”."
            );
        if (away is not null)
            return null;
        var slot = slots.Take(sender.Token);
        if (slot is null)
        {
            away = new Refusal(
                StatusCodes.Status429TooManyRequests,
                $"This token has {UploadSlots.MostOfToken} uploads under way. Send fewer at once.",
                SlotWait
            );
            return null;
        }
        if (
            gates.Reserve(sender.Token, http.Request.ContentLength, http.Request.Headers.ContentEncoding.Count > 0, out var wait)
            is not { } reservation
        )
        {
            slot.Dispose();
            away = new Refusal(
                StatusCodes.Status429TooManyRequests,
                $"This token may send {sender.Token!.Rate} records a second. Send again after the time in Retry-After.",
                wait
            );
            return null;
        }
        book.Recognise(
            source,
            protocol,
            (sender.Token, source) switch
            {
                (null, _) => "command on this machine",
                (_, var own) when own == sender.Name => $"token “{sender.Name}”",
                _ => $"token “{sender.Name}”, named by it",
            }
        );
        return new Entry(source, sender.Token, reservation, slot);
    }

    /// <summary>Seconds for Retry-After: at least one, as the header knows no parts of them.</summary>
    public static string RetryAfter(TimeSpan wait) =>
        Math.Max(1, (long)Math.Ceiling(wait.TotalSeconds)).ToString(System.Globalization.CultureInfo.InvariantCulture);
}
