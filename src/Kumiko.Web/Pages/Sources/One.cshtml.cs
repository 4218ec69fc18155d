using Kumiko.Core.Accounts;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Sources;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Metrics;
using Kumiko.Core.Storage.Spans;
using Kumiko.Web.Hosting;
using Kumiko.Web.Receivers.Scraping;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Web.Pages.Sources;

/// <summary>One source: how it is understood, who may send as it, and what came last.</summary>
public sealed class OneModel(
    SourceBook book,
    SourceFormats formats,
    TokenStore tokens,
    ScrapeStore targets,
    Scraper scraper,
    MetricStore metrics,
    SpanStore signals,
    RecordStore records,
    RunRegistry runs,
    StripBuilder strips,
    Viewer viewer,
    TimeProvider clock
) : StripPage(runs, strips, viewer, clock)
{
    private const int MostRefused = 20;
    private const int MostSeries = 40;

    /// <summary>How its lines are read that come over HTTP; null where none came.</summary>
    public Core.Intake.Formats.FormatSettings? Lines { get; private set; }

    public SourceState Source { get; private set; } = null!;
    public IReadOnlyList<Token> Tokens { get; private set; } = [];
    public IReadOnlyList<(ScrapeTarget Target, ScrapeState? State)> Targets { get; private set; } = [];
    public IReadOnlyList<Refused> Refused { get; private set; } = [];

    /// <summary>The latest batch of metrics or spans, a line each: name, attributes, value.</summary>
    public IReadOnlyList<(string Name, string Of, string Value)> Latest { get; private set; } = [];

    public async Task<IActionResult> OnGetAsync(string? name, string? when)
    {
        if (book.Find(name ?? "") is not { } source)
            return NotFound();
        (Source, Lines) = (source, formats.Find(source.Name));
        Tokens = [.. tokens.All().Where(t => t.Purpose == TokenPurpose.Intake && t.MayName(source.Name))];
        Targets = [.. targets.All().Where(t => t.Source == source.Name).Select(t => (t, scraper.StateOf(t)))];
        Refused = book.Shown(records.Refusals(MostRefused, source.Name), Viewer);
        Latest =
        [
            .. Told(metrics.Latest(source.Name, MostSeries))
                .Concat(Told(signals.Latest(source.Name, MostSeries)))
                .Take(MostSeries),
        ];
        return await Show(SourceLinks.Of(source.Name), when);
    }

    private static IEnumerable<(string, string, string)> Told(IEnumerable<SeriesState> latest) =>
        latest.Select(s =>
            (
                s.Series.Name,
                Fields(s.Series.Attributes),
                (double.IsNaN(s.Value) ? "no value" : Charts.Format.Value(Value.Of(s.Value), NodaTime.DateTimeZone.Utc))
                    + (s.Series.Unit.Length > 0 ? " " + s.Series.Unit : "")
                    + (s.Series.IsDistribution ? " on average" : "")
            )
        );

    private static IEnumerable<(string, string, string)> Told(IEnumerable<Span> latest) =>
        latest.Select(s =>
            (
                s.Name,
                $"{s.Resource.Service.ToText()} {s.Resource.Host.ToText()}".Trim(),
                Charts.Format.Duration(s.End - s.Start) + (s.Status == SpanStatus.Error ? ", failed" : "")
            )
        );

    private static string Fields(Attributes fields) =>
        string.Join(", ", fields.Names.ToArray().Zip(fields.Values.ToArray(), (n, v) => $"{n} {v.ToText()}"));
}
