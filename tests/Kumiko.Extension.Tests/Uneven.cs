using System.Text.RegularExpressions;
using Kumiko.Core.Rules;

namespace Kumiko.Extension.Tests;

/// <summary>A made-up condition: a figure that is no multiple of a step.</summary>
public sealed partial record Uneven(long Step) : AlertCondition
{
    private static readonly RuleInput By = new("Uneven", RuleInputKind.Figure, "Step") { Named = "the step", Default = "2" };

    public static readonly ConditionKind Kind = new("uneven", typeof(Uneven), form => new Uneven(form.Whole(By)))
    {
        Choices = [("uneven", "is no multiple of")],
        Inputs = [By],
        ReadText = line =>
            Line().Match(line) is { Success: true } found ? new Uneven(RuleTextReader.Whole(found.Groups[1].Value)) : null,
    };

    public override ConditionResult Judge(RuleDefinition definition, in Measurement measurement, KeyState key, long at) =>
        double.IsNaN(measurement.Value)
            ? ConditionResult.Nothing
            : new(measurement.Value % Step == 0 ? AlertLevel.None : AlertLevel.Warning, true, measurement.Value % Step);

    public override string Print() => FormattableString.Invariant($"is no multiple of {Step}");

    public override void Fill(RuleFields fields, string unit) => fields[By] = RuleFields.Number(Step);

    public override string Words(RuleWording words, string unit) => $"is no multiple of {words.Number(Step)}";

    public override string Found(RuleWording words, FoundValue found) => words.Text(found.Value, found.Unit);

    [GeneratedRegex("^is no multiple of (.+)$")]
    private static partial Regex Line();
}
