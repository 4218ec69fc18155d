using Kumiko.Core.Delivery;
using Kumiko.Core.Records;
using Kumiko.Web.Hosting;
using MailKit.Net.Smtp;
using MailKit.Security;
using MimeKit;

namespace Kumiko.Web.Delivery;

/// <summary>Sends one mail, or throws with the reason.</summary>
public interface IMailSender
{
    /// <summary>Whether there is a mail server to send to.</summary>
    bool IsSetUp { get; }

    Task Send(Waiting message, CancellationToken cancel);
}

/// <summary>Sends over SMTP. The message id comes from the outbox key, so a repeated mail is known as the same.</summary>
public sealed class SmtpSender(ServerOptions options) : IMailSender
{
    private static readonly TimeSpan Patience = TimeSpan.FromSeconds(20);

    public bool IsSetUp => options.Smtp is not null;

    public async Task Send(Waiting message, CancellationToken cancel)
    {
        var server = options.Smtp!;
        using var limited = CancellationTokenSource.CreateLinkedTokenSource(cancel);
        limited.CancelAfter(Patience);
        using var client = new SmtpClient();
        var security = server.Scheme == "smtps" ? SecureSocketOptions.SslOnConnect : SecureSocketOptions.StartTlsWhenAvailable;
        await client.ConnectAsync(server.Host, server.Port > 0 ? server.Port : server.Scheme == "smtps" ? 465 : 25, security, limited.Token);
        if (server.UserInfo.Split(':', 2) is [var user, var password])
            await client.AuthenticateAsync(Uri.UnescapeDataString(user), Uri.UnescapeDataString(password), limited.Token);
        await client.SendAsync(Compose(message, options.MailFrom), limited.Token);
        await client.DisconnectAsync(true, limited.Token);
    }

    internal static MimeMessage Compose(Waiting message, string from)
    {
        var mail = new MimeMessage { Subject = message.Subject, MessageId = $"{message.Key}@kumiko", Date = Instants.ToDateTime(message.Created) };
        mail.From.Add(new MailboxAddress("Kumiko", MailboxAddress.Parse(from).Address));
        mail.To.Add(MailboxAddress.Parse(message.Recipient));
        mail.Body = new BodyBuilder { TextBody = message.Text, HtmlBody = message.Html }.ToMessageBody();
        return mail;
    }
}
