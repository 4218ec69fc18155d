using Kumiko.Core.Language;
using Kumiko.Core.Query;

namespace Kumiko.Core.Rules;

/// <summary>How figures and names stand in the sentences of rules.</summary>
public abstract class RuleWording
{
    private const int LongestQuery = 90;

    public abstract string Duration(double nanoseconds);

    public abstract string Number(double number);

    /// <summary>A number of things.</summary>
    public abstract string Count(long number, string one, string several);

    /// <summary>A figure with its unit; a dash where there is none.</summary>
    public abstract string Text(double? figure, string unit);

    /// <summary>A share as percent.</summary>
    public abstract string Percent(double share);

    /// <summary>The name of a rule, in quotation marks.</summary>
    public abstract string Rule(long id);

    /// <summary>The name of an objective, in quotation marks.</summary>
    public abstract string Objective(long id);

    public static string Level(AlertLevel level) => level == AlertLevel.Critical ? "critical" : "a warning";

    public static string Limits((double? Warning, double? Critical) limits, Func<double, string> text) =>
        string.Join(
            ", ",
            new[]
            {
                limits.Warning is { } w ? text(w) + " (warning)" : null,
                limits.Critical is { } c ? text(c) + " (critical)" : null,
            }.OfType<string>()
        );

    /// <summary>The rows of a query: <c>records of “refused”</c>.</summary>
    public static string Rows(string query)
    {
        if (query.Trim().Length == 0)
            return "all records";
        if (QueryParser.Parse(query).Query.From is { Set: var set } && set != "logs")
            return $"rows of {Quoted(query)}";
        return $"records of {Quoted(query)}";
    }

    /// <summary>A query on one line, cut where it is long.</summary>
    public static string Quoted(string query)
    {
        var line = string.Join(' ', query.Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries));
        if (line.Length == 0)
            return "all records";
        if (line.Length <= LongestQuery)
            return $"“{line}”";
        return $"“{line[..LongestQuery]}…”";
    }

    /// <summary>What rows of a query are, in words.</summary>
    public static string KindOfRows(string query)
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
