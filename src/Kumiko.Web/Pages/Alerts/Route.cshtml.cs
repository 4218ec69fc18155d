using Kumiko.Core.Delivery;
using Kumiko.Core.Query;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering;
using Kumiko.Web.Rendering.Notifications;
using Microsoft.AspNetCore.Authorization;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Web.Pages.Alerts;

/// <summary>One route: which alerts, when, to whom, and who is next.</summary>
[Authorize(Policy = Policies.Keep)]
public sealed class RouteModel(RouteStore routes, RunRegistry runs, StripBuilder strips, Viewer viewer, TimeProvider clock)
    : StripPage(runs, strips, viewer, clock)
{
    public Core.Delivery.Route? Existing { get; private set; }
    public RouteBook Book { get; private set; } = null!;
    public RouteForm Form { get; private set; } =
        new()
        {
            From = "08:00",
            To = "18:00",
            Days = [1, 2, 3, 4, 5],
        };
    public IReadOnlyList<string> Faults { get; private set; } = [];
    public IReadOnlyList<string> Marks =>
        [
            .. Book
                .Calendars.SelectMany(c => c.Calendar.Days)
                .Select(d => d.Mark)
                .Distinct(StringComparer.OrdinalIgnoreCase)
                .Order(StringComparer.OrdinalIgnoreCase),
        ];

    public Task<IActionResult> OnGetAsync(long? id, string? when)
    {
        if (!Find(id))
            return Task.FromResult<IActionResult>(NotFound());
        if (Existing is { } route)
            Form = RouteForm.Of(route);
        return Show(Path(id), when);
    }

    public async Task<IActionResult> OnPostAsync(long? id, [FromForm] RouteForm form)
    {
        if (!Find(id))
            return NotFound();
        Form = form;
        // Who changes a route from elsewhere does not move its hours.
        var (definition, faults) = form.Read(Existing?.Definition.Times.Zone ?? Zone.Id);
        Faults = faults;
        if (faults.Count > 0)
            return await Show(Path(id), null);
        if (Existing is null)
            await routes.AddRoute(form.Name!.Trim(), definition);
        else
            await routes.ChangeRoute(Existing.Id, form.Name!.Trim(), definition);
        return Redirect("/alerts/routes");
    }

    private static string Path(long? id) =>
        id is null ? "/alerts/routes/new" : FormattableString.Invariant($"/alerts/routes/{id}");

    private bool Find(long? id)
    {
        Begin();
        Book = routes.Book();
        Existing = Book.Route(id);
        return id is null || Existing is not null;
    }
}
