using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Query.Sliding;

namespace Kumiko.Core.Rules;

/// <summary>The first figure of a query that ends in a group: any aggregate, formula or metric. Its keys are the
/// rule's.</summary>
public sealed record ValueOf(string Query) : Quantity
{
    public static readonly QuantityKind Kind = new(
        "figure",
        typeof(ValueOf),
        "a figure: aggregate, formula or metric",
        form => new ValueOf(form.Query(RuleInputs.Query))
    )
    {
        Inputs = [RuleInputs.Query],
        TakesKeys = false,
        Begins = "figure of",
        ReadText = (text, line) => line == "figure of" ? new ValueOf(text.Block()) : null,
    };

    private Language.Query Parsed => QueryParser.Parse(Query).Query;

    public override IEnumerable<RuleQuery> Queries => [new("The query", Query) { MakesFigures = true }];

    public override string? Rows => Parsed.With.Count == 0 ? QueryEdits.RecordsOnly(Query) : null;

    public override IReadOnlyList<string> OwnKeys =>
        Parsed.Stages.OfType<Evaluation.Group>().FirstOrDefault() is { } group ? [.. group.By.Select(b => b.Name)] : [];

    public override string Print() => RuleText.Block("figure of", Query);

    public override void Fill(RuleFields fields) => fields[RuleInputs.Query] = Query;

    public override string Words(RuleWording words, string each)
    {
        var stages = Parsed.Stages;
        var group = stages.OfType<Evaluation.Group>().FirstOrDefault();
        if (group is null)
            return "The figure of " + RuleWording.Quoted(Query);
        var selected = stages.OfType<Evaluation.Select>().LastOrDefault();
        var name = selected?.Columns.FirstOrDefault(c => group.By.All(b => b.Name != c.Name))?.Name ?? group.Aggregates[0].Name;
        var keys = group.By.Count > 0 ? " for each " + string.Join(", ", group.By.Select(b => b.Name)) : "";
        return $"{name} of {RuleWording.Quoted(QueryEdits.RecordsOnly(Query))}{keys}";
    }

    public override string WordsOfRows => RuleWording.KindOfRows(Query);

    public override Task<SlidingAnswer> Values(ValueRequest request) => request.Ask(request.Read(Query));
}
