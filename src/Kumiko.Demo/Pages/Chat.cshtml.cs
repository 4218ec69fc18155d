using Kumiko.Core.Query;
using Kumiko.Demo.StandIns;
using Kumiko.Web.Hosting;
using Kumiko.Web.Pages;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Demo.Pages;

public sealed class ChatModel(HookInboxes hooks, RunRegistry runs, StripBuilder strips, Viewer viewer, TimeProvider clock) : StripPage(runs, strips, viewer, clock)
{
    public IReadOnlyList<HookMessage> Messages { get; private set; } = [];
    public bool IsBroken => hooks.Chat.IsBroken;

    public Task<IActionResult> OnGetAsync(string? when)
    {
        Messages = hooks.Chat.Messages;
        return Show("/demo/chat", when);
    }

    /// <summary>Puts it out of order, and back: what comes meanwhile comes later.</summary>
    public IActionResult OnPost(bool broken)
    {
        if (!MayKeep) return StatusCode(403);
        hooks.Chat.IsBroken = broken;
        return Redirect("/demo/chat");
    }
}
