using System.Text.RegularExpressions;
using Kumiko.Core.Records;

namespace Kumiko.Core.Rules;

/// <summary>How a move against an earlier window is told.</summary>
public enum MoveBy
{
    Amount,
    Factor,
    Percent,
}

/// <summary>Higher or lower than in the window of the same length so much earlier.</summary>
/// <param name="By">How the limits are meant: 0.5 is half as much again in percent, 2 is twice as much by factor.</param>
/// <param name="Earlier">Nanoseconds.</param>
public sealed partial record Moved(Direction Side, MoveBy By, long Earlier, double? Warning, double? Critical) : AlertCondition
{
    private static readonly RuleInput Measure = new("By", RuleInputKind.Choice, "How the move is told")
    {
        Before = "by",
        Default = "percent",
        Options = [("percent", "percent"), ("factor", "a factor"), ("amount", "an amount")],
    };
    private static readonly RuleInput Before = new("Earlier", RuleInputKind.Figure, "How much earlier")
    {
        Before = "than",
        After = "earlier",
        Named = "how much earlier",
        Default = "7d",
    };

    public static readonly ConditionKind Kind = new("moved", typeof(Moved), Read)
    {
        Choices = [("moved", "moved against an earlier window")],
        Inputs = [RuleInputs.Side, Measure, Before],
        HasLimits = true,
        ReadText = ReadLine,
    };

    private static Moved Read(RuleFieldReader form)
    {
        var by = form.Fields[Measure] switch
        {
            "factor" => MoveBy.Factor,
            "amount" => MoveBy.Amount,
            _ => MoveBy.Percent,
        };
        var earlier = form.Length(Before);
        var (warning, critical) = by == MoveBy.Percent ? form.PercentLimits() : form.Limits();
        return new Moved(form.Side(), by, earlier, warning, critical);
    }

    private static Moved? ReadLine(string line)
    {
        if (
            Line().Match(line) is not { Success: true } moved
            || RuleTextReader.Limits(moved.Groups[2].Value, Limit()) is not { } limits
        )
            return null;
        var side = moved.Groups[1].Value switch
        {
            "rises" => Direction.High,
            "falls" => Direction.Low,
            _ => Direction.Either,
        };
        var by = limits.Texts[0].Groups switch
        {
            var told when told["factor"].Success => MoveBy.Factor,
            var told when told["percent"].Success => MoveBy.Percent,
            _ => MoveBy.Amount,
        };
        return new Moved(side, by, RuleTextReader.Length(moved.Groups[3].Value), limits.Warning, limits.Critical);
    }

    private string Verb =>
        Side switch
        {
            Direction.High => "rises",
            Direction.Low => "falls",
            _ => "moves",
        };

    public override (double? Warning, double? Critical) Limits => (Warning, Critical);

    public override AlertCondition With(double? warning, double? critical) =>
        this with
        {
            Warning = warning,
            Critical = critical,
        };

    public override string LimitUnit(string unit) =>
        By switch
        {
            MoveBy.Percent => "1",
            MoveBy.Factor => "",
            _ => unit,
        };

    public override bool IsLow => Side == Direction.Low;

    public override string ComparedWith => "earlier";

    public override int WindowsPerCheck => 2;

    public override IEnumerable<long> Lengths => [Earlier];

    public override Comparison Compare(RuleDefinition definition, long[] at, Storage.Snapshot snapshot) =>
        new(
            end => [end - Earlier],
            (found, line, _, others) =>
                found.At(line, others[0]) is var earlier && double.IsNaN(earlier) ? null : (earlier, double.NaN)
        );

    public override ConditionResult Judge(RuleDefinition definition, in Measurement measurement, KeyState key, long at)
    {
        if (double.IsNaN(measurement.Value) || double.IsNaN(measurement.Compared))
            return ConditionResult.Nothing;
        if (Change(By, measurement.Value, measurement.Compared) is not { } change)
            return ConditionResult.Nothing;
        // Half is as far as twice.
        var down = By == MoveBy.Factor ? Inverse(change) : -change;
        return ConditionResult.High(Directions.Of(Side, change, down), Limits);
    }

    private static double Inverse(double factor) => factor > 0 ? 1 / factor : double.PositiveInfinity;

    /// <summary>How a figure moved; null where nothing can be said: there was nothing earlier.</summary>
    public static double? Change(MoveBy by, double value, double earlier) =>
        by switch
        {
            MoveBy.Amount => value - earlier,
            _ when earlier == 0 => null,
            MoveBy.Percent => (value - earlier) / Math.Abs(earlier),
            _ => earlier < 0 || value < 0 ? null : value / earlier,
        };

    public override double Off(double value, double? compared) => Directions.Off(Side, value, compared);

    public override void Check(RuleDefinition definition, ICollection<string> faults)
    {
        CheckLimits(below: false, signed: false, faults);
        if (By == MoveBy.Factor && (Warning <= 1 || Critical <= 1))
            faults.Add("A factor is more than 1: 2 is twice as much, or half.");
        if (Earlier is < Instants.Second or > RuleDefinition.LongestWindow)
            faults.Add("Compare with 1s to 28d earlier.");
        else if (faults.Count == 0 && (Earlier + definition.InTheLast) / definition.Slice > RuleDefinition.MostSlices)
            faults.Add("Compare with a round number of such stretches earlier.");
    }

    public override string Print() => $"{Verb} {RuleText.Limits(Limits, Printed)} against {RuleText.Length(Earlier)} earlier";

    private string Printed(double limit) =>
        By switch
        {
            MoveBy.Factor => "by factor " + RuleText.Number(limit),
            MoveBy.Percent => "by " + RuleText.Percent(limit),
            _ => "by " + RuleText.Number(limit),
        };

    public override void Fill(RuleFields fields, string unit)
    {
        (fields[RuleInputs.Side], fields[Measure]) = (RuleFields.Word(Side), RuleFields.Word(By));
        fields[Before] = RuleFields.Length(Earlier);
        fields.PutLimits(this, LimitUnit(unit));
    }

    public override string Words(RuleWording words, string unit)
    {
        string Limit(double limit) =>
            By switch
            {
                MoveBy.Factor => "a factor of " + words.Number(limit),
                MoveBy.Percent => words.Percent(limit),
                _ => words.Text(limit, unit),
            };
        return $"{Verb} by more than {RuleWording.Limits(Limits, Limit)} against {words.Duration(Earlier)} earlier";
    }

    public override string Found(RuleWording words, FoundValue found) =>
        $"{words.Text(found.Value, found.Unit)}{found.Window}, "
        + $"{words.Text(found.Compared, found.Unit)} {words.Duration(Earlier)} earlier";

    [GeneratedRegex(@"^(rises|falls|moves) (.+) against (\S+) earlier$")]
    private static partial Regex Line();

    [GeneratedRegex($@"^by (?<factor>factor )?(?<n>[^\s%]+(?<percent>%)?){RuleTextReader.AsLevel}")]
    private static partial Regex Limit();
}
