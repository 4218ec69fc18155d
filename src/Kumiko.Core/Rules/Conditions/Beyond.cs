using System.Text.RegularExpressions;

namespace Kumiko.Core.Rules;

/// <summary>Above a limit, or below it.</summary>
public sealed partial record Beyond(bool Below, double? Warning, double? Critical) : AlertCondition
{
    public static readonly ConditionKind Kind = new("beyond", typeof(Beyond), Read)
    {
        Choices = [("above", "is above a limit"), ("below", "is below a limit")],
        HasLimits = true,
        LimitHint = "such as 40, 5%, 400ms, 2GB; leave one empty for none",
        ReadText = ReadLine,
    };

    private static Beyond Read(RuleFieldReader form)
    {
        var (warning, critical) = form.Limits();
        return new Beyond(form.Fields.Condition == "below", warning, critical);
    }

    private static Beyond? ReadLine(string line) =>
        Line().Match(line) is { Success: true } found
        && RuleTextReader.Limits(found.Groups[1].Value, Limit()) is { } limits
        && limits.Texts.Select(Side).Distinct().Count() == 1
            ? new Beyond(Side(limits.Texts[0]) == "below", limits.Warning, limits.Critical)
            : null;

    private static string Side(Match limit) => limit.Groups["side"].Value;

    private string Way => Below ? "below" : "above";

    public override string Choice => Way;

    public override (double? Warning, double? Critical) Limits => (Warning, Critical);

    public override AlertCondition With(double? warning, double? critical) =>
        this with
        {
            Warning = warning,
            Critical = critical,
        };

    public override bool LimitsAreFigures => true;

    public override bool LimitsFall => Below;

    public override bool IsLow => Below;

    public override IEnumerable<AxisLimit> OnAxis
    {
        get
        {
            if (Warning is { } warning)
                yield return new AxisLimit(warning, $"warning {Way}", "warning");
            if (Critical is { } critical)
                yield return new AxisLimit(critical, $"critical {Way}", "critical");
        }
    }

    public override ConditionResult Judge(RuleDefinition definition, in Measurement measurement, KeyState key, long at)
    {
        if (double.IsNaN(measurement.Value))
            return ConditionResult.Nothing;
        return Below ? ConditionResult.Low(measurement.Value, Limits) : ConditionResult.High(measurement.Value, Limits);
    }

    public override double Off(double value, double? compared)
    {
        var limit = Warning ?? Critical ?? 0;
        return Below ? limit - value : value - limit;
    }

    public override void Check(RuleDefinition definition, ICollection<string> faults) => CheckLimits(Below, signed: true, faults);

    public override string Print() => "is " + RuleText.Limits(Limits, l => $"{Way} {RuleText.Number(l)}");

    public override void Fill(RuleFields fields, string unit) => fields.PutLimits(this, unit);

    public override string Words(RuleWording words, string unit) =>
        "is " + RuleWording.Limits(Limits, l => $"{Way} {words.Text(l, unit)}");

    public override string Found(RuleWording words, FoundValue found)
    {
        var limit = found.Level == AlertLevel.Critical ? Critical : Warning;
        return $"{words.Text(found.Value, found.Unit)}{found.Window}; "
            + $"{RuleWording.Level(found.Level)} {Way} {words.Text(limit, found.Unit)}";
    }

    [GeneratedRegex("^is ((?:above|below) .+)$")]
    private static partial Regex Line();

    [GeneratedRegex($@"^(?<side>above|below) (?<n>\S+){RuleTextReader.AsLevel}")]
    private static partial Regex Limit();
}
