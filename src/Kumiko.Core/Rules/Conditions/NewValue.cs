using System.Text.RegularExpressions;

namespace Kumiko.Core.Rules;

/// <summary>A key that did not come in the stretch before.</summary>
/// <param name="History">Its length, nanoseconds.</param>
public sealed partial record NewValue(AlertLevel Level, long History) : AlertCondition
{
    private static readonly RuleInput Before = new("History", RuleInputKind.Figure, "History")
    {
        Before = "in",
        After = "before",
        Named = "the history",
        Default = "7d",
    };

    public static readonly ConditionKind Kind = new("new", typeof(NewValue), form => new NewValue(
        form.Level(),
        form.Length(Before)
    ))
    {
        Choices = [("new", "has a value never seen before")],
        Inputs = [Before],
        ReadText = line =>
            Line().Match(line) is { Success: true } fresh
                ? new NewValue(RuleTextReader.Level(fresh.Groups[1].Value), RuleTextReader.Length(fresh.Groups[2].Value))
                : null,
    };

    public override bool NeedsHistory => true;

    public override bool IsOfNewKeys => true;

    public override long Memory(RuleDefinition definition) => History;

    /// <summary>It is new until it has been there for as long as is looked at.</summary>
    public override ConditionResult Judge(RuleDefinition definition, in Measurement measurement, KeyState key, long at)
    {
        var isNew =
            measurement.Seen
            && key.Name.Any(c => c != '\0' && c != '\u001f')
            && key.FirstSeen is { } first
            && at - first < definition.InTheLast;
        var badness = double.IsNaN(measurement.Value) ? 0 : measurement.Value;
        return new ConditionResult(isNew ? Level : AlertLevel.None, true, badness);
    }

    public override void Check(RuleDefinition definition, ICollection<string> faults)
    {
        CheckLevel(Level, faults);
        if (definition.Keys.Count == 0 && definition.Quantity.OwnKeys is null)
            faults.Add("Say of which field a new value is told: name it under “for each”.");
        if (History < definition.InTheLast || History > RuleDefinition.LongestWindow)
            faults.Add("The history that a value is new to is at least as long as what is looked at, and up to 28d.");
    }

    public override string Print() => $"is new {RuleText.Level(Level)}, against {RuleText.Length(History)} before";

    public override void Fill(RuleFields fields, string unit)
    {
        fields.Put(Level);
        fields[Before] = RuleFields.Length(History);
    }

    public override string Words(RuleWording words, string unit) =>
        $"has a value never seen in the {words.Duration(History)} before: {RuleWording.Level(Level)}";

    public override string Found(RuleWording words, FoundValue found) => "not seen before";

    [GeneratedRegex(@"^is new as (?:a )?(warning|critical), against (\S+) before$")]
    private static partial Regex Line();
}
