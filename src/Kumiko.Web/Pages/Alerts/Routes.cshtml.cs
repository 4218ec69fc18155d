using Kumiko.Core.Delivery;
using Kumiko.Core.Query;
using Kumiko.Core.Rules;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Mvc;
using NodaTime.Text;

namespace Kumiko.Web.Pages.Alerts;

/// <summary>What is asked about who would be told, as it was typed.</summary>
public sealed record WhoQuestion(string Label, string Team, string Source, string Level, string Moment);

/// <summary>Who would be told of something at an instant.</summary>
public sealed record WhoAnswer(
    AlertFacts Facts,
    long At,
    IReadOnlyList<string> Addresses,
    IReadOnlyList<RouteHit> Hits,
    (QuietTime Quiet, long Until)? Quiet
);

/// <summary>Routes and calendars, and who would be told now.</summary>
public sealed class RoutesModel(
    RouteStore routes,
    RuleStore rules,
    RunRegistry runs,
    StripBuilder strips,
    Viewer viewer,
    TimeProvider clock
) : StripPage(runs, strips, viewer, clock)
{
    public RouteBook Book { get; private set; } = null!;
    public IReadOnlyList<Rule> Rules { get; private set; } = [];
    public Rule? Chosen { get; private set; }
    public WhoQuestion Ask { get; private set; } = new("", "", "", "critical", "");
    public WhoAnswer? Answer { get; private set; }
    public long? Removed { get; private set; }
    public string What { get; private set; } = "";

    public Task<IActionResult> OnGetAsync(
        string? when,
        long? removed,
        string? what,
        string? ask,
        long? rule,
        string? label,
        string? team,
        string? source,
        string? level,
        string? moment
    )
    {
        Begin();
        (Book, Rules, Removed, What) = (routes.Book(), rules.Rules(), removed, what == "calendar" ? "calendar" : "route");
        Ask = new WhoQuestion(label ?? "", team ?? "", source ?? "", level ?? "critical", moment ?? "");
        Chosen = Rules.FirstOrDefault(r => r.Id == rule);
        if (ask is not null)
            Answer = Asked();
        return Show(
            "/alerts/routes",
            when,
            ("ask", ask ?? ""),
            ("rule", rule?.ToString(System.Globalization.CultureInfo.InvariantCulture) ?? ""),
            ("label", Ask.Label),
            ("team", Ask.Team),
            ("source", Ask.Source),
            ("level", level ?? ""),
            ("moment", Ask.Moment)
        );
    }

    private WhoAnswer Asked()
    {
        var at = LocalDateTimePattern.CreateWithInvariantCulture("uuuu-MM-dd'T'HH:mm").Parse(Ask.Moment)
            is { Success: true, Value: var local }
            ? Zone.AtLeniently(local).ToInstant().ToUnixTimeTicks() * 100
            : Now;
        var asked = Ask.Level == "warning" ? AlertLevel.Warning : AlertLevel.Critical;
        var facts = Chosen is { } rule ? AlertFacts.Of(rule, asked) : new AlertFacts("", asked, [], "", []);
        if (Rule.SplitList(Ask.Label) is { Count: > 0 } labels)
            facts = facts with { Labels = labels };
        if (Ask.Team.Trim() is { Length: > 0 } team)
            facts = facts with { Team = team };
        if (Rule.SplitList(Ask.Source) is { Count: > 0 } sources)
            facts = facts with { Sources = sources };
        return new WhoAnswer(facts, at, Chosen?.Recipients ?? [], Book.For(facts, at), Book.QuietFor(facts, at));
    }

    public static string LevelWord(AlertLevel level) => level == AlertLevel.Critical ? "A critical alert" : "A warning";

    public Task<IActionResult> OnPostPauseAsync(long id, bool paused) =>
        Change(() => routes.PauseRoute(id, paused), "/alerts/routes");

    public Task<IActionResult> OnPostRemoveAsync(long id, string? what) =>
        Change(
            () => what == "calendar" ? routes.RemoveCalendar(id, true) : routes.RemoveRoute(id, true),
            FormattableString.Invariant($"/alerts/routes?removed={id}&what={(what == "calendar" ? "calendar" : "route")}")
        );

    public Task<IActionResult> OnPostRestoreAsync(long id, string? what) =>
        Change(() => what == "calendar" ? routes.RemoveCalendar(id, false) : routes.RemoveRoute(id, false), "/alerts/routes");

    private async Task<IActionResult> Change(Func<Task<long>> change, string then)
    {
        if (!MayKeep)
            return StatusCode(403);
        await change();
        return Redirect(then);
    }
}
