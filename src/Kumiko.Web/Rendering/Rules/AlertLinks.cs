using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;

namespace Kumiko.Web.Rendering.Rules;

/// <summary>Where the records behind an alert are read.</summary>
public static class AlertLinks
{
    /// <summary>The records of the alert's key that its window held; null where it is not made of records.</summary>
    /// <param name="from">The check from which on, without the look-back.</param>
    public static SearchAddress? Search(Alert alert, long from, long? to)
    {
        var definition = alert.Definition;
        if (Query(definition) is not { } query) return null;
        for (var i = 0; i < Math.Min(definition.Keys.Count, alert.Keys.Count); i++)
            if (alert.Keys[i].Length > 0 && QueryParser.Parse(query).Query.Stages.Count == 0) query = QueryEdits.With(query, definition.Keys[i], Value.Of(alert.Keys[i]), excluded: false).Text;
        // What happens stands at the record itself.
        var end = to is { } until ? Moment.At(until - definition.Delay + (definition.Quantity.IsFigure ? 0 : Instants.Second)) : Moment.Now;
        return new SearchAddress { Query = query, Focus = new TimeRange(Moment.At(from - definition.Delay - definition.LookBack), end) };
    }

    /// <summary>The query of what a rule looks at, without its figure; null where it has none.</summary>
    public static string? Query(RuleDefinition definition) => definition.Quantity switch
    {
        CountOf count => count.Query,
        ShareOf share => share.Part,
        DistinctOf distinct => distinct.Query,
        EachRecord each => each.Query,
        FigureOf figure when QueryParser.Parse(figure.Query).Query.With.Count == 0 => QueryEdits.RecordsOnly(figure.Query),
        _ => null,
    };
}
