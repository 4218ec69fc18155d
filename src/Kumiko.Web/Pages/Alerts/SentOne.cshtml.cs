using Kumiko.Core.Delivery;
using Kumiko.Core.Query;
using Kumiko.Core.Rules;
using Kumiko.Web.Delivery;
using Kumiko.Web.Delivery.Channels;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Web.Pages.Alerts;

/// <summary>One message: what was sent and answered, and to be sent again.</summary>
public sealed partial class SentOneModel(
    SendingStore sendings,
    RuleStore rules,
    RunRegistry runs,
    StripBuilder strips,
    Viewer viewer,
    TimeProvider clock
) : StripPage(runs, strips, viewer, clock)
{
    public Sending Sending { get; private set; } = null!;
    public SendingContent About { get; private set; } = new([], []);

    /// <summary>Without the links that acknowledge: they are the recipient's.</summary>
    public string Text { get; private set; } = "";

    public async Task<IActionResult> OnGetAsync(long id, string? when)
    {
        if (sendings.Find(id) is not { } sending)
            return NotFound();
        (Sending, About) = (sending, sendings.Content(sending, rules));
        Text = sending.Payload is { } json
            ? SignedLink().Replace(PlainText.Lines(Payload.FromJson(json).Describe()), "/brief/…")
            : "It is not put together yet.";
        return await Show(FormattableString.Invariant($"/alerts/sent/{id}"), when);
    }

    public async Task<IActionResult> OnPostAgainAsync(long id)
    {
        if (!MayKeep)
            return StatusCode(403);
        return await sendings.Again(id, Viewer.Name) is { } again
            ? Redirect(FormattableString.Invariant($"/alerts/sent/{again}"))
            : NotFound();
    }

    [System.Text.RegularExpressions.GeneratedRegex(@"/brief/[A-Za-z0-9_-]+")]
    private static partial System.Text.RegularExpressions.Regex SignedLink();
}
