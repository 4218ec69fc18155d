using Kumiko.Core.Entities;
using Kumiko.Core.Query;
using Kumiko.Core.Spans;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Web.Pages.Sources;

/// <summary>Which spans of a service count as failed.</summary>
public sealed class FailedModel(
    FailureRules failures,
    InstanceBook instances,
    RunRegistry runs,
    StripBuilder strips,
    Viewer viewer,
    TimeProvider clock
) : StripPage(runs, strips, viewer, clock)
{
    public const int LongestText = 1_000;

    public IReadOnlyList<FailureRule> Rules { get; private set; } = [];
    public IReadOnlyList<string> Services { get; private set; } = [];
    public string Service { get; private set; } = "";
    public string Condition { get; private set; } = "";
    public string? Problem { get; private set; }

    /// <param name="service">Whose condition is to be written.</param>
    public Task<IActionResult> OnGetAsync(string? when, string? service)
    {
        (Rules, Services) = (failures.All, instances.Services);
        if (Problem is null && service is not null)
            (Service, Condition) = (service, Rules.FirstOrDefault(r => r.Service == service)?.Condition ?? "");
        return Show("/sources/failed", when);
    }

    public async Task<IActionResult> OnPostAsync(string? service, string? condition)
    {
        if (!MayKeep)
            return StatusCode(403);
        (Service, Condition) = ((service ?? "").Trim(), (condition ?? "").Trim());
        if (Service.Length == 0)
            Problem = "Name the service.";
        else if (Service.Length > LongestText || Condition.Length > LongestText)
            Problem = $"A name and a condition can have {LongestText} characters.";
        else
            Problem = await failures.Set(Service, Condition, Viewer.Name);
        return Problem is null ? Redirect("/sources/failed") : await OnGetAsync(null, null);
    }

    public async Task<IActionResult> OnPostRemoveAsync(string? service)
    {
        if (!MayKeep)
            return StatusCode(403);
        await failures.Set(service ?? "", "", Viewer.Name);
        return Redirect("/sources/failed");
    }
}
