using Kumiko.Charts;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Sources;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Web.Pages.Sources;

/// <summary>What comes in, from where.</summary>
public sealed class IndexModel(
    SourceBook book,
    SourceDays days,
    RunRegistry runs,
    StripBuilder strips,
    Viewer viewer,
    TimeProvider clock
) : StripPage(runs, strips, viewer, clock)
{
    private const long SilentAfter = 5 * Instants.Minute;

    public IReadOnlyList<SourceState> All { get; private set; } = [];

    /// <summary>Counts by day; null while they are not counted yet.</summary>
    public IReadOnlyDictionary<string, long[]>? Daily { get; private set; }

    public Task<IActionResult> OnGetAsync(string? when)
    {
        All = Shown();
        return Show("/sources", when);
    }

    public async Task<IActionResult> OnGetRowsAsync()
    {
        Begin();
        Daily = await days.Of(Viewer.Name, Now, Zone);
        All = Shown();
        return Partial("_Sources", this);
    }

    // By name, so that a row stays where it is while rates change.
    private IReadOnlyList<SourceState> Shown() => [.. book.All().OrderBy(s => s.Name, StringComparer.OrdinalIgnoreCase)];

    /// <summary>Whether a source that sent steadily within the hour has stopped.</summary>
    public bool IsSilent(SourceState source) =>
        source.LastSeen > 0 && Now - source.LastSeen > SilentAfter && source.LastHour.Count(m => m > 0) >= 10;

    public string Ago(long time)
    {
        if (time == 0)
            return "never";
        if (Now - time < 2 * Instants.Second)
            return "now";
        if (Now - time < 20 * Instants.Hour)
            return Format.Duration(Seconds(Now - time)) + " ago";
        return Format.Moment(time, Zone);
    }

    private static double Seconds(long nanoseconds) => nanoseconds / Instants.Second * (double)Instants.Second;

    /// <summary>What a source holds, in words: <c>12 records, 3 samples</c>.</summary>
    public static string ContentText(SourceState source) =>
        string.Join(
            ", ",
            new[]
            {
                source.Records > 0 ? Format.Count(source.Records, "record", "records") : null,
                source.Samples > 0 ? Format.Count(source.Samples, "sample", "samples") : null,
                source.Spans > 0 ? Format.Count(source.Spans, "span", "spans") : null,
                source.Changes > 0 ? Format.Count(source.Changes, "change", "changes") : null,
            }.OfType<string>()
        )
            is { Length: > 0 } words
            ? words
            : "nothing yet";
}
