using Kumiko.Core.Evaluation;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using NodaTime;

namespace Kumiko.Demo.Pages;

/// <summary>A page of the demonstration, with the strip at its foot as everywhere.</summary>
public abstract class DemoPage(RunRegistry runs, StripBuilder strips, Viewer viewer, TimeProvider clock) : PageModel
{
    public StripModel Strip { get; private set; } = null!;
    public DateTimeZone Zone { get; private set; } = DateTimeZone.Utc;
    public long Now { get; private set; }

    protected async Task<IActionResult> Show(string path, string? when)
    {
        Now = Instants.FromDateTime(clock.GetUtcNow());
        var address = SearchAddress.Parse(name => Request.Query[name], Now, []) with { Query = "", At = null, Tab = Tab.Auto };
        Zone = viewer.Zone(address.Zone);
        if (when is not null && TimeRange.Parse(when, Now, Zone) is { } range) return Redirect((address with { Focus = range }).Url(path));
        ViewData["Carried"] = address;
        var run = runs.Open(new Question(viewer.Name, QueryParser.Parse(""), address.Focus.Resolve(Now), Now, Zone, Limits.Default));
        Strip = await strips.Build(address, run, viewer, path) with { WrongTime = when };
        return Page();
    }
}
