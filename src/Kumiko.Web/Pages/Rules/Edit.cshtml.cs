using System.Globalization;
using Kumiko.Charts;
using Kumiko.Core.Accounts;
using Kumiko.Core.Delivery;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using Kumiko.Core.Storage;
using Kumiko.Web.Delivery;
using Kumiko.Web.Delivery.Channels;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering;
using Kumiko.Web.Rendering.Rules;
using Microsoft.AspNetCore.Authorization;
using Microsoft.AspNetCore.Mvc;
using NodaTime;

namespace Kumiko.Web.Pages.Rules;

/// <summary>What a rule would have done over a stretch: words and pictures.</summary>
public sealed record TrialPart(
    RuleDefinition? Definition,
    string Sentence,
    Trial Trial,
    Drawing? Drawing,
    Drawing? Curve,
    DateTimeZone Zone,
    int Recipients,
    IReadOnlyList<string> Faults
);

/// <summary>One sentence, filled in, and tried on history while it is.</summary>
[Authorize(Policy = Policies.Keep)]
public sealed class EditModel(
    RuleStore rules,
    RuleWords words,
    ObjectiveStore objectives,
    PeopleStore people,
    RecordStore records,
    RuleTrial trials,
    LimitProposal limits,
    WorkGate gate,
    RunRegistry runs,
    StripBuilder strips,
    Viewer viewer,
    MailSender mail,
    ChannelStore channels,
    TimeProvider clock
) : StripPage(runs, strips, viewer, clock)
{
    private const int PictureHeight = 240;
    private const int CurveHeight = 150;
    private const int Beside = 600;

    public static readonly IReadOnlyList<(string Value, string Words)> Overs =
    [
        ("1d", "the past day"),
        ("7d", "the past 7 days"),
        ("30d", "the past 30 days"),
    ];

    public Rule? Existing { get; private set; }
    public RuleForm Form { get; private set; } = RuleForm.Blank();
    public IReadOnlyList<string> Faults { get; private set; } = [];
    public TrialPart? Trial { get; private set; }
    public IReadOnlyList<Rule> Others { get; private set; } = [];
    public IReadOnlyList<Objective> Objectives { get; private set; } = [];
    public IReadOnlyList<Person> People { get; private set; } = [];
    public IReadOnlyList<string> Teams =>
        [
            .. Others
                .Select(r => r.Team)
                .Where(t => t.Length > 0)
                .Distinct(StringComparer.OrdinalIgnoreCase)
                .Order(StringComparer.OrdinalIgnoreCase),
        ];
    public IReadOnlyList<KeyState> Keys { get; private set; } = [];
    public string AsText { get; private set; } = "";
    public bool CanMail => mail.IsSetUp;

    /// <summary>Where results of checks can go: what takes JSON.</summary>
    public IReadOnlyList<Channel> Hooks { get; private set; } = [];

    public async Task<IActionResult> OnGetAsync(
        long? id,
        string? q,
        string? limit,
        long? like,
        string? ready,
        long? objective,
        string? when
    )
    {
        if (!Find(id))
            return NotFound();
        if (Existing is { } rule)
            Form = RuleForm.OfRule(rule);
        else if (like is { } other && rules.Find(other) is { } copied)
        {
            Form = RuleForm.OfRule(copied);
            Form.Name = copied.Name + ", copy";
        }
        else if (ReadyRules.Find(ready) is { } made)
            Form = RuleForm.OfReady(made);
        else
        {
            await Propose(q ?? "", limit, objective);
            Form.MailTo = Viewer.Person?.Email;
        }
        return await Show(id, when);
    }

    public async Task<IActionResult> OnPostAsync(long? id, [FromForm] RuleForm form)
    {
        if (!Find(id))
            return NotFound();
        Form = form.Take(Request.Form);
        var rule = Read(form, out var faults);
        if (faults.Count > 0)
        {
            Faults = faults;
            return await Show(id, null);
        }
        if (Existing is null)
            await rules.Add(rule);
        else
        {
            await rules.Change(rule);
            if (Existing.Paused != rule.Paused)
                await rules.Pause(rule.Id, rule.Paused, Viewer.Name);
        }
        return Redirect("/alerts");
    }

    /// <summary>The trial alone, while the form is filled in.</summary>
    public async Task<IActionResult> OnPostTrialAsync(long? id, [FromForm] RuleForm form)
    {
        if (!Find(id))
            return NotFound();
        Form = form.Take(Request.Form);
        return Partial("_Trial", await TrialOf(form));
    }

    /// <summary>Fills the form from the sentence as text.</summary>
    public async Task<IActionResult> OnPostTextAsync(long? id, [FromForm] RuleForm form, [FromForm] string? text)
    {
        if (!Find(id))
            return NotFound();
        Form = form.Take(Request.Form);
        var (definition, problem) = RuleTextReader.Read(text ?? "");
        AsText = text ?? "";
        if (definition is null)
            Faults = [problem!];
        else
        {
            var filled = RuleForm.OfDefinition(definition);
            (
                filled.Name,
                filled.Note,
                filled.Runbook,
                filled.Labels,
                filled.Owner,
                filled.Team,
                filled.FollowUp,
                filled.MailTo,
                filled.Onward,
                filled.On,
                filled.Over
            ) = (
                form.Name,
                form.Note,
                form.Runbook,
                form.Labels,
                form.Owner,
                form.Team,
                form.FollowUp,
                form.MailTo,
                form.Onward,
                form.On,
                form.Over
            );
            Form = filled;
            AsText = "";
        }
        ModelState.Clear();
        return await Show(id, null);
    }

    private bool Find(long? id)
    {
        Begin();
        Hooks = [.. channels.All().Where(c => c.Settings is WebhookSettings)];
        if (id is { } known)
            Existing = rules.Find(known);
        Others = [.. rules.Rules().Where(r => r.Id != id)];
        Objectives = objectives.All();
        People = people.All();
        if (Existing is not null)
            Keys = rules.KeysOf(Existing.Id);
        return id is null || Existing is not null;
    }

    private static string Path(long? id) => id is null ? "/rules/new" : FormattableString.Invariant($"/rules/{id}");

    private async Task<IActionResult> Show(long? id, string? when)
    {
        if (when is null)
            Trial = await TrialOf(Form);
        if (AsText.Length == 0 && Trial?.Definition is { } definition)
            AsText = RuleText.Print(definition);
        return await Show(
            Path(id),
            when,
            ("q", (string?)Request.Query["q"] ?? ""),
            ("limit", (string?)Request.Query["limit"] ?? ""),
            ("like", (string?)Request.Query["like"] ?? ""),
            ("ready", (string?)Request.Query["ready"] ?? ""),
            ("objective", (string?)Request.Query["objective"] ?? "")
        );
    }

    /// <summary>A query or an objective as a rule's quantity, with limits that suit it.</summary>
    private async Task Propose(string query, string? limit, long? objective)
    {
        if (objective is { } id)
        {
            Form.Fields.Put(new BurnRate(id, ObjectiveReader.Short));
            (Form.InTheLast, Form.Fields.Critical, Form.Name) = ("1h", "6", $"{objectives.Find(id)?.Name} burns fast");
        }
        else
        {
            var proposal = RuleProposal.Of(query);
            Form.Fields.Put(proposal.Quantity);
            (Form.Keys, Form.InTheLast, Form.Name) = (
                string.Join(", ", proposal.Keys),
                proposal.Step ?? Form.InTheLast,
                proposal.Name
            );
        }
        if (
            limit is not null
            && double.TryParse(limit, NumberStyles.Float, CultureInfo.InvariantCulture, out var at)
            && double.IsFinite(at)
        )
            (Form.Fields.Warning, Form.Fields.Critical) = (RuleFields.Typed(at, ""), null);
        else if (objective is null)
            await ProposeLimits();
    }

    private async Task ProposeLimits()
    {
        (Form.Fields.Warning, Form.Fields.Critical) = ("20", "60");
        try
        {
            using var turn = await gate.Enter(Viewer.Name, HttpContext.RequestAborted);
            using var snapshot = records.Current;
            var definition = new RuleFormReader(Form).Definition(Zone);
            var window = new Window(Now - Instants.Day, Now);
            if (await limits.Of(definition, window, snapshot, HttpContext.RequestAborted) is { } found)
                (Form.Fields.Warning, Form.Fields.Critical) = (
                    RuleFields.Typed(found.Warning, ""),
                    RuleFields.Typed(found.Critical, "")
                );
        }
        catch (QueryRefusedException)
        { /* the trial says why */
        }
    }

    private Rule Read(RuleForm form, out List<string> faults)
    {
        var reader = new RuleFormReader(form);
        // Who changes a rule from elsewhere does not move its hours.
        var definition = reader.Definition(Existing?.Definition.TimeZone ?? Zone);
        faults = [.. reader.Faults];
        var mails = (form.MailTo ?? "").Split(
            [',', ';', ' '],
            StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries
        );
        foreach (var address in mails.Where(m => !MailAddresses.IsValid(m)))
            faults.Add($"“{address}” is no mail address.");
        if (mails.Length > 20)
            faults.Add("A rule can tell 20 addresses.");
        var rule = new Rule
        {
            Id = Existing?.Id ?? 0,
            Name = (form.Name ?? "").Trim(),
            Definition = definition,
            Note = (form.Note ?? "").Trim(),
            Runbook = (form.Runbook ?? "").ReplaceLineEndings("\n").Trim(),
            Labels = string.Join(", ", Rule.SplitList(form.Labels ?? "")),
            Owner =
                long.TryParse(form.Owner, NumberStyles.None, CultureInfo.InvariantCulture, out var owner)
                && People.Any(p => p.Id == owner)
                    ? owner
                    : null,
            Team = (form.Team ?? "").Trim(),
            FollowUp = (form.FollowUp ?? "").ReplaceLineEndings("\n").Trim(),
            MailTo = string.Join(", ", mails),
            Onward = string.Join(
                ", ",
                form.Onward.Where(o => o == Rule.OnwardMetric || Hooks.Any(h => o == h.Id.ToString(CultureInfo.InvariantCulture)))
            ),
            Author = Viewer.Id,
            Paused = !form.On,
        };
        if (faults.Count == 0)
            faults.AddRange(rule.Faults());
        return rule;
    }

    private async Task<TrialPart> TrialOf(RuleForm form)
    {
        var rule = Read(form, out var faults);
        var length = form.Over switch
        {
            "1d" => Instants.Day,
            "30d" => RuleTrial.Longest,
            _ => 7 * Instants.Day,
        };
        var window = new Window(Now - length, Now);
        var none = new Trial(window, new RuleMeasurements([], [], 0), []);
        // A name may still be missing while the limits are tried.
        var wrong = faults.Where(f => !f.Contains("a name", StringComparison.Ordinal)).ToList();
        if (wrong.Count > 0)
            return new TrialPart(null, "", none, null, null, Zone, 0, wrong);
        var (definition, sentence) = (rule.Definition, words.Sentence(rule.Definition, Existing?.Unit ?? ""));
        try
        {
            using var turn = await gate.Enter(Viewer.Name, HttpContext.RequestAborted);
            using var snapshot = records.Current;
            var trial = await trials.Of(definition, window, snapshot, HttpContext.RequestAborted);
            var width = Viewer.WidthBeside(Beside);
            return new TrialPart(
                definition,
                sentence,
                trial,
                TrialPicture.Draw(
                    definition,
                    trial,
                    width,
                    PictureHeight,
                    Zone,
                    Now,
                    [.. trial.Disturbances.Select(d => d.Known)]
                ),
                TrialPicture.Curve(definition, trial, width, CurveHeight),
                Zone,
                rule.Recipients.Count,
                []
            );
        }
        catch (QueryRefusedException e)
        {
            return new TrialPart(definition, sentence, none, null, null, Zone, 0, [e.Message]);
        }
    }
}
