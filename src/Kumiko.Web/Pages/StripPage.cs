using Kumiko.Core.Evaluation;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using NodaTime;

namespace Kumiko.Web.Pages;

/// <summary>A page that asks nothing itself, with the strip at its foot as everywhere.</summary>
public abstract class StripPage(RunRegistry runs, StripBuilder strips, Viewer viewer, TimeProvider clock) : PageModel
{
    protected RunRegistry Runs => runs;
    protected Viewer Viewer => viewer;

    public StripModel Strip { get; private set; } = null!;
    public DateTimeZone Zone { get; private set; } = DateTimeZone.Utc;
    public long Now { get; private set; }
    public bool MayKeep => viewer.MayKeep;
    public bool MayRun => viewer.MayRun;

    /// <summary>What the focus is compared with.</summary>
    protected Core.Query.Baselines.Baseline BaselineOf(SearchAddress address, Run run) => strips.BaselineOf(address, run);

    /// <summary>Sets what every part of the page needs.</summary>
    protected SearchAddress Begin()
    {
        Now = Instants.FromDateTime(clock.GetUtcNow());
        var address = SearchAddress.Parse(name => Request.Query[name], Now, []) with
        {
            Query = "",
            At = null,
            Tab = Tab.Auto,
            Form = null,
            Each = null,
        };
        Zone = viewer.Zone(address.Zone);
        return address;
    }

    /// <param name="path">The page's own path.</param>
    /// <param name="when">A time that was typed on the strip.</param>
    /// <param name="kept">What else the address holds, for the strip to keep.</param>
    protected async Task<IActionResult> Show(string path, string? when, params (string Name, string Value)[] kept)
    {
        var address = Begin() with { Kept = [.. kept.Where(k => k.Value.Length > 0)] };
        if (when is not null && TimeRange.Parse(when, Now, Zone) is { } range)
            return Redirect((address with { Focus = range }).Url(path));
        ViewData["Carried"] = address with { Kept = [] };
        var run = runs.Open(new Question(viewer.Name, ParseResult.Empty, address.Focus.Resolve(Now), Now, Zone, Limits.Default));
        Strip = await strips.Build(address, run, viewer, path) with { WrongTime = when };
        return Page();
    }
}
