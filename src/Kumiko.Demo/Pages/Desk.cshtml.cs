using Kumiko.Core.Query;
using Kumiko.Demo.World;
using Kumiko.Web.Hosting;
using Kumiko.Web.Pages;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Demo.Pages;

public sealed class DeskModel(Truth truth, RunRegistry runs, StripBuilder strips, Viewer viewer, TimeProvider clock)
    : StripPage(runs, strips, viewer, clock)
{
    private readonly Viewer _viewer = viewer;
    private readonly TimeProvider _clock = clock;

    /// <summary>What can be changed, and since when it is, where it is.</summary>
    public IReadOnlyList<(LineDisturbance Of, TruthEntry? Open)> Switches { get; private set; } = [];

    /// <summary>What was done before, the latest first.</summary>
    public IReadOnlyList<TruthEntry> Past { get; private set; } = [];
    public bool MayAct => _viewer.MayKeep;

    public Task<IActionResult> OnGetAsync(string? when)
    {
        var now = _clock.GetUtcNow();
        Switches = [.. Disturbances.All.Select(d => (d, truth.Open(d.Number, now)))];
        Past = [.. truth.Entries.Where(e => e.End <= now).OrderByDescending(e => e.Start)];
        return Show("/demo/desk", when);
    }

    public IActionResult OnPostSend(int number) => Act(number, now =>
        {
            if (truth.Open(number, now) is null)
                truth.Begin(number, now, null, 1);
        });

    public IActionResult OnPostBack(int number) => Act(number, now => truth.RollBack(number, now));

    private IActionResult Act(int number, Action<DateTimeOffset> act)
    {
        if (!MayAct)
            return StatusCode(403);
        if (number < 1 || number > Disturbances.All.Count)
            return NotFound();
        act(_clock.GetUtcNow());
        return Redirect("/demo/desk");
    }
}
