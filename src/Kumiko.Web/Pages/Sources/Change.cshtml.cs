using Kumiko.Core.Changes;
using Kumiko.Core.Entities;
using Kumiko.Core.Query;
using Kumiko.Core.Sources;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Web.Pages.Sources;

/// <summary>A form for what somebody did that no program told of, and the latest changes.</summary>
public sealed class ChangeModel(
    ChangeStore changes,
    InstanceBook instances,
    SourceBook book,
    RunRegistry runs,
    StripBuilder strips,
    Viewer viewer,
    TimeProvider clock
) : StripPage(runs, strips, viewer, clock)
{
    private const int Shown = 50;

    public static readonly IReadOnlyList<string> Kinds = Change.Kinds;

    public Change Draft { get; private set; } = new("", 0, "", "", "", "", "");
    public string At { get; private set; } = "now";
    public string Share { get; private set; } = "";
    public string? Problem { get; private set; }
    public IReadOnlyList<Change> Latest { get; private set; } = [];

    public Task<IActionResult> OnGetAsync(string? when)
    {
        Latest = changes.Latest(Shown);
        if (Draft.Key.Length == 0)
            Draft = Draft with { Who = Viewer.Name, Kind = Kinds[0] };
        return Show("/sources/change", when);
    }

    public async Task<IActionResult> OnPostAsync(
        string? kind,
        string? what,
        string? place,
        string? from,
        string? to,
        string? who,
        string? at,
        string? rollOut,
        string? share
    )
    {
        if (!MayKeep)
            return StatusCode(403);
        Begin();
        (At, Share) = ((at ?? "").Trim(), (share ?? "").Trim());
        var moment = At is "" or "now" ? Now : TimeRange.Parse(At, Now, Zone)?.Resolve(Now).From;
        Draft = new Change(
            "written-" + Guid.NewGuid().ToString("N"),
            moment ?? 0,
            (what ?? "").Trim(),
            (place ?? "").Trim(),
            (from ?? "").Trim(),
            (to ?? "").Trim(),
            (who ?? "").Trim()
        )
        {
            Scope = ChangeScope.Of((place ?? "").Trim(), instances.KindOf),
            RollOut = (rollOut ?? "").Trim(),
            Share = ChangeReader.ShareOf(Share),
            Kind = kind is not null && Kinds.Contains(kind) && kind != "other" ? kind : "",
            Source = Change.ByPeople,
        };
        Problem = Draft.Problem() ?? (moment is null ? $"“{At}” is no time. Write now, 17:51 or yesterday 5:30." : null);
        if (Problem is not null)
            return await OnGetAsync(null);
        await changes.Add(Draft);
        book.CountChange(Draft.Source, Draft.At);
        book.Recognise(Draft.Source, "a form", "the person who signed in");
        return Redirect("/sources/change");
    }

    public async Task<IActionResult> OnPostRemoveAsync(string? key)
    {
        if (!MayKeep)
            return StatusCode(403);
        await changes.Remove(key ?? "");
        return Redirect("/sources/change");
    }
}
