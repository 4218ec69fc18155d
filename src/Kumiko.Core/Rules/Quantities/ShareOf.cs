using System.Text.RegularExpressions;
using Kumiko.Core.Query.Sliding;

namespace Kumiko.Core.Rules;

/// <summary>How many of one query for each of another.</summary>
/// <param name="Part">The query whose rows are counted above the line.</param>
/// <param name="Whole">The query whose rows are counted below it.</param>
/// <param name="Least">With fewer of the whole the share says nothing, and is not judged.</param>
public sealed partial record ShareOf(string Part, string Whole, long Least) : Quantity
{
    private static readonly RuleInput Among = new("Whole", RuleInputKind.Query, "among") { Placeholder = "all records" };

    public static readonly QuantityKind Kind = new(
        "share",
        typeof(ShareOf),
        "the share of some records among others",
        form => new ShareOf(form.Query(RuleInputs.Query), form.Query(Among), form.Whole(RuleInputs.Least))
    )
    {
        Inputs = [RuleInputs.Query, Among, RuleInputs.Least],
        Begins = "share of",
        ReadText = (text, line) => line == "share of" ? Read(text) : null,
    };

    public override string Unit => "1";

    public override IEnumerable<RuleQuery> Queries => [new("The part", Part), new("The whole", Whole)];

    public override string Rows => Part;

    public override string Print() =>
        RuleText.Block("share of", Part)
        + RuleText.Block(Least > 1 ? FormattableString.Invariant($"among at least {Least} of") : "among", Whole);

    private static ShareOf Read(RuleTextReader text)
    {
        var part = text.Block();
        if (text.Take(AmongLine()) is not { } among)
            throw new FormatException("Write “among” and the query of the whole below it.");
        return new ShareOf(part, text.Block(), among.Groups[1].Success ? RuleTextReader.Whole(among.Groups[1].Value) : 1);
    }

    public override void Fill(RuleFields fields) =>
        (fields[RuleInputs.Query], fields[Among], fields[RuleInputs.Least]) = (Part, Whole, RuleFields.Number(Least));

    public override string Words(RuleWording words, string each) =>
        $"The share of {RuleWording.Rows(Part)} among {RuleWording.Rows(Whole)}{each}"
        + (Least > 1 ? $" (at least {words.Number(Least)})" : "");

    public override Task<SlidingAnswer> Values(ValueRequest request) =>
        request.Share(request.Read(Part).Query, request.Read(Whole).Query, Least);

    [GeneratedRegex(@"^among(?: at least (\d+) of)?$")]
    private static partial Regex AmongLine();
}
