using Kumiko.Charts;
using Kumiko.Core.Accounts;
using Kumiko.Core.Frames;
using Kumiko.Core.Query;
using Kumiko.Core.Rules;
using Kumiko.Core.Storage;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering;
using Kumiko.Web.Rendering.Rules;
using Microsoft.AspNetCore.Authorization;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Web.Pages.Alerts;

/// <summary>Alerts and rules in one list: what is open, what was, and what is well.</summary>
public sealed class IndexModel(
    RuleStore rules,
    RecordStore records,
    RuleWords words,
    PeopleStore people,
    RuleLoad load,
    RunRegistry runs,
    StripBuilder strips,
    Viewer viewer,
    TimeProvider clock,
    IAuthorizationService authorization
) : StripPage(runs, strips, viewer, clock)
{
    private const int MostAlerts = 300;
    private const int MostEnded = 60;

    public IReadOnlyList<AlertLine> Lines { get; private set; } = [];
    public IReadOnlyList<(string State, int Count)> States { get; private set; } = [];
    public AlertFilter Filter { get; private set; } = new();
    public IReadOnlyList<string> Labels { get; private set; } = [];
    public IReadOnlyList<string> Owners { get; private set; } = [];
    public IReadOnlyList<string> Teams { get; private set; } = [];
    public int Open { get; private set; }

    /// <summary>Open alerts that the list has no room for.</summary>
    public int LeftOut { get; private set; }
    public int RuleCount { get; private set; }
    public RuleWords Words => words;
    public long? Removed { get; private set; }
    public string Load => load.Words;

    public async Task<IActionResult> OnGetAsync(
        string? when,
        long? removed,
        string[] state,
        string? label,
        string? owner,
        string? team,
        string? text
    )
    {
        Begin();
        var (allRules, alerts) = (rules.Rules(), rules.Alerts.All(MostAlerts));
        var names = allRules.Select(r => r.Owner).OfType<long>().Distinct().ToDictionary(o => o, o => people.Find(o)?.Name ?? "");
        Filter = new AlertFilter
        {
            States = [.. state.Where(s => s.Length > 0)],
            Label = label ?? "",
            Owner = owner ?? "",
            Team = team ?? "",
            Text = (text ?? "").Trim(),
        };
        var all = AlertLines.Of(allRules, alerts);
        States =
        [
            .. AlertLines
                .Order.Select(s => s.ToString().ToLowerInvariant())
                .Append(AlertLines.Ended)
                .Select(s => (s, all.Count(l => AlertLines.StateOf(l) == s)))
                .Where(s => s.Item2 > 0 || Filter.States.Contains(s.Item1)),
        ];
        Labels =
        [
            .. allRules.SelectMany(r => r.LabelList).Distinct(StringComparer.Ordinal).Order(StringComparer.OrdinalIgnoreCase),
        ];
        Teams =
        [
            .. allRules
                .Select(r => r.Team)
                .Where(t => t.Length > 0)
                .Distinct(StringComparer.OrdinalIgnoreCase)
                .Order(StringComparer.OrdinalIgnoreCase),
        ];
        Owners =
        [
            .. allRules
                .Select(r => r.Owner)
                .OfType<long>()
                .Distinct()
                .Select(o => names.GetValueOrDefault(o, ""))
                .Where(o => o.Length > 0)
                .Order(StringComparer.OrdinalIgnoreCase),
        ];
        var shown = AlertLines.Filtered(all, Filter, names);
        var ended = 0;
        Lines = [.. shown.Where(l => !l.IsEnded || ++ended <= MostEnded)];
        (Open, RuleCount) = (rules.Alerts.CountOpen(), allRules.Count);
        LeftOut = Open - alerts.Count(a => a.IsOpen);
        Removed = removed;
        return await Show(
            "/alerts",
            when,
            [
                .. state.Select(s => ("state", s)),
                ("label", label ?? ""),
                ("owner", owner ?? ""),
                ("team", team ?? ""),
                ("text", text ?? ""),
            ]
        );
    }

    /// <summary>Whether records that the last check of a rule looked for are damaged.</summary>
    public bool LacksRecords(Rule rule) =>
        rule.Checked is { } at
        && records.DamageIn(new Window(at - rule.Definition.InTheLast - rule.Definition.Delay, at)).Count > 0;

    public string OwnerOf(AlertLine line) => line.Rule?.Owner is { } id ? people.Find(id)?.Name ?? "" : "";

    /// <summary>The page with one state more, or less.</summary>
    public string WithState(string state)
    {
        var states = Filter.States.Contains(state) ? Filter.States.Where(s => s != state) : Filter.States.Append(state);
        var parts = states
            .Select(s => ("state", s))
            .Concat([("label", Filter.Label), ("owner", Filter.Owner), ("team", Filter.Team), ("text", Filter.Text)])
            .Where(p => p.Item2.Length > 0)
            .Select(p => $"{p.Item1}={Uri.EscapeDataString(p.Item2)}");
        return string.Join('&', parts) is { Length: > 0 } query ? "/alerts?" + query : "/alerts";
    }

    /// <summary>What an alert is in one sentence.</summary>
    public static string ValueText(Alert alert) =>
        RuleWords.ValueSentence(
            alert.Definition,
            alert.Unit,
            "",
            alert.Level,
            alert.IsOpen ? alert.Value : alert.Worst,
            alert.Compared
        );

    public Task<IActionResult> OnPostPauseAsync(long id, bool paused) =>
        Change(() => rules.Pause(id, paused, Viewer.Name), "/alerts");

    public Task<IActionResult> OnPostRemoveAsync(long id) =>
        Change(() => rules.Remove(id, true, Viewer.Name), FormattableString.Invariant($"/alerts?removed={id}"));

    public Task<IActionResult> OnPostRestoreAsync(long id) => Change(() => rules.Remove(id, false, Viewer.Name), "/alerts");

    public Task<IActionResult> OnPostAcknowledgeAsync(long id) =>
        Change(() => rules.Alerts.Acknowledge(id, Viewer.Name), "/alerts");

    private async Task<IActionResult> Change<T>(Func<Task<T>> change, string then)
    {
        if (!(await authorization.AuthorizeAsync(User, Policies.Keep)).Succeeded)
            return StatusCode(403);
        await change();
        return Redirect(then);
    }
}
