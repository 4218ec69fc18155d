using Kumiko.Core.Delivery;

namespace Kumiko.Web.Delivery.Channels;

/// <summary>A message on its way out.</summary>
/// <param name="Key">The same for every try.</param>
/// <param name="Attempt">1 for the first try.</param>
/// <param name="Payload">As its kind of channel composed it.</param>
/// <param name="Secret">In clear; empty for none.</param>
public sealed record Outgoing(
    string Key,
    int Attempt,
    long Created,
    string Recipient,
    ChannelSettings Settings,
    string Secret,
    Payload Payload
);

/// <summary>What was sent and what came back, for people to read. No secret is in it.</summary>
public sealed record SendAnswer(string Sent, string Answered);

/// <summary>Sends one message by one kind of channel.</summary>
public interface IChannelSender
{
    /// <exception cref="SendFailedException">It was not taken; the message says why.</exception>
    Task<SendAnswer> Send(Outgoing outgoing, CancellationToken cancel);
}

/// <summary>A message that was not taken.</summary>
/// <param name="isFinal">Whether trying again cannot help.</param>
public sealed class SendFailedException(
    string reason,
    string sent = "",
    string answered = "",
    bool isFinal = false,
    Exception? cause = null
) : Exception(reason, cause)
{
    public string Sent => sent;
    public string Answered => answered;
    public bool IsFinal => isFinal;
}
