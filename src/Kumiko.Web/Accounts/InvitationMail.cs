using Kumiko.Core.Accounts;
using Kumiko.Core.Delivery;
using Kumiko.Core.Records;
using Kumiko.Web.Delivery;
using Kumiko.Web.Delivery.Channels;

namespace Kumiko.Web.Accounts;

/// <summary>Mails one-time links, where a mail server is set up.</summary>
public sealed class InvitationMail(MailSender mail, TimeProvider clock)
{
    public bool IsSetUp => mail.IsSetUp;

    /// <summary>Sends it at once.</summary>
    /// <returns>How it went, in words; null where no mail server is set up.</returns>
    public async Task<string?> Send(string to, LinkKind kind, string address, string author, CancellationToken cancel)
    {
        if (!mail.IsSetUp)
            return null;
        var (subject, text) =
            kind == LinkKind.Reset
                ? (
                    "A new password for Kumiko",
                    $"{author} lets you set a new password. Open this within a day; it works once:\n\n{address}\n"
                )
                : (
                    "You are invited to Kumiko",
                    $"{author} invites you. Make your account here within seven days; the link works once:\n\n{address}\n"
                );
        try
        {
            await mail.Send(
                new Outgoing(
                    Guid.CreateVersion7().ToString("N"),
                    1,
                    Instants.FromDateTime(clock.GetUtcNow()),
                    to,
                    new MailSettings([to]),
                    "",
                    new MailPayload(PlainText.Line(subject), text, "", null)
                ),
                cancel
            );
            return "It was mailed.";
        }
        catch (SendFailedException e)
        {
            return "It could not be mailed: " + PlainText.Line(e.Message, 300);
        }
    }
}
