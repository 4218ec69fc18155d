using System.Text.RegularExpressions;
using Kumiko.Core.Query;
using Kumiko.Demo.StandIns;
using Kumiko.Web.Hosting;
using Kumiko.Web.Pages;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Html;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.Rendering;

namespace Kumiko.Demo.Pages;

public sealed partial class MailboxModel(
    Mailbox mailbox,
    RunRegistry runs,
    StripBuilder strips,
    Viewer viewer,
    TimeProvider clock
) : StripPage(runs, strips, viewer, clock)
{
    public IReadOnlyList<Mail> Mails { get; private set; } = [];

    public Task<IActionResult> OnGetAsync(string? when)
    {
        Mails = mailbox.Mails;
        return Show("/demo/mailbox", when);
    }

    /// <summary>A mail as HTML, by itself: its styles are its own, and nothing in it runs.</summary>
    public IActionResult OnGetHtml(string id)
    {
        if (mailbox.Mails.FirstOrDefault(m => m.Id == id) is not { Html.Length: > 0 } mail)
            return NotFound();
        Response.Headers.ContentSecurityPolicy =
            "default-src 'none'; style-src 'unsafe-inline'; img-src data:; frame-ancestors 'self'";
        return Content(mail.Html, "text/html; charset=utf-8");
    }

    /// <summary>A mail's text with its links to click.</summary>
    public static IHtmlContent Linked(string text)
    {
        var html = new HtmlContentBuilder();
        var at = 0;
        foreach (Match match in Link().Matches(text))
        {
            html.Append(text[at..match.Index]);
            var link = new TagBuilder("a") { Attributes = { ["href"] = match.Value } };
            link.InnerHtml.Append(match.Value);
            html.AppendHtml(link);
            at = match.Index + match.Length;
        }
        return html.Append(text[at..].TrimEnd());
    }

    [GeneratedRegex(@"https?://\S+")]
    private static partial Regex Link();
}
