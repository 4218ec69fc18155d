using System.Text.RegularExpressions;
using Kumiko.Core.Language;
using Kumiko.Core.Query.Sliding;

namespace Kumiko.Core.Rules;

/// <summary>How many different values of a field.</summary>
public sealed partial record DistinctOf(string Query, string Field) : Quantity
{
    private static readonly RuleInput Of = new("Of", RuleInputKind.Text, "Field whose values are counted")
    {
        Before = "of the field",
    };

    public static readonly QuantityKind Kind = new("distinct", typeof(DistinctOf), "the number of different values", Read)
    {
        Inputs = [Of, RuleInputs.Query],
        Begins = "distinct … of",
        ReadText = (text, line) =>
            Line().Match(line) is { Success: true } distinct && RuleTextReader.Names(distinct.Groups[1].Value) is [var field]
                ? new DistinctOf(text.Block(), field)
                : null,
    };

    private static DistinctOf Read(RuleFieldReader form)
    {
        var field = form.Text(Of);
        if (field.Length == 0)
            form.Fault("Say which field's values are counted.");
        return new DistinctOf(form.Query(RuleInputs.Query), field);
    }

    public override bool IsCount => true;

    public override IEnumerable<RuleQuery> Queries => [new("The query", Query)];

    public override string Rows => Query;

    public override string Print() => RuleText.Block($"distinct {RuleText.Name(Field)} of", Query);

    public override void Fill(RuleFields fields) => (fields[RuleInputs.Query], fields[Of]) = (Query, Field);

    public override string Words(RuleWording words, string each) =>
        $"The number of different values of {Field} in {RuleWording.Rows(Query)}{each}";

    public override Task<SlidingAnswer> Values(ValueRequest request) =>
        request.Each(request.Read(Query).Query, "distinct", new Field(Field));

    [GeneratedRegex("^distinct (.+) of$")]
    private static partial Regex Line();
}
