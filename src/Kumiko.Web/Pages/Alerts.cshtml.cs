using Kumiko.Charts;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Authorization;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using NodaTime;

namespace Kumiko.Web.Pages;

public sealed class AlertsModel(RuleStore rules, RunRegistry runs, StripBuilder strips, Viewer viewer, TimeProvider clock, IAuthorizationService authorization) : PageModel
{
    private const int MostAlerts = 100;

    public IReadOnlyList<Rule> Rules { get; private set; } = [];
    public IReadOnlyList<Alert> Alerts { get; private set; } = [];
    public Alert? Chosen { get; private set; }
    public IReadOnlyList<Turn> Turns { get; private set; } = [];
    public StripModel Strip { get; private set; } = null!;
    public DateTimeZone Zone { get; private set; } = DateTimeZone.Utc;
    public long Now { get; private set; }
    public bool MayKeep => viewer.MayKeep;
    public Rule? Removed { get; private set; }

    public async Task<IActionResult> OnGetAsync(string? when, long? at, long? removed)
    {
        Now = Instants.FromDateTime(clock.GetUtcNow());
        var notices = new List<string>();
        var address = SearchAddress.Parse(name => name == "at" ? null : (string?)Request.Query[name], Now, notices) with { Query = "", Tab = Tab.Auto };
        Zone = viewer.Zone(address.Zone);
        if (when is not null && TimeRange.Parse(when, Now, Zone) is { } range) return Redirect((address with { Focus = range }).Url("/alerts"));
        ViewData["Carried"] = address;
        Rules = rules.Rules();
        Alerts = rules.Alerts(MostAlerts);
        if (at is { } id && (Chosen = rules.FindAlert(id)) is not null) Turns = rules.Turns(id);
        if (removed is { } gone) Removed = new Rule { Id = gone };
        var run = runs.Open(new Question(viewer.Name, QueryParser.Parse(""), address.Focus.Resolve(Now), Now, Zone, Limits.Default));
        Strip = await strips.Build(address, run, viewer, "/alerts") with { WrongTime = when };
        return Page();
    }

    public Task<IActionResult> OnPostPauseAsync(long id, bool paused) => Change(() => rules.Pause(id, paused, viewer.Name), "/alerts");

    public Task<IActionResult> OnPostRemoveAsync(long id) => Change(() => rules.Remove(id, true, viewer.Name), FormattableString.Invariant($"/alerts?removed={id}"));

    public Task<IActionResult> OnPostRestoreAsync(long id) => Change(() => rules.Remove(id, false, viewer.Name), "/alerts");

    private async Task<IActionResult> Change(Func<Task<int>> change, string then)
    {
        if (!(await authorization.AuthorizeAsync(User, Policies.Keep)).Succeeded) return StatusCode(403);
        await change();
        return Redirect(then);
    }

    /// <summary>The focus at which an alert's records are read.</summary>
    public string SearchUrl(Alert alert)
    {
        var lookBack = rules.Find(alert.Rule)?.LookBack ?? 15 * Instants.Minute;
        var to = alert.Ended is { } ended ? Moment.At(ended) : Moment.Now;
        return new SearchAddress { Query = alert.Query, Focus = new TimeRange(Moment.At(alert.Started - lookBack), to) }.Url();
    }

    public static string Sentence(Rule rule)
    {
        var limits = new[] { rule.Warning is { } w ? $"{Format.Number(w)} is a warning" : null, rule.Critical is { } c ? $"{Format.Number(c)} is critical" : null }.OfType<string>();
        return $"More than {string.Join(", more than ", limits)}, in the last {Format.Duration(rule.LookBack)}; checked every {Format.Duration(rule.Interval)}";
    }
}
