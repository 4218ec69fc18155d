using Kumiko.Core.Query;
using Kumiko.Core.Rules;
using Kumiko.Core.Storage;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Authorization;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Web.Pages.Objectives;

/// <summary>All objectives, with what is left of their budgets.</summary>
public sealed class IndexModel(
    ObjectiveStore objectives,
    ObjectiveReader reader,
    RecordStore records,
    WorkGate gate,
    RunRegistry runs,
    StripBuilder strips,
    Viewer viewer,
    TimeProvider clock,
    IAuthorizationService authorization
) : StripPage(runs, strips, viewer, clock)
{
    public IReadOnlyList<(Objective Objective, ObjectiveNow Now)> All { get; private set; } = [];
    public long? Removed { get; private set; }

    public async Task<IActionResult> OnGetAsync(string? when, long? removed)
    {
        Begin();
        var all = new List<(Objective, ObjectiveNow)>();
        using (await gate.Enter(Viewer.Name, HttpContext.RequestAborted))
        using (var snapshot = records.Current)
            foreach (var objective in objectives.All())
                all.Add((objective, await reader.Now(objective, Now, snapshot, HttpContext.RequestAborted)));
        (All, Removed) = (all, removed);
        return await Show("/objectives", when);
    }

    public async Task<IActionResult> OnPostRestoreAsync(long id)
    {
        if (!(await authorization.AuthorizeAsync(User, Policies.Keep)).Succeeded)
            return StatusCode(403);
        await objectives.Remove(id, false);
        return Redirect("/objectives");
    }
}
