using System.Text.RegularExpressions;

namespace Kumiko.Core.Rules;

/// <summary>Nothing came, from what came at some time in the stretch before.</summary>
/// <param name="Expected">How far back something that came is still expected; nanoseconds.</param>
public sealed partial record Silent(AlertLevel Level, long Expected) : AlertCondition
{
    private static readonly RuleInput Within = new("Expected", RuleInputKind.Figure, "Expected for")
    {
        Before = "though it came within",
        Named = "how long something is expected",
        Default = "1d",
    };

    public static readonly ConditionKind Kind = new("silent", typeof(Silent), form => new Silent(
        form.Level(),
        form.Length(Within)
    ))
    {
        Choices = [("silent", "is silent")],
        Inputs = [Within],
        ReadText = line =>
            Line().Match(line) is { Success: true } silent
                ? new Silent(RuleTextReader.Level(silent.Groups[1].Value), RuleTextReader.Length(silent.Groups[2].Value))
                : null,
    };

    public override bool IsLow => true;

    public override bool NeedsHistory => true;

    public override long Memory(RuleDefinition definition) => Expected;

    public override ConditionResult Judge(RuleDefinition definition, in Measurement measurement, KeyState key, long at)
    {
        // Without a key something is always expected.
        var isExpected = key.Name.Length == 0 || (key.LastSeen is { } last && at - last <= Expected);
        return new ConditionResult(!measurement.Seen && isExpected ? Level : AlertLevel.None, true, 0);
    }

    public override void Check(RuleDefinition definition, ICollection<string> faults)
    {
        CheckLevel(Level, faults);
        if (Expected < definition.InTheLast || Expected > RuleDefinition.LongestWindow)
            faults.Add("What came in a stretch at least as long as is looked at, and up to 28d, can be expected.");
    }

    public override string Print() => $"is silent {RuleText.Level(Level)}, expected for {RuleText.Length(Expected)}";

    public override void Fill(RuleFields fields, string unit)
    {
        fields.Put(Level);
        fields[Within] = RuleFields.Length(Expected);
    }

    public override string Words(RuleWording words, string unit) =>
        $"is silent, though something came within {words.Duration(Expected)}: {RuleWording.Level(Level)}";

    public override string Found(RuleWording words, FoundValue found) => $"nothing came{found.Window}";

    [GeneratedRegex(@"^is silent as (?:a )?(warning|critical), expected for (\S+)$")]
    private static partial Regex Line();
}
