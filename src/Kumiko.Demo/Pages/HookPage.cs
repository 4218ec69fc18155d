using Kumiko.Core.Query;
using Kumiko.Demo.StandIns;
using Kumiko.Web.Hosting;
using Kumiko.Web.Pages;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Demo.Pages;

/// <summary>What a stand-in that takes webhooks has got; it can be put out of order.</summary>
public abstract class HookPage(HookInbox inbox, RunRegistry runs, StripBuilder strips, Viewer viewer, TimeProvider clock)
    : StripPage(runs, strips, viewer, clock)
{
    public HookInbox Inbox => inbox;

    public Task<IActionResult> OnGetAsync(string? when) => Show("/demo/" + inbox.Name, when);

    /// <summary>Puts it out of order, and back: what comes meanwhile comes later.</summary>
    public IActionResult OnPost(bool broken)
    {
        if (!MayKeep)
            return StatusCode(403);
        inbox.IsBroken = broken;
        return Redirect("/demo/" + inbox.Name);
    }
}

public sealed class ChatModel(HookInboxes hooks, RunRegistry runs, StripBuilder strips, Viewer viewer, TimeProvider clock)
    : HookPage(hooks.Chat, runs, strips, viewer, clock);

public sealed class PagerModel(HookInboxes hooks, RunRegistry runs, StripBuilder strips, Viewer viewer, TimeProvider clock)
    : HookPage(hooks.Pager, runs, strips, viewer, clock);
