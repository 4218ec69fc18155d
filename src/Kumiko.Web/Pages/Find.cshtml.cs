using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Searches;
using Kumiko.Core.Tables;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Kumiko.Web.Pages;

/// <summary>Something that was found by name.</summary>
/// <param name="Kind">What it is.</param>
public sealed record FoundThing(string Kind, string Name, string? Detail, string Url);

/// <summary>Finds kept searches, what was asked lately, fields, services, sources and screens by a part of their name.</summary>
public sealed class FindModel(
    SearchStore searches,
    RunRegistry runs,
    LookupTables tables,
    ServerOptions options,
    Viewer viewer,
    TimeProvider clock
) : PageModel
{
    private const int MostOfKind = 8;

    /// <summary>In this stretch fields and services are looked for.</summary>
    private const long Lately = Instants.Hour;

    public IReadOnlyList<FoundThing> Found { get; private set; } = [];

    public async Task OnGetAsync(string? what)
    {
        what = (what ?? "").Trim();
        if (what.Length > 100)
            return;
        bool Named(string name) => what.Length == 0 || name.Contains(what, StringComparison.OrdinalIgnoreCase);
        var found = new List<FoundThing>();
        found.AddRange(Screens().Where(s => Named(s.Name)));
        found.AddRange(
            searches
                .Kept(viewer.Id)
                .Where(k => Named(k.Name) || Named(k.Tags) || (what.Length > 0 && Named(k.Query)))
                .Take(MostOfKind)
                .Select(k => new FoundThing(
                    k.Kind == KeptKind.Chart ? "kept chart" : "kept search",
                    k.Name,
                    k.Query.ReplaceLineEndings(" "),
                    KeptKind.Path(k.Kind) + k.Address
                ))
        );
        found.AddRange(
            searches
                .Asked(viewer.Id)
                .Where(a => Named(a.Query))
                .Take(what.Length == 0 ? 5 : MostOfKind)
                .Select(a => new FoundThing("asked", a.Query.ReplaceLineEndings(" "), null, "/search" + a.Address))
        );
        if (what.Length > 0)
        {
            found.AddRange(
                searches
                    .Frozen(viewer.Id)
                    .Where(f => Named(f.Title))
                    .Take(MostOfKind)
                    .Select(f => new FoundThing(
                        f.Kind == KeptKind.Chart ? "frozen chart" : "frozen answer",
                        f.Title,
                        f.Words,
                        "/frozen/" + f.Id
                    ))
            );
            var now = Instants.FromDateTime(clock.GetUtcNow());
            // To the next whole minute, so that letters typed one after the other share a run.
            var window = TimeRange.Last(Lately).Resolve((now / Instants.Minute * Instants.Minute) + Instants.Minute);
            var run = runs.Shared(
                new Question(viewer.Name, ParseResult.Empty, window, now, viewer.Zone(null), Core.Evaluation.Limits.Default)
            );
            foreach (var (kind, field) in new[] { ("service", "service"), ("host", "host") })
                found.AddRange(
                    ((await run.Field(field, null, 200))?.Top ?? [])
                        .Where(v => Named(v.Value.ToText()))
                        .Take(MostOfKind)
                        .Select(v => new FoundThing(
                            kind,
                            v.Value.ToText(),
                            null,
                            Asking(QueryEdits.With("", field, v.Value, false).Text)
                        ))
                );
            found.AddRange(
                (await run.Presence())
                    .Where(f => Named(f.Name))
                    .Take(MostOfKind)
                    .Select(f => new FoundThing("field", f.Name, "count by it", Asking(QueryEdits.CountBy("", f.Name))))
            );
            found.AddRange(
                tables
                    .Names()
                    .Where(Named)
                    .Take(MostOfKind)
                    .Select(t => new FoundThing("look-up table", t, null, Asking("from " + t)))
            );
            found.Add(
                new FoundThing(
                    "search",
                    what,
                    "in the last 3 hours",
                    Asking(QueryPrinter.PrintMatch(new Term(what, !QueryParser.Parse(what).Ok)))
                )
            );
        }
        Found = found;
    }

    private static string Asking(string query) => new SearchAddress { Query = query }.Url();

    private IEnumerable<FoundThing> Screens()
    {
        yield return new("screen", "Search", "what was written", "/search");
        yield return new("screen", "Charts", "how quantities move and relate", "/charts");
        yield return new("screen", "Alerts", "rules and alerts", "/alerts");
        yield return new("screen", "Sources", "what comes in, refused things, tokens", "/sources");
        yield return new("screen", "Connect a sender", null, "/sources/connect");
        yield return new("screen", "Write down a change", null, "/sources/change");
        yield return new("screen", "Kept searches", null, "/searches");
        foreach (var more in options.MoreSections)
            yield return new("screen", more.Name, "demo", more.Path);
    }
}
