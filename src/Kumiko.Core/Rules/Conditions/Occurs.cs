using System.Text.RegularExpressions;

namespace Kumiko.Core.Rules;

/// <summary>That it happens at all: for records as they come in, and for alerts in order.</summary>
public sealed partial record Occurs(AlertLevel Level) : AlertCondition
{
    public static readonly ConditionKind Kind = new("happens", typeof(Occurs), form => new Occurs(form.Level()))
    {
        ReadText = line =>
            Line().Match(line) is { Success: true } happens ? new Occurs(RuleTextReader.Level(happens.Groups[1].Value)) : null,
    };

    public override ConditionResult Judge(RuleDefinition definition, in Measurement measurement, KeyState key, long at) =>
        ConditionResult.Nothing;

    public override void Check(RuleDefinition definition, ICollection<string> faults) => CheckLevel(Level, faults);

    public override string Print() => "happens " + RuleText.Level(Level);

    public override void Fill(RuleFields fields, string unit) => fields.Put(Level);

    public override string Words(RuleWording words, string unit) => RuleWording.Level(Level);

    public override string Found(RuleWording words, FoundValue found) =>
        found.Definition.Quantity is Happening happening ? happening.Times(words, found.Value) : "";

    [GeneratedRegex("^happens as (?:a )?(warning|critical)$")]
    private static partial Regex Line();
}
