using System.Text.RegularExpressions;
using Kumiko.Core.Query.Sliding;

namespace Kumiko.Core.Rules;

/// <summary>How much of an objective's budget is burnt, over its period: 1 is all of it.</summary>
public sealed partial record BudgetBurnt(long Objective) : Quantity
{
    public static readonly QuantityKind Kind = new(
        "budget",
        typeof(BudgetBurnt),
        "the budget of an objective that is burnt",
        form => new BudgetBurnt(form.Chosen(RuleInputs.Objective))
    )
    {
        Inputs = [RuleInputs.Objective],
        TakesKeys = false,
        Begins = "budget burnt of objective",
        ReadText = (_, line) =>
            Line().Match(line) is { Success: true } budget ? new BudgetBurnt(RuleTextReader.Whole(budget.Groups[1].Value)) : null,
    };

    public override bool HasWindow => false;

    public override string Unit => "1";

    public override long? ObjectiveId => Objective;

    public override string Print() => FormattableString.Invariant($"budget burnt of objective {Objective}\n");

    public override void Fill(RuleFields fields) => fields[RuleInputs.Objective] = RuleFields.Number(Objective);

    public override string Words(RuleWording words, string each) => $"The budget of {words.Objective(Objective)} that is burnt";

    public override string WordsOfRows => "all that its objective counts, good and bad";

    public override Task<SlidingAnswer> Values(ValueRequest request) => request.Objectives.Burnt(Objective, request);

    [GeneratedRegex(@"^budget burnt of objective (\d+)$")]
    private static partial Regex Line();
}
