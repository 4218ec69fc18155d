using Kumiko.Core.Sources;
using Kumiko.Core.Storage;
using Kumiko.Web.Hosting;
using Kumiko.Web.Receivers.Scraping;

namespace Kumiko.Web.Rendering;

/// <summary>What was refused, as a person may see it.</summary>
public static class ShownRefusals
{
    /// <summary>What servers answered when they were scraped is for administrators; others are told the reason alone.</summary>
    public static IReadOnlyList<Refused> Shown(this SourceBook book, IReadOnlyList<Refused> refused, Viewer viewer)
    {
        if (viewer.MayRun)
            return refused;
        var scraped = refused.Select(r => r.Source).Distinct().Where(s => book.Find(s)?.Protocol == Scraper.Protocol).ToHashSet();
        return
        [
            .. refused.Select(r =>
                !scraped.Contains(r.Source) ? r : r with { Head = [], Reason = "It was not taken. An administrator sees why." }
            ),
        ];
    }
}
