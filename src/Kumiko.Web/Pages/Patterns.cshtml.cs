using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Patterns;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Patterns;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using NodaTime;

namespace Kumiko.Web.Pages;

/// <summary>Patterns that are put aside or have a name, and what is done with chosen ones.</summary>
public sealed class PatternsModel(
    PatternNoteStore notes,
    RecordStore records,
    RunRegistry runs,
    Viewer viewer,
    ToldProblems problems,
    TimeProvider clock
) : PageModel
{
    private const int MostChosen = 200;

    public IReadOnlyList<PatternAside> Aside { get; private set; } = [];
    public IReadOnlyList<PatternCalled> Called { get; private set; } = [];
    public DateTimeZone Zone { get; private set; } = DateTimeZone.Utc;
    public string? Problem { get; private set; }
    public bool MayKeep => viewer.MayKeep;

    /// <summary>The pattern of a name, as it is known today; null where its records never came here.</summary>
    public Pattern? Of(string pattern) => records.Patterns.Find(pattern);

    public void OnGet(string? problem)
    {
        (Zone, Problem) = (viewer.Zone(null), problems.Find(viewer.Id, problem));
        (Aside, Called) = (notes.Aside(viewer.Id), notes.Called(viewer.Id));
    }

    /// <summary>Only the chosen patterns, or all but them.</summary>
    public IActionResult OnPostPick(string[]? pattern, string? address, string? act)
    {
        var view = Read(address);
        var chosen = Chosen(pattern);
        return Redirect(chosen.Count == 0 ? view.Url() : GatherPart.With(view, chosen, act == "without"));
    }

    /// <summary>Puts the chosen patterns aside.</summary>
    public async Task<IActionResult> OnPostAsideAsync(string[]? pattern, string? address, string? reason, int? days, bool all)
    {
        if (all && !viewer.MayKeep)
            return StatusCode(403);
        var view = Read(address);
        var now = Instants.FromDateTime(clock.GetUtcNow());
        var chosen = Chosen(pattern);
        if (chosen.Count == 0)
            return Refused("Choose the patterns first, by the boxes before them.");
        var hourly = await Hourly(view.Focus.Resolve(now), now);
        var asides = chosen
            .Select(name => new PatternAside
            {
                Pattern = name,
                Person = all ? 0 : viewer.Id,
                Reason = (reason ?? "").Trim(),
                Until = days is > 0 and <= 3_650 ? now + (days.Value * Instants.Day) : null,
                Hourly = hourly.GetValueOrDefault(records.Patterns.Today(name)),
                Author = viewer.Id,
            })
            .ToList();
        if (asides[0].Problem(now) is { } problem)
            return Refused(problem);
        await notes.PutAside(asides);
        return Redirect(view.Url());
    }

    public async Task<IActionResult> OnPostBackAsync(string? pattern, string? address, bool all)
    {
        if (all && !viewer.MayKeep)
            return StatusCode(403);
        await notes.BringBack(pattern ?? "", all ? 0 : viewer.Id);
        return Redirect(address is null ? "/patterns" : Read(address).Url());
    }

    /// <summary>Gives a pattern a name, or takes it away.</summary>
    public async Task<IActionResult> OnPostCallAsync(string? pattern, string? address, string? name, bool all)
    {
        if (all && !viewer.MayKeep)
            return StatusCode(403);
        name = (name ?? "").Trim();
        if (name.Length > PatternCalled.Longest)
            return Refused($"A name can have {PatternCalled.Longest} characters. Shorten it.");
        if (Chosen([pattern ?? ""]) is not [var known])
            return NotFound();
        await notes.Call(known, all ? 0 : viewer.Id, name, viewer.Id);
        return Redirect(address is null ? "/patterns" : Read(address).Url());
    }

    private RedirectResult Refused(string problem) =>
        Redirect("/patterns?problem=" + Uri.EscapeDataString(problems.Keep(viewer.Id, problem)));

    /// <summary>The ids among what was sent.</summary>
    private static IReadOnlyList<string> Chosen(string[]? patterns) =>
        [.. (patterns ?? []).Where(p => PatternBook.Id(p) is not null).Distinct().Take(MostChosen)];

    /// <summary>How many records of each pattern there are in an hour of a window.</summary>
    private async Task<IReadOnlyDictionary<string, double>> Hourly(Window window, long now)
    {
        var run = runs.Shared(
            new Question(viewer.Name, ParseResult.Empty, window, now, viewer.Zone(null), Core.Evaluation.Limits.Default)
        );
        using var reading = run.Attach(HttpContext.RequestAborted);
        var hours = Math.Max(1e-9, (double)window.Length / Instants.Hour);
        return (await run.Gather(null))
            .Patterns.Where(p => p.Pattern is not null)
            .ToDictionary(p => p.Pattern!.Name, p => p.Count / hours, StringComparer.Ordinal);
    }

    private SearchAddress Read(string? address) => SearchAddress.OfText(address, Instants.FromDateTime(clock.GetUtcNow()));
}
