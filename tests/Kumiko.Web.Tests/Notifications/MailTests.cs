using Kumiko.Core.Delivery;
using Kumiko.Core.Rules;
using Kumiko.Core.Rules.Briefs;
using Kumiko.Demo.StandIns;
using Kumiko.Web.Delivery;
using Kumiko.Web.Delivery.Channels;
using Kumiko.Web.Delivery.Messages;
using Kumiko.Web.Hosting;
using MimeKit;
using static Kumiko.Web.Tests.Notifications.NotificationFixtures;

namespace Kumiko.Web.Tests.Notifications;

public sealed class MailTests : IAsyncLifetime
{
    private RunningServer _server = null!;

    public async ValueTask InitializeAsync() => _server = await RunningServer.Start();

    public ValueTask DisposeAsync() => _server.DisposeAsync();

    /// <summary>The mail as it goes over the wire, read again.</summary>
    private MimeMessage Mail(NotificationOf notice, string recipient = "ines@skerryline.example")
    {
        var fields = _server.Get<FieldReader>().Of(notice, recipient);
        var composed = new MessageComposer().Compose(
            new MailSettings([recipient]),
            "",
            fields,
            notice.Alert is { } alert && Brief.FromJson(alert.Brief) is { } brief ? (alert, brief) : null
        );
        using var wire = new MemoryStream();
        MailSender
            .Compose(
                new Outgoing("k1", 1, At, recipient, new MailSettings([recipient]), "", composed.Payload),
                (MailPayload)composed.Payload,
                "kumiko@skerryline.example"
            )
            .WriteTo(wire);
        wire.Position = 0;
        return MimeMessage.Load(wire);
    }

    [Fact]
    public void It_is_text_and_html_with_the_chart_in_it()
    {
        var mail = Mail(Told(NotificationKind.Started));
        Assert.Equal("Critical: Refusals at the gates, Tarnhead", mail.Subject);
        Assert.Equal("k1@kumiko", mail.MessageId);
        Assert.Equal("auto-generated", mail.Headers["Auto-Submitted"]);
        var picture = Assert.Single(mail.BodyParts.OfType<MimePart>(), p => p.ContentType.IsMimeType("image", "png"));
        Assert.Contains($"cid:{picture.ContentId}", mail.HtmlBody);
        using var png = new MemoryStream();
        picture.Content!.DecodeTo(png);
        Assert.Equal([0x89, (byte)'P', (byte)'N', (byte)'G'], png.ToArray()[..4]);
        Assert.InRange(png.Length, 2_000, 200_000);
        foreach (var body in new[] { mail.TextBody, mail.HtmlBody })
        {
            Assert.Contains("Refusals at the gates, Tarnhead: 47 in 10 min; critical above 30, since", body);
            Assert.Contains("Ring the quay", body);
            Assert.Contains("43 of 47", body);
            Assert.Contains("1 of 90", body);
            Assert.Contains("gate firmware 7.3", body);
            Assert.Contains("seat already claimed", body);
            Assert.Contains("holds an alert", body);
            Assert.Contains("/brief/", body);
            Assert.Contains("/alerts/7", body);
        }
    }

    [Theory]
    [InlineData(NotificationKind.Rose, "Now critical: Refusals at the gates, Tarnhead")]
    [InlineData(NotificationKind.Ended, "Ended: Refusals at the gates, Tarnhead")]
    [InlineData(NotificationKind.Escalated, "Nobody has acknowledged: Refusals at the gates, Tarnhead")]
    public void Each_turn_has_its_headline(NotificationKind kind, string subject) =>
        Assert.Equal(subject, Mail(Told(kind)).Subject);

    [Fact]
    public void An_end_says_how_long_it_lasted_and_offers_nothing_to_acknowledge()
    {
        var mail = Mail(Told(NotificationKind.Ended, value: 3));
        Assert.Contains("3, which is within the limits again. It lasted 20 min", mail.TextBody);
        Assert.Contains("the worst was 61", mail.TextBody);
        Assert.DoesNotContain("Acknowledge", mail.TextBody);
        Assert.DoesNotContain("image/png", mail.ToString());
    }

    [Fact]
    public void Hostile_text_of_records_stays_text_and_makes_no_headers()
    {
        var notice = Told(NotificationKind.Started, where: Markup + "\r\nBcc: all@skerryline.example");
        var mail = Mail(notice with { Alert = notice.Alert!, Notification = notice.Notification });
        Assert.Empty(mail.Bcc);
        Assert.Equal(["ines@skerryline.example"], mail.To.Mailboxes.Select(m => m.Address));
        Assert.DoesNotContain("<img src=x", mail.HtmlBody);
        Assert.Contains("&lt;img src=x", mail.HtmlBody);
        Assert.DoesNotContain("\u202e", mail.HtmlBody);
        Assert.DoesNotContain("\u202e", mail.TextBody);
        Assert.DoesNotContain("\n", mail.Subject);
    }

    [Fact]
    public void Many_alerts_are_one_mail_that_counts_them()
    {
        var content = new SendingContent(
            [Told(NotificationKind.Started), Told(NotificationKind.Ended)],
            [
                new NotificationCount(3, "Refusals at the gates", NotificationKind.Started, AlertLevel.Critical, 9_000, At, At),
                new NotificationCount(4, "Row locks", NotificationKind.Ended, AlertLevel.Warning, 1, At, At),
            ]
        );
        var fields = _server.Get<FieldReader>().Of(content, "x@skerryline.example");
        Assert.Equal("9\u2009000 critical, 1 ended: 2 rules", fields.Subject);
        var mail = BriefMail.Write(fields, null);
        Assert.Contains("9001", fields.ToJson());
        Assert.Contains("9000 started as critical: Refusals at the gates", mail.Text);
        Assert.Contains("Row locks", mail.Html);
    }

    [Fact]
    public async Task It_travels_over_smtp_into_the_mailbox_once_and_the_answer_is_kept()
    {
        var mailbox = new Mailbox(_server.Path);
        using var sink = new SmtpSink(mailbox);
        await sink.StartAsync(default);
        var sender = new MailSender(
            new ServerOptions
            {
                Data = "",
                Smtp = sink.Address,
                MailFrom = "kumiko@skerryline.example",
            },
            NotificationFixtures.ThisMachine
        );
        var outgoing = new Outgoing(
            "k7",
            1,
            At,
            "ines@skerryline.example",
            new MailSettings(["ines@skerryline.example"]),
            "",
            new MailPayload("Critical: façade\r\nBcc: x", ".starts with a dot\n" + new string('é', 2_000), "<p>x</p>", null)
        );
        var answer = await sender.Send(outgoing, default);
        await sender.Send(outgoing with { Attempt = 2 }, default);
        var mail = Assert.Single(mailbox.Mails);
        Assert.StartsWith("Critical: façade", mail.Subject);
        Assert.StartsWith(".starts with a dot", mail.Text);
        Assert.Contains("MAIL FROM", answer.Sent);
        Assert.DoesNotContain("façade", answer.Sent);
        Assert.Contains("taken", answer.Answered);
        Assert.Single(new Mailbox(_server.Path).Mails);
        await sink.StopAsync(default);
    }

    [Fact]
    public async Task It_signs_in_where_that_is_wanted_and_tells_nobody_the_password()
    {
        var mailbox = new Mailbox(_server.Path);
        using var sink = new SmtpSink(mailbox) { Login = "kumiko\0let me in" };
        await sink.StartAsync(default);
        var sender = new MailSender(new ServerOptions { Data = "" }, NotificationFixtures.ThisMachine);
        var settings = new MailSettings(
            ["ines@skerryline.example"],
            "127.0.0.1",
            sink.Address.Port,
            "none",
            "kumiko",
            "kumiko@skerryline.example"
        );
        var outgoing = new Outgoing(
            "k8",
            1,
            At,
            "ines@skerryline.example",
            settings,
            "let me in",
            new MailPayload("s", "t", "", null)
        );
        var answer = await sender.Send(outgoing, default);
        Assert.Single(mailbox.Mails);
        Assert.Contains("AUTH PLAIN", answer.Sent);
        Assert.DoesNotContain(Convert.ToBase64String("\0kumiko\0let me in"u8), answer.Sent);
        var refused = await Assert.ThrowsAsync<SendFailedException>(() =>
            sender.Send(outgoing with { Secret = "guess" }, default)
        );
        Assert.Contains("did not take the login", refused.Message);
        // A server that offers no TLS is not talked to in clear where TLS is wanted.
        var open = await Assert.ThrowsAsync<SendFailedException>(() =>
            sender.Send(outgoing with { Settings = settings with { Security = "starttls" } }, default)
        );
        Assert.DoesNotContain("AUTH PLAIN ", open.Sent);
        Assert.Single(mailbox.Mails);
        await sink.StopAsync(default);
    }

    [Fact]
    public async Task A_server_that_is_not_there_is_said()
    {
        var sender = new MailSender(new ServerOptions { Data = "" }, NotificationFixtures.ThisMachine);
        var outgoing = new Outgoing(
            "k",
            1,
            At,
            "ines@skerryline.example",
            new MailSettings(["ines@skerryline.example"], "127.0.0.1", 1, "none"),
            "",
            new MailPayload("s", "t", "", null)
        );
        Assert.False((await Assert.ThrowsAsync<SendFailedException>(() => sender.Send(outgoing, default))).IsFinal);
        Assert.Contains(
            "No mail server",
            (
                await Assert.ThrowsAsync<SendFailedException>(() =>
                    sender.Send(outgoing with { Settings = new MailSettings(["a@b.example"]) }, default)
                )
            ).Message
        );
    }
}
