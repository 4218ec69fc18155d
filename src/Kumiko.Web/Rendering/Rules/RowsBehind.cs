using Kumiko.Core.Language;
using Kumiko.Core.Rules;

namespace Kumiko.Web.Rendering.Rules;

/// <summary>What an alert is made of where that is not records, in words.</summary>
public static class RowsBehind
{
    public static string Sentence(RuleDefinition definition) => $"Behind it are {Of(definition.Quantity)}, not records.";

    private static string Of(Quantity quantity) =>
        quantity switch
        {
            SlowSpans { Operation.Length: > 0 } spans => $"spans of {spans.Operation}",
            SlowSpans { Service.Length: > 0 } spans => $"spans of {spans.Service}",
            SlowSpans => "spans",
            InOrder => "alerts of other rules",
            BudgetBurnt or BurnRate => "all that its objective counts, good and bad",
            ValueOf figure => Of(figure.Query),
            CountOf count => Of(count.Query),
            DistinctOf distinct => Of(distinct.Query),
            ShareOf share => Of(share.Part),
            _ => "other rows",
        };

    private static string Of(string query)
    {
        var parsed = QueryParser.Parse(query).Query;
        if (parsed.With.Count > 0)
            return "rows of several questions put together";
        return parsed.From?.Set switch
        {
            "metrics" => Named(parsed.Match) is { } metric ? $"samples of the metric {metric}" : "samples of metrics",
            "exemplars" => "exemplars of metrics",
            "spans" => "spans",
            "alerts" => "alerts",
            "changes" => "changes",
            "patterns" => "patterns of lines",
            null or "logs" => "rows that were made of records",
            var table => $"rows of the look-up table {table}",
        };
    }

    private static string? Named(Expr? match) =>
        match switch
        {
            And and => and.Items.Select(Named).FirstOrDefault(n => n is not null),
            Compare { Op: CompareOp.Equal, Left: Field { Name: "name" }, Right: Literal name } => name.Text,
            _ => null,
        };
}
