using System.Text.RegularExpressions;
using Kumiko.Core.Analysis;
using Kumiko.Core.Records;

namespace Kumiko.Core.Rules;

/// <summary>By its trend it will be beyond a limit within a time.</summary>
/// <param name="Limit">What it will reach.</param>
/// <param name="Trend">The stretch that the trend is taken from, nanoseconds.</param>
/// <param name="Warning">Within so many seconds.</param>
public sealed partial record WillReach(bool Below, double Limit, long Trend, double? Warning, double? Critical) : AlertCondition
{
    private const int MostPoints = 30;

    private static readonly RuleInput Side = new("Reach", RuleInputKind.Choice, "Above or below")
    {
        Before = ":",
        Default = "above",
        Options = [("above", "above"), ("below", "below")],
    };
    private static readonly RuleInput At = new("Limit", RuleInputKind.Figure, "Limit") { Named = "the limit" };
    private static readonly RuleInput From = new("Trend", RuleInputKind.Figure, "Trend")
    {
        Before = "by the trend of",
        Named = "the stretch of the trend",
        Default = "6h",
    };

    public static readonly ConditionKind Kind = new("reach", typeof(WillReach), Read)
    {
        Choices = [("reach", "will reach a limit")],
        Inputs = [Side, At, From],
        HasLimits = true,
        LimitWord = "within",
        ReadText = ReadLine,
    };

    private static WillReach Read(RuleFieldReader form)
    {
        var limit = form.Figure(At) ?? double.NaN;
        var trend = form.Length(From);
        var (warning, critical) = form.SecondLimits("within how long it is a warning", "within how long it is critical");
        return new WillReach(form.Is(Side, "below"), limit, trend, warning, critical);
    }

    private static WillReach? ReadLine(string line)
    {
        if (
            Line().Match(line) is not { Success: true } reach
            || RuleTextReader.Limits(reach.Groups[3].Value, Seconds()) is not { } limits
        )
            return null;
        return new WillReach(
            reach.Groups[1].Value == "below",
            RuleTextReader.Number(reach.Groups[2].Value),
            RuleTextReader.Length(reach.Groups[4].Value),
            limits.Warning,
            limits.Critical
        );
    }

    private string Way => Below ? "below" : "above";

    public override (double? Warning, double? Critical) Limits => (Warning, Critical);

    public override AlertCondition With(double? warning, double? critical) =>
        this with
        {
            Warning = warning,
            Critical = critical,
        };

    public override string LimitUnit(string unit) => "s";

    public override bool LimitsFall => true;

    public override bool IsLow => Below;

    public override int WindowsPerCheck => 40;

    public override IEnumerable<AxisLimit> OnAxis => [new AxisLimit(Limit, $"to be {Way}", "limit")];

    public override Comparison Compare(RuleDefinition definition, long[] at, Storage.Snapshot snapshot)
    {
        var points = (int)Math.Clamp(Trend / definition.CheckedEvery, 2, MostPoints);
        var step = Math.Max(1, Trend / points / definition.CheckedEvery) * definition.CheckedEvery;
        return new Comparison(
            end => [.. Enumerable.Range(1, points).Select(p => end - (p * step))],
            (found, line, end, others) =>
            {
                var course = others.Reverse().Append(end).Select(o => ((o - end) / (double)Instants.Second, found.At(line, o)));
                return RobustTrend.Of([.. course]) is not { } trend || double.IsNaN(found.At(line, end))
                    ? null
                    : (SecondsUntil(trend), double.NaN);
            }
        );
    }

    /// <summary>How long until the trend is at the limit: 0 where it is there, without end where it does not go there.</summary>
    private double SecondsUntil(RobustTrend trend)
    {
        var gap = Limit - trend.Level;
        if (Below ? gap >= 0 : gap <= 0)
            return 0;
        if (!trend.IsClear || trend.Slope == 0 || trend.Slope < 0 != Below)
            return double.PositiveInfinity;
        return gap / trend.Slope;
    }

    public override ConditionResult Judge(RuleDefinition definition, in Measurement measurement, KeyState key, long at)
    {
        var seconds = measurement.Compared;
        return double.IsNaN(seconds)
            ? ConditionResult.Nothing
            : new ConditionResult(ConditionResult.LevelOf(seconds <= Critical, seconds <= Warning), true, -seconds);
    }

    public override double Off(double value, double? compared) => Below ? -value : value;

    public override void Check(RuleDefinition definition, ICollection<string> faults)
    {
        if (!double.IsFinite(Limit))
            faults.Add("Give the limit that will be reached.");
        CheckLimits(below: true, signed: false, faults);
        if (Trend < 2 * definition.CheckedEvery || Trend > RuleDefinition.LongestWindow)
            faults.Add("Take the trend from a stretch of at least two checks, and up to 28d.");
    }

    public override string Print() =>
        $"will be {Way} {RuleText.Number(Limit)} {RuleText.Limits(Limits, l => $"within {RuleText.Number(l)} s")}"
        + $" by the trend of {RuleText.Length(Trend)}";

    public override void Fill(RuleFields fields, string unit)
    {
        (fields[Side], fields[At], fields[From]) = (Way, RuleFields.Typed(Limit, unit), RuleFields.Length(Trend));
        fields.PutLimits(this, "s");
    }

    public override string Words(RuleWording words, string unit) =>
        $"will be {Way} {words.Text(Limit, unit)} within "
        + RuleWording.Limits(Limits, l => words.Duration(l * Instants.Second))
        + $", by its trend of {words.Duration(Trend)}";

    public override string Found(RuleWording words, FoundValue found)
    {
        var (value, limit) = (words.Text(found.Value, found.Unit), words.Text(Limit, found.Unit));
        return found.Compared is > 0
            ? $"{value} now, and {limit} in {words.Duration(found.Compared.Value * Instants.Second)}"
            : $"{value}, at {limit} by its trend";
    }

    [GeneratedRegex(@"^will be (above|below) (\S+) (within .+) by the trend of (\S+)$")]
    private static partial Regex Line();

    [GeneratedRegex($@"^within (?<n>\S+) s{RuleTextReader.AsLevel}")]
    private static partial Regex Seconds();
}
