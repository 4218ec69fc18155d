using Kumiko.Charts;
using Kumiko.Core.Delivery;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using Kumiko.Core.Rules.Briefs;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering;
using Kumiko.Web.Rendering.Notifications;
using Kumiko.Web.Rendering.Rules;
using Microsoft.AspNetCore.Authorization;
using Microsoft.AspNetCore.Mvc;
using NodaTime;

namespace Kumiko.Web.Pages.Alerts;

/// <summary>One alert: its brief first, then how it went on, what stands near it, who was told, and what people do with
/// it.</summary>
public sealed class OneModel(
    RuleStore rules,
    BriefShow show,
    AlertValueReader figures,
    SendingStore sendings,
    RouteStore routes,
    RuleWords words,
    WorkGate gate,
    RunRegistry runs,
    StripBuilder strips,
    Viewer viewer,
    TimeProvider clock,
    IAuthorizationService authorization
) : StripPage(runs, strips, viewer, clock)
{
    private const long RecordsAround = 15 * Instants.Minute;
    private const int PictureHeight = 200;
    private const int MostRecords = 5;
    private const int Beside = 780;
    private const int WidestBrief = 720;

    public BriefPart Part { get; private set; } = null!;
    public Drawing? Later { get; private set; }
    public IReadOnlyList<Alert> Near { get; private set; } = [];
    public IReadOnlyList<ToldWhom> Recipients { get; private set; } = [];

    /// <summary>Null where somebody was told.</summary>
    public WhyNobody? Why { get; private set; }
    public IReadOnlyList<AlertEvent> Events { get; private set; } = [];
    public RuleWords Words => words;

    public async Task<IActionResult> OnGetAsync(long id, string? when)
    {
        Begin();
        if (rules.Alerts.Find(id) is not { } alert)
            return NotFound();
        Part = await show.Of(alert, Zone, Math.Min(Viewer.Width - 30, WidestBrief), Since(id), HttpContext.RequestAborted) with
        {
            HasLinks = true,
        };
        Near =
        [
            .. rules
                .Alerts.In(new Window(alert.Started - RecordsAround, alert.Started + RecordsAround))
                .Where(a => a.Id != id && Math.Abs(a.Started - alert.Started) <= RecordsAround),
        ];
        (Recipients, Events) = (sendings.Of(id), rules.Alerts.Events(id));
        if (Recipients.Count == 0)
            Why = WhyNobody.Of(alert, rules.Find(alert.Rule), routes.Book(), sendings.IsWaiting(id), Zone);
        // Where nothing asks later, all comes at once.
        if (!Viewer.HasScripts)
            Later = await Draw(alert);
        return await Show(FormattableString.Invariant($"/alerts/{id}"), when);
    }

    private static string Since(long id) => FormattableString.Invariant($"/alerts/{id}?handler=Since");

    /// <summary>How it went on, in a line.</summary>
    public IActionResult OnGetSince(long id)
    {
        Begin();
        return show.Since(id, Zone, Since(id)) is { } part ? Partial("_Since", part) : NotFound();
    }

    /// <summary>The figure from before the start until now, or a while after the end.</summary>
    public async Task<IActionResult> OnGetFiguresAsync(long id)
    {
        Begin();
        if (rules.Alerts.Find(id) is not { } alert)
            return NotFound();
        try
        {
            return await Draw(alert) is { } drawing
                ? Partial("_Chart", new ChartPart(drawing) { HasOwnLegend = true })
                : Content("<p class=\"hint\">It has no figure over time.</p>", "text/html");
        }
        catch (QueryRefusedException e)
        {
            return Partial("_Refused", e.Message);
        }
    }

    private async Task<Drawing?> Draw(Alert alert)
    {
        using var turn = await gate.Enter(Viewer.Name, HttpContext.RequestAborted);
        var span = BriefReader.SpanOf(alert.Definition);
        var until = Math.Min(Now, (alert.Ended ?? Now) + (span / 4));
        if (
            await figures.Read(
                alert,
                new Window(alert.Started - span, Math.Max(until, alert.Started + alert.Definition.CheckedEvery)),
                HttpContext.RequestAborted
            )
            is not { } read
        )
            return null;
        return AlertPicture.Draw(
            alert,
            read,
            AlertRecords.Focus(alert),
            alert.Ended,
            "Figure and limit over time",
            Viewer.WidthBeside(Beside) - 40,
            PictureHeight,
            Zone
        );
    }

    /// <summary>The latest records of the check that started it.</summary>
    public async Task<IActionResult> OnGetRecordsAsync(long id)
    {
        Begin();
        if (rules.Alerts.Find(id) is not { } alert)
            return NotFound();
        if (AlertRecords.Query(alert) is not { } query || QueryParser.Parse(query) is not { Ok: true } parsed)
            return Behind(alert);
        try
        {
            var run = Runs.Open(new Question(Viewer.Name, parsed, AlertRecords.Focus(alert), Now, Zone, Limits.Default));
            if (!run.ReadsRecords)
                return Behind(alert);
            return Partial("_BehindAlert", new BehindPart(await run.Records(null, MostRecords), Zone));
        }
        catch (QueryRefusedException e)
        {
            return Partial("_Refused", e.Message);
        }
    }

    private ContentResult Behind(Alert alert) =>
        Content($"<p class=\"hint\">{System.Net.WebUtility.HtmlEncode(RuleWords.RowsBehind(alert.Definition))}</p>", "text/html");

    public Task<IActionResult> OnPostAcknowledgeAsync(long id) => Change(id, () => rules.Alerts.Acknowledge(id, Viewer.Name));

    public Task<IActionResult> OnPostSnoozeAsync(long id, string? @for)
    {
        Begin();
        var until = @for switch
        {
            "15m" => Now + (15 * Instants.Minute),
            "4h" => Now + (4 * Instants.Hour),
            "morning" => Morning(),
            _ => Now + Instants.Hour,
        };
        return Change(id, () => rules.Alerts.Snooze(id, Viewer.Name, until));
    }

    public Task<IActionResult> OnPostWakeAsync(long id) => Change(id, () => rules.Alerts.Wake(id, Viewer.Name));

    public Task<IActionResult> OnPostResolveAsync(long id, string? reason) =>
        Change(id, () => rules.Alerts.Resolve(id, Viewer.Name, Short(reason)));

    public Task<IActionResult> OnPostRemarkAsync(long id, string? text) =>
        Change(id, () => Short(text).Length == 0 ? Task.FromResult(false) : rules.Alerts.Remark(id, Viewer.Name, Short(text)));

    private static string Short(string? text) =>
        (text ?? "").Trim() is var trimmed && trimmed.Length > 2_000 ? trimmed[..2_000] : trimmed;

    /// <summary>Eight o'clock of the next day that begins.</summary>
    private long Morning()
    {
        var local = Instants.ToInstant(Now).InZone(Zone).LocalDateTime;
        var day = local.Hour < 8 ? local.Date : local.Date.PlusDays(1);
        return Zone.AtLeniently(day.At(new LocalTime(8, 0))).ToInstant().ToUnixTimeTicks() * 100;
    }

    private async Task<IActionResult> Change<T>(long id, Func<Task<T>> change)
    {
        if (!(await authorization.AuthorizeAsync(User, Policies.Keep)).Succeeded)
            return StatusCode(403);
        await change();
        return Redirect(FormattableString.Invariant($"/alerts/{id}"));
    }

    public static string KindWords(NotificationKind kind) =>
        kind switch
        {
            NotificationKind.Rose => "the rise",
            NotificationKind.Ended => "the end",
            NotificationKind.Escalated => "nobody acknowledged",
            _ => "the start",
        };
}

/// <summary>Some records behind an alert.</summary>
public sealed record BehindPart(IReadOnlyList<FoundRecord> Records, DateTimeZone Zone);
