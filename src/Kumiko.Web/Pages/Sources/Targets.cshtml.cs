using Kumiko.Core.Query;
using Kumiko.Core.Sources;
using Kumiko.Web.Hosting;
using Kumiko.Web.Receivers.Scraping;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Web.Pages.Sources;

/// <summary>Places that metrics are fetched from, and how that went.</summary>
public sealed class TargetsModel(
    ScrapeStore targets,
    Scraper scraper,
    RunRegistry runs,
    StripBuilder strips,
    Viewer viewer,
    TimeProvider clock
) : StripPage(runs, strips, viewer, clock)
{
    public IReadOnlyList<(ScrapeTarget Target, ScrapeState? State)> All { get; private set; } = [];
    public long? Removed { get; private set; }

    public Task<IActionResult> OnGetAsync(string? when, long? removed)
    {
        All = [.. targets.All().Select(t => (t, scraper.StateOf(t)))];
        Removed = removed;
        return Show("/sources/targets", when);
    }

    public async Task<IActionResult> OnPostRemoveAsync(long id)
    {
        if (!MayRun)
            return StatusCode(403);
        return await targets.Remove(id) > 0
            ? Redirect(FormattableString.Invariant($"/sources/targets?removed={id}"))
            : NotFound();
    }

    public async Task<IActionResult> OnPostRestoreAsync(long id)
    {
        if (!MayRun)
            return StatusCode(403);
        await targets.Restore(id);
        return Redirect("/sources/targets");
    }
}
