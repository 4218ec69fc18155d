using Kumiko.Core.Query;
using Kumiko.Demo.StandIns;
using Kumiko.Web.Hosting;
using Kumiko.Web.Pages;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Demo.Pages;

public sealed class PagerModel(HookInboxes hooks, RunRegistry runs, StripBuilder strips, Viewer viewer, TimeProvider clock) : StripPage(runs, strips, viewer, clock)
{
    public IReadOnlyList<HookMessage> Messages { get; private set; } = [];
    public bool IsBroken => hooks.Pager.IsBroken;

    public Task<IActionResult> OnGetAsync(string? when)
    {
        Messages = hooks.Pager.Messages;
        return Show("/demo/pager", when);
    }

    /// <summary>Puts it out of order, and back: what comes meanwhile comes later.</summary>
    public IActionResult OnPost(bool broken)
    {
        if (!MayKeep) return StatusCode(403);
        hooks.Pager.IsBroken = broken;
        return Redirect("/demo/pager");
    }
}
