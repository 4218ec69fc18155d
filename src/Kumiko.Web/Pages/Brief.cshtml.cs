using Kumiko.Core.Rules;
using Kumiko.Web.Delivery;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering.Rules;
using Microsoft.AspNetCore.Authorization;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Kumiko.Web.Pages;

/// <summary>
/// The brief of one alert for who holds a signed link from a message. Opening it changes nothing, as mail programs open links
/// by themselves; its button acknowledges, once.
/// </summary>
[AllowAnonymous]
public sealed class BriefModel(SignedLinks links, RuleStore rules, BriefShow show, Viewer viewer) : PageModel
{
    private const int Widest = 720;
    private const int PhoneWidth = 390;

    public BriefPart? Part { get; private set; }
    public string Who { get; private set; } = "";
    public bool IsUsed { get; private set; }
    public bool Done { get; private set; }

    public Task<IActionResult> OnGetAsync(string token) => Show(token, done: false);

    public async Task<IActionResult> OnPostAsync(string token)
    {
        if (links.Read(token) is not { } link)
            return await Show(token, done: false);
        return await Show(token, await links.Acknowledge(link));
    }

    /// <summary>How it went on, in a line.</summary>
    public IActionResult OnGetSince(string token) =>
        links.Read(token) is { } link
        && rules.Alerts.Find(link.Alert) is { } alert
        && show.Since(link.Alert, alert.Definition.TimeZone, SinceUrl(token)) is { } part
            ? Partial("_Since", part)
            : NotFound();

    private static string SinceUrl(string token) => $"/brief/{token}?handler=Since";

    private async Task<IActionResult> Show(string token, bool done)
    {
        // What is private must not lie in a shared memory, nor leave with a link that is followed.
        Response.Headers.CacheControl = "no-store";
        Response.Headers["Referrer-Policy"] = "no-referrer";
        if (links.Read(token) is not { } link || rules.Alerts.Find(link.Alert) is not { } alert)
        {
            Response.StatusCode = 410;
            return Page();
        }
        // The browser of a phone that was never here has not told its width.
        int width;
        if (viewer.HasScripts)
            width = viewer.Width;
        else if (Request.Headers.UserAgent.ToString().Contains("Mobi", StringComparison.Ordinal))
            width = PhoneWidth;
        else
            width = Widest;
        Part = await show.Of(
            alert,
            alert.Definition.TimeZone,
            Math.Min(width - 30, Widest),
            SinceUrl(token),
            HttpContext.RequestAborted
        );
        (Who, IsUsed, Done) = (links.WhoIs(link), links.IsUsed(link), done);
        return Page();
    }
}
