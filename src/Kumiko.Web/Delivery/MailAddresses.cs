using System.Diagnostics.CodeAnalysis;
using MimeKit;

namespace Kumiko.Web.Delivery;

/// <summary>What passes as a mail address: one mailbox with a domain.</summary>
public static class MailAddresses
{
    private const int Longest = 200;

    public static bool IsValid([NotNullWhen(true)] string? text) =>
        text is { Length: > 2 and <= Longest }
        && MailboxAddress.TryParse(text, out var mailbox)
        && mailbox.Address.IndexOf('@') is var at and > 0
        && at < mailbox.Address.Length - 1;
}
