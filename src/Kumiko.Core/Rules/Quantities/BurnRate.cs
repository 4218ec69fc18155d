using System.Text.RegularExpressions;
using Kumiko.Core.Query.Sliding;

namespace Kumiko.Core.Rules;

/// <summary>How many times as fast as it may an objective's budget burns: the lower of the rates over what is looked at and over
/// a shorter window, so that it is both lasting and present.</summary>
/// <param name="Short">The shorter window; nanoseconds.</param>
public sealed partial record BurnRate(long Objective, long Short) : Quantity
{
    private static readonly RuleInput Second = new("Short", RuleInputKind.Figure, "Second window")
    {
        Before = ", over what is looked at and also over",
        Named = "the second window",
        Default = "5m",
    };

    public static readonly QuantityKind Kind = new(
        "burn",
        typeof(BurnRate),
        "how fast an objective’s budget burns",
        form => new BurnRate(form.Chosen(RuleInputs.Objective), form.Length(Second))
    )
    {
        Inputs = [RuleInputs.Objective, Second],
        TakesKeys = false,
        Begins = "burn rate of objective",
        ReadText = (_, line) =>
            Line().Match(line) is { Success: true } burn
                ? new BurnRate(RuleTextReader.Whole(burn.Groups[1].Value), RuleTextReader.Length(burn.Groups[2].Value))
                : null,
    };

    public override long? ObjectiveId => Objective;

    public override Quantity InHistory => new BudgetBurnt(Objective);

    public override IEnumerable<long> Lengths => [Short];

    public override void Check(RuleDefinition definition, ICollection<string> faults)
    {
        if (Short < RuleDefinition.ShortestInterval || Short >= definition.InTheLast)
            faults.Add("The second window of a burn rate must be shorter than the first.");
    }

    public override string Print() =>
        FormattableString.Invariant($"burn rate of objective {Objective}, also in {RuleText.Length(Short)}\n");

    public override void Fill(RuleFields fields) =>
        (fields[RuleInputs.Objective], fields[Second]) = (RuleFields.Number(Objective), RuleFields.Length(Short));

    public override string Words(RuleWording words, string each) => $"The burn rate of {words.Objective(Objective)}";

    public override string WindowWords(RuleWording words, long inTheLast) =>
        $", over {words.Duration(inTheLast)} and also over {words.Duration(Short)},";

    public override string WordsOfRows => "all that its objective counts, good and bad";

    public override Task<SlidingAnswer> Values(ValueRequest request) => request.Objectives.BurnRate(Objective, Short, request);

    [GeneratedRegex(@"^burn rate of objective (\d+), also in (\S+)$")]
    private static partial Regex Line();
}
