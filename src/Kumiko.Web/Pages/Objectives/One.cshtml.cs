using System.Globalization;
using Kumiko.Charts;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using Kumiko.Core.Storage;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering;
using Kumiko.Web.Rendering.Rules;
using Microsoft.AspNetCore.Authorization;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Web.Pages.Objectives;

/// <summary>What the form of an objective holds, as it was typed.</summary>
public sealed class ObjectiveForm
{
    public string? Name { get; set; }
    public string? All { get; set; }
    public string? Good { get; set; }
    public string? Target { get; set; } = "99.5%";
    public int Days { get; set; } = 28;
    public string? Team { get; set; }
    public string? Note { get; set; }
}

/// <summary>One objective: what it asks for, how it stands, how it went.</summary>
public sealed class OneModel(
    ObjectiveStore objectives,
    ObjectiveReader reader,
    RuleStore rules,
    RuleWords words,
    RecordStore records,
    WorkGate gate,
    RunRegistry runs,
    StripBuilder strips,
    Viewer viewer,
    TimeProvider clock,
    IAuthorizationService authorization
) : StripPage(runs, strips, viewer, clock)
{
    private const int Beside = 620;
    private const int PictureHeight = 190;
    private const int StepsDrawn = 168;

    public Objective? Existing { get; private set; }
    public ObjectiveForm Form { get; private set; } = new();
    public IReadOnlyList<string> Faults { get; private set; } = [];
    public ObjectiveNow? Standing { get; private set; }
    public IReadOnlyList<Drawing> Drawings { get; private set; } = [];
    public IReadOnlyList<Rule> OnIt { get; private set; } = [];
    public RuleWords Words => words;

    public async Task<IActionResult> OnGetAsync(long? id, string? when)
    {
        if (!Find(id))
            return NotFound();
        if (Existing is { } of)
            Form = new ObjectiveForm
            {
                Name = of.Name,
                All = of.All,
                Good = of.Good,
                Target = RuleFields.Typed(of.Target, "1"),
                Days = of.Days,
                Team = of.Team,
                Note = of.Note,
            };
        else if (!MayKeep)
            return StatusCode(403);
        return await ShowAll(id, when);
    }

    public async Task<IActionResult> OnPostAsync(long? id, [FromForm] ObjectiveForm form)
    {
        if (!(await authorization.AuthorizeAsync(User, Policies.Keep)).Succeeded)
            return StatusCode(403);
        if (!Find(id))
            return NotFound();
        Form = form;
        var percent = (form.Target ?? "").Replace("%", "").Replace(Format.ThinSpace, "").Trim();
        var target = decimal.TryParse(percent, NumberStyles.AllowDecimalPoint, CultureInfo.InvariantCulture, out var typed)
            ? (double)(typed / 100)
            : double.NaN;
        var objective = new Objective
        {
            Id = Existing?.Id ?? 0,
            Name = (form.Name ?? "").Trim(),
            All = Query(form.All),
            Good = Query(form.Good),
            Target = target,
            Days = form.Days,
            Team = (form.Team ?? "").Trim(),
            Note = (form.Note ?? "").Trim(),
            Zone = Zone.Id,
            Author = Viewer.Id,
        };
        Faults = objective.Faults();
        if (Faults.Count > 0)
            return await ShowAll(id, null);
        var saved = Existing is null ? await objectives.Add(objective) : objective.Id;
        if (Existing is not null)
            await objectives.Change(objective);
        return Redirect(FormattableString.Invariant($"/objectives/{saved}"));
    }

    public async Task<IActionResult> OnPostRemoveAsync(long id)
    {
        if (!(await authorization.AuthorizeAsync(User, Policies.Keep)).Succeeded)
            return StatusCode(403);
        await objectives.Remove(id, true);
        return Redirect(FormattableString.Invariant($"/objectives?removed={id}"));
    }

    private static string Query(string? text) => (text ?? "").ReplaceLineEndings("\n").Trim();

    private bool Find(long? id)
    {
        Begin();
        if (id is { } known)
            Existing = objectives.Find(known);
        return id is null || Existing is not null;
    }

    private async Task<IActionResult> ShowAll(long? id, string? when)
    {
        if (Existing is { } of && when is null)
        {
            OnIt = [.. rules.Rules().Where(r => r.Definition.Quantity.ObjectiveId == of.Id)];
            using var turn = await gate.Enter(Viewer.Name, HttpContext.RequestAborted);
            using var snapshot = records.Current;
            Standing = await reader.Now(of, Now, snapshot, HttpContext.RequestAborted);
            if (Standing.Problem is null)
                Drawings = await Draw(of, snapshot);
        }
        return await Show(id is null ? "/objectives/new" : FormattableString.Invariant($"/objectives/{id}"), when);
    }

    private async Task<IReadOnlyList<Drawing>> Draw(Objective of, Snapshot snapshot)
    {
        try
        {
            // Hours of a week, or four of them.
            var step = of.Days * Instants.Day / StepsDrawn;
            var frame = await reader.History(of, new Window(Now - of.Period, Now), step, snapshot, HttpContext.RequestAborted);
            Frame Only(int column) =>
                new(
                    frame.Schema with
                    {
                        Columns = [frame.Schema.Columns[0], frame.Schema.Columns[column]],
                    },
                    [.. frame.Rows.Select(r => new[] { r[0], r[column] })]
                );
            var view = new ChartView(Viewer.WidthBeside(Beside), PictureHeight, Zone, Now + step);
            return
            [
                .. new[]
                {
                    Chart.Draw(
                        Only(1),
                        new ChartSpec
                        {
                            Form = ChartForms.Area,
                            Title = "Budget left",
                            Thresholds = [new Threshold(0, "all burnt", "critical")],
                        },
                        view
                    ),
                    Chart.Draw(
                        Only(2),
                        new ChartSpec
                        {
                            Form = ChartForms.Line,
                            Title = "Burn rate over an hour",
                            Thresholds = [new Threshold(1, "lasts just the period")],
                        },
                        view
                    ),
                }.OfType<Drawing>(),
            ];
        }
        catch (QueryRefusedException)
        {
            return [];
        }
    }
}
