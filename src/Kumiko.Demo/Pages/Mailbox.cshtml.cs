using System.Text.RegularExpressions;
using Kumiko.Core.Query;
using Kumiko.Demo.StandIns;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Demo.Pages;

public sealed partial class MailboxModel(Mailbox mailbox, RunRegistry runs, StripBuilder strips, Viewer viewer, TimeProvider clock) : DemoPage(runs, strips, viewer, clock)
{
    public IReadOnlyList<Mail> Mails { get; private set; } = [];

    public Task<IActionResult> OnGetAsync(string? when)
    {
        Mails = mailbox.Mails;
        return Show("/demo/mailbox", when);
    }

    /// <summary>A mail's text cut into plain parts and links.</summary>
    public static IEnumerable<(string Text, bool IsLink)> Parts(string text)
    {
        var at = 0;
        foreach (Match match in Link().Matches(text))
        {
            if (match.Index > at) yield return (text[at..match.Index], false);
            yield return (match.Value, true);
            at = match.Index + match.Length;
        }
        if (at < text.Length) yield return (text[at..].TrimEnd(), false);
    }

    [GeneratedRegex(@"https?://\S+")]
    private static partial Regex Link();
}
