using System.Text.RegularExpressions;
using Kumiko.Core.Language;
using Kumiko.Core.Query.Sliding;
using Kumiko.Core.Rules;

namespace Kumiko.Extension.Tests;

/// <summary>A made-up quantity: the largest value of a field.</summary>
public sealed partial record LargestOf(string Query, string Largest) : Quantity
{
    private static readonly RuleInput Of = new("Largest", RuleInputKind.Text, "Field whose largest value counts")
    {
        Before = "of the field",
    };

    public static readonly QuantityKind Kind = new(
        "largest",
        typeof(LargestOf),
        "the largest value of a field",
        form => new LargestOf(form.Query(RuleInputs.Query), form.Text(Of))
    )
    {
        Inputs = [Of, RuleInputs.Query],
        Begins = "largest … of",
        ReadText = (text, line) =>
            Line().Match(line) is { Success: true } found ? new LargestOf(text.Block(), found.Groups[1].Value) : null,
    };

    public override IEnumerable<RuleQuery> Queries => [new("The query", Query)];

    public override string Rows => Query;

    public override void Check(RuleDefinition definition, ICollection<string> faults)
    {
        if (Largest.Length == 0)
            faults.Add("Say of which field the largest value counts.");
    }

    public override string Print() => RuleText.Block($"largest {Largest} of", Query);

    public override void Fill(RuleFields fields) => (fields[RuleInputs.Query], fields[Of]) = (Query, Largest);

    public override string Words(RuleWording words, string each) => $"The largest {Largest} of {RuleWording.Rows(Query)}{each}";

    public override Task<SlidingAnswer> Values(ValueRequest request) =>
        request.Each(request.Read(Query).Query, "max", new Field(Largest));

    [GeneratedRegex("^largest (.+) of$")]
    private static partial Regex Line();
}
