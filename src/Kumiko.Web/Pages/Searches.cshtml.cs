using Kumiko.Core.Evaluation;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Searches;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using NodaTime;

namespace Kumiko.Web.Pages;

/// <summary>Searches that are kept, what was asked lately, and frozen answers.</summary>
public sealed class SearchesModel(
    SearchStore searches,
    RunRegistry runs,
    QuerySources sources,
    Viewer viewer,
    ToldProblems problems,
    TimeProvider clock
) : PageModel
{
    public string Show { get; private set; } = "kept";
    public string Find { get; private set; } = "";
    public IReadOnlyList<KeptSearch> Kept { get; private set; } = [];
    public IReadOnlyList<AskedSearch> Asked { get; private set; } = [];
    public IReadOnlyList<FrozenResult> Frozen { get; private set; } = [];
    public IReadOnlyList<string> Tags { get; private set; } = [];
    public string? Problem { get; private set; }

    /// <summary>What was just taken away and can be brought back: its kind and id.</summary>
    public (string Kind, string Id)? Removed { get; private set; }

    public long Now { get; private set; }
    public DateTimeZone Zone { get; private set; } = DateTimeZone.Utc;
    public bool MayKeep => viewer.MayKeep;

    public bool IsMine(KeptSearch search) => search.Author == viewer.Id;

    public void OnGet(string? tab, string? find, string? removed, string? kind, string? problem)
    {
        (Now, Zone) = (Instants.FromDateTime(clock.GetUtcNow()), viewer.Zone(null));
        Show = tab is "asked" or "frozen" or "charts" ? tab : "kept";
        Find = (find ?? "").Trim();
        Problem = problems.Find(viewer.Id, problem);
        if (removed is { Length: > 0 and <= 40 } && kind is "kept" or "frozen" or "charts")
            Removed = (kind!, removed!);
        bool Holds(params string[] texts) =>
            Find.Length == 0 || texts.Any(t => t.Contains(Find, StringComparison.OrdinalIgnoreCase));
        var kept = searches.Kept(viewer.Id, Show == "charts" ? KeptKind.Chart : KeptKind.Search);
        Tags = [.. kept.SelectMany(k => k.TagList).Distinct().Order(StringComparer.Ordinal)];
        Kept = [.. kept.Where(k => Holds(k.Name, k.Note, k.Query, k.Tags, k.AuthorName))];
        Asked = Show == "asked" ? [.. searches.Asked(viewer.Id).Where(a => Holds(a.Query))] : [];
        Frozen = Show == "frozen" ? [.. searches.Frozen(viewer.Id).Where(f => Holds(f.Title))] : [];
    }

    public async Task<IActionResult> OnPostKeepAsync(
        string? name,
        string? note,
        string? tags,
        string? address,
        bool withTime,
        bool shared
    )
    {
        if (!viewer.MayKeep)
            return StatusCode(403);
        var view = Read(address);
        if (!withTime)
            view = view with { Focus = SearchAddress.DefaultFocus, Span = null };
        var search = new KeptSearch
        {
            Name = (name ?? "").Trim(),
            Note = (note ?? "").Trim(),
            Tags = KeptSearch.ReadTags(tags),
            Address = view.Url(""),
            Query = view.Query,
            Shared = shared,
            Author = viewer.Id,
        };
        if (search.Problem() is { } problem)
            return Refused(problem);
        var id = await searches.Keep(search);
        return Redirect(Read(address).Url("/search", ("kept", id.ToString(System.Globalization.CultureInfo.InvariantCulture))));
    }

    public async Task<IActionResult> OnPostChangeAsync(
        long id,
        string? name,
        string? note,
        string? tags,
        string? query,
        bool shared
    )
    {
        if (!viewer.MayKeep)
            return StatusCode(403);
        if (searches.FindKept(id, viewer.Id) is not { } known || !IsMine(known))
            return NotFound();
        // A chart's address is its own; here only what it is called is changed.
        if (known.Kind == KeptKind.Chart)
        {
            var chart = new KeptSearch
            {
                Id = id,
                Kind = known.Kind,
                Name = (name ?? "").Trim(),
                Note = (note ?? "").Trim(),
                Tags = KeptSearch.ReadTags(tags),
                Address = known.Address,
                Query = known.Query,
                Shared = shared,
                Author = viewer.Id,
            };
            if (chart.Problem() is { } fault)
                return Refused(fault);
            await searches.Change(chart);
            return Redirect(Listed(known.Kind));
        }
        var view = Read(known.Address) with { Query = (query ?? "").ReplaceLineEndings("\n").Trim() };
        if (QueryParser.Parse(view.Query, sources.Sets.Names()) is { Ok: false } wrong)
            return Refused("The query has an error: " + wrong.Errors[0].Describe(wrong.Text));
        var search = new KeptSearch
        {
            Id = id,
            Name = (name ?? "").Trim(),
            Note = (note ?? "").Trim(),
            Tags = KeptSearch.ReadTags(tags),
            Address = view.Url(""),
            Query = view.Query,
            Shared = shared,
            Author = viewer.Id,
        };
        if (search.Problem() is { } problem)
            return Refused(problem);
        await searches.Change(search);
        return Redirect("/searches");
    }

    public async Task<IActionResult> OnPostCopyAsync(long id)
    {
        if (!viewer.MayKeep)
            return StatusCode(403);
        if (searches.FindKept(id, viewer.Id) is not { } known)
            return NotFound();
        var name = known.Name.Length > KeptSearch.LongestName - 8 ? known.Name[..(KeptSearch.LongestName - 8)] : known.Name;
        await searches.Keep(
            new KeptSearch
            {
                Kind = known.Kind,
                Name = name + ", copy",
                Note = known.Note,
                Tags = known.Tags,
                Address = known.Address,
                Query = known.Query,
                Shared = false,
                Author = viewer.Id,
            }
        );
        return Redirect(Listed(known.Kind));
    }

    public async Task<IActionResult> OnPostRemoveAsync(string id, string kind, bool back)
    {
        var done =
            kind == "frozen"
                ? await searches.RemoveFrozen(id, !back, viewer.Id)
                : long.TryParse(id, out var number) && await searches.Remove(number, !back, viewer.Id);
        if (!done)
            return NotFound();
        string tab;
        if (kind == "frozen")
            tab = "?tab=frozen&";
        else if (kind == "charts")
            tab = "?tab=charts&";
        else
            tab = "?";
        return Redirect("/searches" + tab + (back ? "" : $"removed={Uri.EscapeDataString(id)}&kind={kind}"));
    }

    public async Task<IActionResult> OnPostForgetAsync()
    {
        await searches.Forget(viewer.Id);
        return Redirect("/searches?tab=asked");
    }

    /// <summary>The answer of a view as it is now, under a link of its own.</summary>
    public async Task<IActionResult> OnPostFreezeAsync(string? name, string? address)
    {
        if (!viewer.MayKeep)
            return StatusCode(403);
        var (view, now) = (Read(address), Instants.FromDateTime(clock.GetUtcNow()));
        var parsed = QueryParser.Parse(view.Query, sources.Sets.Names());
        if (!parsed.Ok)
            return Refused("A query with errors has no answer to freeze.");
        var zone = viewer.Zone(view.Zone);
        var run = runs.Shared(
            new Question(viewer.Name, parsed, view.Focus.Resolve(now), now, zone, Limits.Default)
            {
                Parameters = view.Parameters.ToDictionary(p => p.Name, p => p.Value, StringComparer.Ordinal),
            }
        );
        try
        {
            var (content, rows, more) = await FrozenRows.Of(run, HttpContext.RequestAborted);
            var window = run.Question.Window;
            string title;
            if ((name ?? "").Trim() is { Length: > 0 } given)
                title = given;
            else if (view.Query.Length == 0)
                title = "All records";
            else
                title = view.Query.Split('\n')[0];
            var id = await searches.Freeze(
                new FrozenResult
                {
                    Title = title.Length > KeptSearch.LongestName ? title[..KeptSearch.LongestName] : title,
                    Address = (view with { Focus = new TimeRange(Moment.At(window.From), Moment.At(window.To)) }).Url(""),
                    Words = Charts.Format.Stretch(window.From, window.To, zone, now) + ", " + zone.Id,
                    Rows = rows,
                    More = more,
                    Author = viewer.Id,
                },
                content
            );
            return Redirect("/frozen/" + id);
        }
        catch (QueryRefusedException e)
        {
            return Refused(e.Message);
        }
    }

    private RedirectResult Refused(string problem) => Redirect("/searches?problem=" + problems.Keep(viewer.Id, problem));

    private SearchAddress Read(string? address) => SearchAddress.OfText(address, Instants.FromDateTime(clock.GetUtcNow()));

    private static string Listed(string kind) => kind == KeptKind.Chart ? "/searches?tab=charts" : "/searches";

    /// <summary>A kept search as an address of Search.</summary>
    public string UrlOf(string address) => "/search" + address;

    public string UrlOf(KeptSearch kept) => KeptKind.Path(kept.Kind) + kept.Address;
}
