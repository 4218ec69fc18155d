using System.Text;
using Kumiko.Core.Delivery;
using Kumiko.Core.Records;
using Kumiko.Web.Hosting;
using MailKit;
using MailKit.Net.Smtp;
using MailKit.Security;
using MimeKit;
using MimeKit.Utils;

namespace Kumiko.Web.Delivery.Channels;

/// <summary>Sends over SMTP. The message id comes from the message's key, so that a repeated mail is known as the same.</summary>
public sealed class MailSender(ServerOptions options, NetworkGuard guard) : IChannelSender
{
    private static readonly TimeSpan Patience = TimeSpan.FromSeconds(20);

    /// <summary>Whether there is a mail server for those who name none.</summary>
    public bool IsSetUp => options.Smtp is not null;

    public async Task<SendAnswer> Send(Outgoing outgoing, CancellationToken cancel)
    {
        var (settings, payload) = ((MailSettings)outgoing.Settings, (MailPayload)outgoing.Payload);
        using var limited = CancellationTokenSource.CreateLinkedTokenSource(cancel);
        limited.CancelAfter(Patience);
        using var talk = new MemoryStream();
        // What is kept of the talk has no passwords.
        using var client = new SmtpClient(new ProtocolLogger(talk, leaveOpen: true) { RedactSecrets = true });
        try
        {
            if (settings.Host.Length > 0)
                await Connect(client, settings, outgoing.Secret, limited.Token);
            else
                await Connect(
                    client,
                    options.Smtp
                        ?? throw new SendFailedException(
                            "No mail server is set up. Start Kumiko with --smtp, or give the channel one."
                        ),
                    limited.Token
                );
            var answer = await client.SendAsync(
                Compose(outgoing, payload, settings.From.Length > 0 ? settings.From : options.MailFrom),
                limited.Token
            );
            await client.DisconnectAsync(true, limited.Token);
            return new SendAnswer(Envelope(talk), answer);
        }
        catch (OperationCanceledException) when (!cancel.IsCancellationRequested)
        {
            throw new SendFailedException($"The mail server did not answer within {Patience.TotalSeconds:0} s.", Envelope(talk));
        }
        catch (SmtpCommandException e)
        {
            throw new SendFailedException(
                $"The mail server refused it: {e.Message}",
                Envelope(talk),
                ((int)e.StatusCode).ToString(System.Globalization.CultureInfo.InvariantCulture) + " " + e.Message,
                isFinal: (int)e.StatusCode is >= 550 and < 560,
                e
            );
        }
        catch (Exception e)
            when (e
                    is AuthenticationException
                        or MailKit.Security.SslHandshakeException
                        or ProtocolException
                        or IOException
                        or System.Net.Sockets.SocketException
                        or NotSupportedException
            )
        {
            throw new SendFailedException(
                e is AuthenticationException ? "The mail server did not take the login. Check user and password." : e.Message,
                Envelope(talk),
                cause: e
            );
        }
    }

    // Whoever starts Kumiko may name any server.
    private Task Connect(SmtpClient client, Uri server, CancellationToken cancel)
    {
        var tls = server.Scheme == "smtps";
        var login = server.UserInfo.Split(':', 2);
        var usualPort = tls ? 465 : 25;
        return Connect(
            client,
            server.Host,
            server.Port > 0 ? server.Port : usualPort,
            tls ? SecureSocketOptions.SslOnConnect : SecureSocketOptions.StartTlsWhenAvailable,
            login.Length > 0 ? Uri.UnescapeDataString(login[0]) : "",
            options.SmtpPassword ?? (login.Length == 2 ? Uri.UnescapeDataString(login[1]) : ""),
            cancel
        );
    }

    private async Task Connect(SmtpClient client, MailSettings settings, string password, CancellationToken cancel)
    {
        var (security, usual) = settings.Security switch
        {
            "tls" => (SecureSocketOptions.SslOnConnect, 465),
            "none" => (SecureSocketOptions.None, 25),
            _ => (SecureSocketOptions.StartTls, 587),
        };
        var port = settings.Port > 0 ? settings.Port : usual;
        await client.ConnectAsync(await guard.Connect(settings.Host, port, cancel), settings.Host, port, security, cancel);
        if (settings.User.Length > 0)
            await client.AuthenticateAsync(settings.User, password, cancel);
    }

    private static async Task Connect(
        SmtpClient client,
        string host,
        int port,
        SecureSocketOptions security,
        string user,
        string password,
        CancellationToken cancel
    )
    {
        await client.ConnectAsync(host, port, security, cancel);
        if (user.Length > 0)
            await client.AuthenticateAsync(user, password, cancel);
    }

    internal static MimeMessage Compose(Outgoing outgoing, MailPayload payload, string from)
    {
        var mail = new MimeMessage
        {
            Subject = payload.Subject,
            MessageId = $"{outgoing.Key}@kumiko",
            Date = Instants.ToDateTime(outgoing.Created),
        };
        mail.From.Add(new MailboxAddress("Kumiko", MailboxAddress.Parse(from).Address));
        mail.To.Add(MailboxAddress.Parse(outgoing.Recipient));
        // No answer of an absent person is wanted.
        mail.Headers.Add("Auto-Submitted", "auto-generated");
        var body = new BodyBuilder { TextBody = payload.Text };
        if (payload.Html.Length > 0)
            body.HtmlBody = payload.Html;
        if (payload.Picture is { } picture)
        {
            var chart = body.LinkedResources.Add("chart.png", Convert.FromBase64String(picture), new ContentType("image", "png"));
            chart.ContentId = MimeUtils.GenerateMessageId("kumiko");
            body.HtmlBody = payload.Html.Replace("cid:chart", "cid:" + chart.ContentId, StringComparison.Ordinal);
        }
        mail.Body = body.ToMessageBody();
        return mail;
    }

    /// <summary>The talk with the server, without the mail itself.</summary>
    private static string Envelope(MemoryStream talk)
    {
        var lines = Encoding.UTF8.GetString(talk.GetBuffer(), 0, (int)talk.Length).Split('\n').Select(l => l.TrimEnd('\r'));
        var told = new StringBuilder();
        var inMail = false;
        foreach (var line in lines)
        {
            if (line.StartsWith("S: ", StringComparison.Ordinal))
                inMail = false;
            if (!inMail && (line.StartsWith("S: ", StringComparison.Ordinal) || line.StartsWith("C: ", StringComparison.Ordinal)))
                told.Append(line).Append('\n');
            if (line.StartsWith("S: 354", StringComparison.Ordinal))
                inMail = true;
        }
        return told.ToString().TrimEnd();
    }
}
