using Kumiko.Core.Delivery;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering;
using Kumiko.Web.Rendering.Notifications;
using Microsoft.AspNetCore.Authorization;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Web.Pages.Alerts;

/// <summary>A line of a calendar's hours, as it was typed.</summary>
public sealed record HoursLine(IReadOnlyList<int> Days, string From, string To)
{
    public bool IsEmpty => Days.Count == 0 && From.Length == 0 && To.Length == 0;
}

/// <summary>One calendar: hours of the week, and days that are not as others.</summary>
[Authorize(Policy = Policies.Keep)]
public sealed class CalendarModel(RouteStore routes, RunRegistry runs, StripBuilder strips, Viewer viewer, TimeProvider clock)
    : StripPage(runs, strips, viewer, clock)
{
    public NamedCalendar? Existing { get; private set; }
    public string Name { get; private set; } = "";
    public string TimeZone { get; private set; } = "";
    public IReadOnlyList<HoursLine> Lines { get; private set; } = [];
    public IReadOnlyList<string> Faults { get; private set; } = [];

    /// <summary>The day that it is in the calendar's zone.</summary>
    public string Today =>
        NodaTime.Text.LocalDatePattern.Iso.Format(Instants.ToInstant(Now).InZone(Existing?.Calendar.TimeZone ?? Zone).Date);

    public Task<IActionResult> OnGetAsync(long? id, string? when)
    {
        if (!Find(id))
            return Task.FromResult<IActionResult>(NotFound());
        (Name, TimeZone) = (Existing?.Name ?? "", Existing?.Calendar.Zone ?? Zone.Id);
        Lines =
        [
            .. (Existing?.Calendar.Hours ?? []).Select(h => new HoursLine(
                h.Days,
                RuleText.Clock(h.From),
                RuleText.Clock(h.To == 0 ? CheckHours.MinutesOfDay : h.To)
            )),
            new HoursLine([], "", ""),
        ];
        return Show(Path(id), when);
    }

    public async Task<IActionResult> OnPostAsync(long? id)
    {
        if (!Find(id))
            return NotFound();
        var form = await Request.ReadFormAsync();
        (Name, TimeZone) = (form["Name"].ToString().Trim(), form["TimeZone"].ToString().Trim());
        Lines =
        [
            .. Enumerable
                .Range(0, DutyCalendar.MostHours)
                .Select(i => new HoursLine(
                    [.. form[$"Days{i}"].Select(d => int.TryParse(d, out var day) ? day : 0).Where(d => d is >= 1 and <= 7)],
                    form[$"From{i}"].ToString().Trim(),
                    form[$"To{i}"].ToString().Trim()
                ))
                .Where(l => !l.IsEmpty),
        ];
        var faults = new List<string>();
        if (Name.Length is 0 or > DutyCalendar.LongestName)
            faults.Add("Give the calendar a name of up to 100 characters.");
        var hours = Lines.Select(l => MatchForm.HoursOf(l.Days, l.From, l.To, faults)).OfType<CheckHours>().ToList();
        var calendar = (Existing?.Calendar ?? new DutyCalendar()) with { Zone = TimeZone, Hours = hours };
        faults.AddRange(calendar.Faults());
        Faults = faults;
        if (faults.Count > 0)
        {
            Lines = [.. Lines, new HoursLine([], "", "")];
            return await Show(Path(id), null);
        }
        var saved = Existing is null ? await routes.AddCalendar(Name, calendar) : Existing.Id;
        if (Existing is not null)
            await routes.ChangeCalendar(Existing.Id, Name, calendar);
        return Redirect(Path(saved));
    }

    public Task<IActionResult> OnPostAddAsync(long id, string? date, string? mark, bool closed, bool eachYear) =>
        Days(id, days =>
            [
                .. days.Where(d =>
                    d.Date != date || !string.Equals(d.Mark, (mark ?? "").Trim(), StringComparison.OrdinalIgnoreCase)
                ),
                new CalendarDay(date ?? "", eachYear, (mark ?? "").Trim(), closed),
            ]
        );

    public Task<IActionResult> OnPostTakeAsync(long id, string? date, string? mark) =>
        Days(id, days => [.. days.Where(d => d.Date != date || d.Mark != mark)]);

    private async Task<IActionResult> Days(long id, Func<IReadOnlyList<CalendarDay>, IReadOnlyList<CalendarDay>> change)
    {
        if (!Find(id))
            return NotFound();
        var calendar = Existing!.Calendar with { Days = change(Existing.Calendar.Days) };
        Faults = calendar.Faults();
        if (Faults.Count > 0)
            return await OnGetAsync(id, null);
        await routes.ChangeCalendar(id, Existing.Name, calendar);
        return Redirect(Path(id));
    }

    private static string Path(long? id) =>
        id is null ? "/alerts/calendars/new" : FormattableString.Invariant($"/alerts/calendars/{id}");

    private bool Find(long? id)
    {
        Begin();
        Existing = routes.Book().Calendars.FirstOrDefault(c => c.Id == id);
        return id is null || Existing is not null;
    }
}
