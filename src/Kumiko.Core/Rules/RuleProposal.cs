using Kumiko.Core.Evaluation;
using Kumiko.Core.Language;
using Kumiko.Core.Query;

namespace Kumiko.Core.Rules;

/// <summary>A question that somebody asked, as the quantity of a rule.</summary>
/// <param name="Keys">Of a count that was split.</param>
/// <param name="Step">The step of the question, which becomes how far checks look back; null for none.</param>
/// <param name="Name">What the rule can be called; empty where nothing offers itself.</param>
public sealed record RuleProposal(Quantity Quantity, IReadOnlyList<string> Keys, string? Step, string Name)
{
    private const int LongestName = 60;

    public static RuleProposal Of(string query)
    {
        var parsed = QueryParser.Parse(query);
        var at = parsed.Query.Stages.ToList().FindIndex(s => s is Group);
        if (!parsed.Ok || at < 0)
            return Count(parsed.Ok ? QueryEdits.RecordsOnly(query) : query, [], null);
        var group = (Group)parsed.Query.Stages[at];
        var step = group.Per is null or "auto" ? null : group.Per;
        if (
            group.Aggregates is [{ Expr: Call { Name: "count", Arguments.Count: 0 } }]
            && group.By.All(b => b.Expr is Field && b.Alias is null)
            && parsed.Query.Stages.Count == at + 1
        )
            return Count(QueryEdits.RecordsOnly(query), [.. group.By.Select(b => b.Name)], step);
        // A rule has steps of its own; what fills or orders steps goes with them.
        var behind = parsed.Query.Stages.Skip(at + 1).Where(s => s is Where or SetFields or Select).Select(QueryPrinter.Print);
        var text = query[..group.Span.Start] + string.Join("\n| ", behind.Prepend(QueryPrinter.Print(group with { Per = null })));
        return new RuleProposal(new ValueOf(text), [], step, "");
    }

    private static RuleProposal Count(string query, IReadOnlyList<string> keys, string? step) =>
        new(new CountOf(query), keys, step, query.Length is > 0 and <= LongestName ? query.ReplaceLineEndings(" ") : "");
}
