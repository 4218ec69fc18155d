using Kumiko.Core.Searches;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using NodaTime;

namespace Kumiko.Web.Pages;

/// <summary>An answer as it was.</summary>
public sealed class FrozenModel(SearchStore searches, Viewer viewer) : PageModel
{
    public FrozenResult Result { get; private set; } = null!;
    public string[] Columns { get; private set; } = [];
    public IReadOnlyList<string[]> Rows { get; private set; } = [];

    /// <summary>The chart, where it is one.</summary>
    public FrozenChart? Chart { get; private set; }
    public DateTimeZone Zone { get; private set; } = DateTimeZone.Utc;

    public IActionResult OnGet(string id)
    {
        if (id.Length > 40 || searches.FindFrozen(id) is not var (result, content))
            return NotFound();
        (Result, Zone) = (result, viewer.Zone(null));
        if (result.Kind == KeptKind.Chart)
            (Chart, Columns, Rows) = FrozenChart.Read(content) is var chart ? (chart, chart.Columns, chart.Rows) : default;
        else
            (Columns, Rows) = FrozenRows.Read(content);
        return Page();
    }
}
