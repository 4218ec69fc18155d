using Kumiko.Core.Delivery;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering;
using Kumiko.Web.Rendering.Notifications;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Web.Pages.Alerts;

/// <summary>Times in which nobody is told of some alerts.</summary>
public sealed class QuietModel(RouteStore routes, RunRegistry runs, StripBuilder strips, Viewer viewer, TimeProvider clock)
    : StripPage(runs, strips, viewer, clock)
{
    private const long ShownFor = 7 * Instants.Day;

    public IReadOnlyList<QuietTime> All { get; private set; } = [];
    public QuietForm Form { get; private set; } = new();
    public IReadOnlyList<string> Faults { get; private set; } = [];
    public long? Removed { get; private set; }

    public Task<IActionResult> OnGetAsync(string? when, long? removed, string? labels)
    {
        Begin();
        Removed = removed;
        Form = QuietForm.Blank(Now, Zone);
        Form.Labels = labels;
        return ShowAll(when);
    }

    public async Task<IActionResult> OnPostAsync([FromForm] QuietForm form)
    {
        if (!MayKeep)
            return StatusCode(403);
        Begin();
        Form = form;
        var (definition, faults) = form.Read(Now, Zone);
        Faults = faults;
        if (faults.Count > 0)
            return await ShowAll(null);
        await routes.AddQuiet(definition, Viewer.Name);
        return Redirect("/alerts/quiet");
    }

    public async Task<IActionResult> OnPostEndAsync(long id)
    {
        if (!MayKeep)
            return StatusCode(403);
        await routes.RemoveQuiet(id, true);
        return Redirect(FormattableString.Invariant($"/alerts/quiet?removed={id}"));
    }

    public async Task<IActionResult> OnPostRestoreAsync(long id)
    {
        if (!MayKeep)
            return StatusCode(403);
        await routes.RemoveQuiet(id, false);
        return Redirect("/alerts/quiet");
    }

    private Task<IActionResult> ShowAll(string? when)
    {
        All =
        [
            .. routes
                .Book()
                .QuietTimes.Where(q => !(q.Definition.Until <= Now - ShownFor))
                .OrderBy(q => q.Definition.Until <= Now)
                .ThenByDescending(q => q.Definition.IsOn(Now)),
        ];
        return Show("/alerts/quiet", when);
    }
}
