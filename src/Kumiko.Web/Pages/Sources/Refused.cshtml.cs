using Kumiko.Core.Query;
using Kumiko.Core.Sources;
using Kumiko.Core.Storage;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Web.Pages.Sources;

/// <summary>What was not taken, with its place and reason.</summary>
public sealed class RefusedModel(
    RecordStore records,
    SourceBook book,
    RunRegistry runs,
    StripBuilder strips,
    Viewer viewer,
    TimeProvider clock
) : StripPage(runs, strips, viewer, clock)
{
    public const int Most = 200;

    public string? Source { get; private set; }
    public IReadOnlyList<Refused> Things { get; private set; } = [];

    public Task<IActionResult> OnGetAsync(string? source, string? when)
    {
        Source = string.IsNullOrEmpty(source) ? null : source;
        Things = book.Shown(records.Refusals(Most, Source), Viewer);
        return Show("/sources/refused", when);
    }
}
