using Kumiko.Charts;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Query.Baselines;
using Kumiko.Core.Rules;
using Kumiko.Core.Rules.Briefs;
using NodaTime;

namespace Kumiko.Web.Rendering.Rules;

/// <summary>A brief as a page shows it.</summary>
/// <param name="SinceUrl">Where the line on how it went on comes from again.</param>
public sealed record BriefPart(
    Alert Alert,
    Rule? Rule,
    Brief Brief,
    AlertCourse Course,
    Drawing? Drawing,
    DateTimeZone Zone,
    string SinceUrl
)
{
    /// <summary>Whether the link leads to what the signed-in may see.</summary>
    public bool HasLinks { get; init; }

    private TimeRange Focus => new(Moment.At(Brief.Focus.From), Moment.At(Brief.Focus.To));

    private SearchAddress Address =>
        new() { Focus = Focus, Baseline = BaselineChoice.Parse(Brief.Differences.Baseline) ?? BaselineChoice.LikeDays };

    /// <summary>The records behind it in Search, with focus and baseline set.</summary>
    public string Search => (Address with { Query = RecordsQuery }).Url();

    /// <summary>Their number over time in Charts, with the same.</summary>
    public string Charts =>
        (
            Address with
            {
                Query = QueryEdits.CountOverTime(RecordsQuery),
                Span = StripSpan.Of(BriefReader.SpanOf(Alert.Definition)),
            }
        ).Url("/charts");

    private string RecordsQuery => AlertRecords.Query(Alert) ?? Brief.Differences.Of;

    /// <summary>A difference's own records in Search.</summary>
    public string SearchOf(BriefDifference difference) =>
        (
            Address with
            {
                Query = QueryEdits
                    .With(Brief.Differences.Of, difference.Field, Core.Records.Value.Of(difference.Value), excluded: false)
                    .Text,
            }
        ).Url();
}

/// <summary>Puts briefs on pages; one that nobody computed yet is computed now and kept.</summary>
public sealed class BriefShow(RuleStore rules, BriefReader reader)
{
    private const double Height = 210;

    public async Task<BriefPart> Of(Alert alert, DateTimeZone zone, double width, string sinceUrl, CancellationToken cancel)
    {
        var rule = rules.Find(alert.Rule);
        if (Brief.FromJson(alert.Brief) is not { } brief)
        {
            brief = await reader.Read(
                alert,
                rule,
                rules.Alerts.Events(alert.Id).FirstOrDefault(e => e.Kind == "started"),
                cancel
            );
            await rules.Alerts.Briefed(alert.Id, brief);
        }
        var drawing = brief.Figures is { } figures
            ? AlertPicture.Draw(
                alert,
                figures,
                brief.Focus,
                null,
                "Up to the start",
                width,
                Height,
                zone,
                changes: [.. brief.Changes.Select(c => new ChartEvent(c.At, c.Short, "change"))]
            )
            : null;
        return new BriefPart(alert, rule, brief, CourseOf(alert, brief, rule), drawing, zone, sinceUrl);
    }

    /// <summary>How an alert goes on, for the line that is asked for again and again.</summary>
    public BriefPart? Since(long id, DateTimeZone zone, string sinceUrl)
    {
        if (rules.Alerts.Find(id) is not { } alert || Brief.FromJson(alert.Brief) is not { } brief)
            return null;
        var rule = rules.Find(alert.Rule);
        return new BriefPart(alert, rule, brief, CourseOf(alert, brief, rule), null, zone, sinceUrl);
    }

    private static AlertCourse CourseOf(Alert alert, Brief brief, Rule? rule) =>
        AlertCourse.Of(alert, brief.Value, rule?.Checked);
}
