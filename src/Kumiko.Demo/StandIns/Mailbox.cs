using MimeKit;

namespace Kumiko.Demo.StandIns;

/// <summary>A mail that arrived.</summary>
public sealed record Mail(string Id, DateTimeOffset Time, string To, string Subject, string Text)
{
    /// <summary>The HTML with its pictures in it; empty for a mail of text alone.</summary>
    public string Html { get; init; } = "";
}

/// <summary>All mail of the demonstration, newest first, in a folder beside its data.</summary>
public sealed class Mailbox
{
    private readonly string _folder;
    private readonly Lock _lock = new();
    private readonly List<Mail> _mails = [];

    public Mailbox(string data)
    {
        _folder = Path.Combine(data, "mailbox");
        Directory.CreateDirectory(_folder);
        foreach (var file in Directory.GetFiles(_folder, "*.eml").Order(StringComparer.Ordinal))
            Show(MimeMessage.Load(file));
    }

    public IReadOnlyList<Mail> Mails
    {
        get
        {
            lock (_lock)
                return [.. _mails.AsEnumerable().Reverse()];
        }
    }

    public void Add(MimeMessage message)
    {
        lock (_lock)
        {
            // A mail that was sent again after a crash has the id of the first.
            if (_mails.Any(m => m.Id == message.MessageId))
                return;
            message.WriteTo(Path.Combine(_folder, FormattableString.Invariant($"{_mails.Count:000000}.eml")));
            Show(message);
        }
    }

    private void Show(MimeMessage m) =>
        _mails.Add(
            new Mail(m.MessageId ?? "", m.Date, m.To.ToString(), m.Subject ?? "", m.TextBody ?? "") { Html = WithPictures(m) }
        );

    private static string WithPictures(MimeMessage message)
    {
        var html = message.HtmlBody ?? "";
        foreach (
            var picture in message
                .BodyParts.OfType<MimePart>()
                .Where(p => p.ContentId is not null && p.Content is not null && p.ContentType.IsMimeType("image", "png"))
        )
        {
            using var bytes = new MemoryStream();
            picture.Content!.DecodeTo(bytes);
            html = html.Replace(
                "cid:" + picture.ContentId,
                "data:image/png;base64," + Convert.ToBase64String(bytes.ToArray()),
                StringComparison.Ordinal
            );
        }
        return html;
    }
}
