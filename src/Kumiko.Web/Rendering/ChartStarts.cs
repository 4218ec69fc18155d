using Kumiko.Charts;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Query.Metrics;
using Kumiko.Core.Rules;
using Kumiko.Core.Searches;
using Kumiko.Web.Rendering.Rules;

namespace Kumiko.Web.Rendering;

/// <summary>Something to begin a chart with.</summary>
/// <param name="What">Its query, or a few words.</param>
public sealed record ChartStart(string Name, string What, string Url);

/// <summary>What an empty sheet offers: what one asked lately, what is wrong now, and what is measured.</summary>
public sealed record ChartStarts(IReadOnlyList<ChartStart> Asked, IReadOnlyList<ChartStart> Worth)
{
    private const int MostAsked = 6;
    private const int MostAlerts = 4;
    private const int MostOfKind = 2;

    public static ChartStarts Of(
        SearchAddress view,
        IReadOnlyList<AskedSearch> asked,
        IReadOnlyList<Alert> open,
        IReadOnlyList<MetricEntry> metrics,
        Func<MetricEntry, string> queryFor
    )
    {
        string To(string query, string title = "") =>
            new ChartAddress(view, new ChartBoard { Title = title, Series = [new BoardSeries("answer", query)] }).Url();
        ChartStart Titled(string name, string what, string query) => new(name, what, To(query, name));
        var lately = asked
            .Where(a => IsOverTime(a.Query))
            .Take(MostAsked)
            .Select(a => new ChartStart(a.Query.ReplaceLineEndings(" "), "", To(a.Query)));
        var worth = new List<ChartStart>();
        foreach (var alert in open.DistinctBy(a => a.Rule).Take(MostAlerts))
            if (OverTime(alert) is { } query)
                worth.Add(Titled(BriefWords.Title(alert), "an alert that is open", query));
        worth.Add(
            Titled("Records by service", "where there is more or less than there was", "| group count() by service per auto")
        );
        worth.Add(Titled("Errors by service", "who complains", "level >= error | group count() by service per auto"));
        foreach (
            var metric in metrics
                .GroupBy(m => m.Kind)
                .OrderBy(g => g.Key, StringComparer.Ordinal)
                .SelectMany(g => g.OrderByDescending(m => m.Series).ThenBy(m => m.Name, StringComparer.Ordinal).Take(MostOfKind))
        )
            worth.Add(Titled(metric.Name, metric.Description.Length > 0 ? metric.Description : metric.Kind, queryFor(metric)));
        return new ChartStarts([.. lately], worth);
    }

    private static bool IsOverTime(string query) =>
        QueryParser.Parse(query) is { Ok: true } parsed && parsed.Query.Stages.OfType<Group>().Any(g => g.Per is not null);

    /// <summary>The figure of an alert's rule in steps of time; null where it has none of its own.</summary>
    private static string? OverTime(Alert alert)
    {
        switch (alert.Definition.Quantity)
        {
            case CountOf count:
                return QueryEdits.CountOverTime(AlertRecords.With(count.Query, alert.Definition.Keys, alert.Keys));
            case ValueOf figure
                when QueryParser.Parse(figure.Query) is { Ok: true } parsed
                    && parsed.Query.Stages is [.., Group { Per: null } group]:
                return figure.Query[..group.Span.Start] + QueryPrinter.Print(group with { Per = "auto" });
            default:
                return null;
        }
    }
}
