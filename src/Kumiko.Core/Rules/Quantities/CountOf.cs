using Kumiko.Core.Query.Sliding;

namespace Kumiko.Core.Rules;

/// <summary>How many records, samples or other rows meet a query's conditions.</summary>
public sealed record CountOf(string Query) : Quantity
{
    public static readonly QuantityKind Kind = new("count", typeof(CountOf), "the number of records", form => new CountOf(
        form.Query(RuleInputs.Query)
    ))
    {
        Inputs = [RuleInputs.Query],
        Begins = "count of",
        ReadText = (text, line) => line == "count of" ? new CountOf(text.Block()) : null,
    };

    public override bool IsCount => true;

    public override IEnumerable<RuleQuery> Queries => [new("The query", Query)];

    public override string Rows => Query;

    public override string Print() => RuleText.Block("count of", Query);

    public override void Fill(RuleFields fields) => fields[RuleInputs.Query] = Query;

    public override string Words(RuleWording words, string each) => $"The number of {RuleWording.Rows(Query)}{each}";

    public override Task<SlidingAnswer> Values(ValueRequest request) => request.Each(request.Read(Query).Query, "count");
}
