using Kumiko.Charts;
using Kumiko.Core.Query;
using Kumiko.Core.Query.Metrics;
using Kumiko.Core.Storage.Metrics;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Web.Pages.Sources;

/// <summary>The catalogue of metrics: what is measured, by whom, and when last.</summary>
public sealed class MetricsModel(
    MetricStore store,
    MetricCatalogue catalogue,
    RunRegistry runs,
    StripBuilder strips,
    Viewer viewer,
    TimeProvider clock
) : StripPage(runs, strips, viewer, clock)
{
    private const string Path = "/sources/metrics";

    /// <summary>The words that were searched for.</summary>
    public string Words { get; private set; } = "";
    public IReadOnlyList<MetricEntry> Entries { get; private set; } = [];
    public int All { get; private set; }

    /// <summary>How many series one metric may have.</summary>
    public int MostSeries => store.Book.Most;

    /// <summary>The one that is unfolded.</summary>
    public MetricDetails? Open { get; private set; }

    public Task<IActionResult> OnGetAsync(string? find, string? name, string? when)
    {
        Words = find?.Trim() ?? "";
        var all = catalogue.All();
        All = all.Count;
        Entries = [.. all.Where(e => e.Has(Words))];
        Open = name is null ? null : catalogue.Details(name);
        return Show(Path, when);
    }

    /// <summary>To a chart of a metric: as its kind calls for, by the attribute that parts it best.</summary>
    public IActionResult OnGetDraw(string? name) =>
        catalogue.QueryFor(name ?? "") is { Length: > 0 } query ? Redirect((Begin() with { Query = query }).Url()) : NotFound();

    /// <summary>The page with a metric unfolded, or folded where it is.</summary>
    public string Unfold(string name) => Address(("find", Words), ("name", Open?.Name == name ? "" : name));

    public string Draw(string name) => Address(("handler", "Draw"), ("name", name));

    private string Address(params (string, string)[] more) => Begin().Url(Path, more);

    /// <summary>Its last value with its unit.</summary>
    public static string Last(MetricEntry entry) =>
        double.IsNaN(entry.LastValue) || entry.LastTime == 0 ? "–" : ChartUnit.Of(entry.Unit).Text(entry.LastValue);
}
