using Kumiko.Core.Query;
using Kumiko.Demo.World;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Demo.Pages;

public sealed class DeskModel(Truth truth, RunRegistry runs, StripBuilder strips, Viewer viewer, TimeProvider clock) : DemoPage(runs, strips, viewer, clock)
{
    private readonly Viewer _viewer = viewer;
    private readonly TimeProvider _clock = clock;

    public TruthEntry? Open { get; private set; }
    public IReadOnlyList<TruthEntry> Past { get; private set; } = [];
    public bool MayAct => _viewer.MayKeep;

    public Task<IActionResult> OnGetAsync(string? when)
    {
        Open = truth.Open;
        Past = [.. truth.Entries.Reverse()];
        return Show("/demo/desk", when);
    }

    public IActionResult OnPostSend() => Act(() =>
    {
        if (truth.Open is null) truth.SendFirmware(_clock.GetUtcNow(), null, 1);
    });

    public IActionResult OnPostBack() => Act(() => truth.RollBack(_clock.GetUtcNow()));

    private IActionResult Act(Action act)
    {
        if (!MayAct) return StatusCode(403);
        act();
        return Redirect("/demo/desk");
    }
}
