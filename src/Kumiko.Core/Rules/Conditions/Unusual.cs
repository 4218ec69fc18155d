using System.Text.RegularExpressions;
using Kumiko.Core.Analysis;
using Kumiko.Core.Query.Baselines;
using Kumiko.Core.Records;

namespace Kumiko.Core.Rules;

/// <summary>So many spreads from the median of the same hour on like days.</summary>
public sealed partial record Unusual(Direction Side, double? Warning, double? Critical) : AlertCondition
{
    private const int LeastUsual = 6;
    private const long Step = 10 * Instants.Minute;
    private const long Around = 30 * Instants.Minute;

    public static readonly ConditionKind Kind = new("unusual", typeof(Unusual), Read)
    {
        Choices = [("unusual", "is outside its usual range")],
        Inputs = [RuleInputs.Side],
        HasLimits = true,
        LimitHint = "spreads from the median of the same hour on like days",
        ReadText = ReadLine,
    };

    private static Unusual Read(RuleFieldReader form)
    {
        var (warning, critical) = form.Limits();
        return new Unusual(form.Side(), warning, critical);
    }

    private static Unusual? ReadLine(string line)
    {
        if (
            Line().Match(line) is not { Success: true } unusual
            || RuleTextReader.Limits(unusual.Groups[2].Value, Spreads()) is not { } limits
        )
            return null;
        var side = unusual.Groups[1].Value switch
        {
            "ly high" => Direction.High,
            "ly low" => Direction.Low,
            _ => Direction.Either,
        };
        return new Unusual(side, limits.Warning, limits.Critical);
    }

    public override (double? Warning, double? Critical) Limits => (Warning, Critical);

    public override AlertCondition With(double? warning, double? critical) =>
        this with
        {
            Warning = warning,
            Critical = critical,
        };

    public override string LimitUnit(string unit) => "";

    public override bool IsLow => Side == Direction.Low;

    public override string ComparedWith => "usual";

    public override string WithoutCompared => "There are too few like days yet to know what is usual.";

    public override int WindowsPerCheck => 40;

    /// <summary>The same hour on like days: its middle and spread, brought to every ten minutes.</summary>
    public override Comparison Compare(RuleDefinition definition, long[] at, Storage.Snapshot snapshot)
    {
        var (slice, zone, first) = (definition.Slice, definition.TimeZone, at[0]);
        // Nothing is usual before something was collected: of metrics and spans alone their own gaps tell.
        var oldest = snapshot.Batches.Count == 0 ? first - (28 * Instants.Day) : snapshot.Batches.Min(b => b.MinTime);
        long Aligned(long time) => time - ((((time - first) % slice) + slice) % slice);
        var step = Math.Max(slice, Step / slice * slice);
        var likes = new Dictionary<long, long[]>();
        long[] Like(long end)
        {
            var bucket = (end + (Step / 2)) / Step * Step;
            if (likes.TryGetValue(bucket, out var known))
                return known;
            var times = new SortedSet<long>();
            foreach (var like in LikeTimes.Of(bucket, oldest + definition.InTheLast + Around, zone))
                for (var time = like - Around; time <= like + Around; time += step)
                    if (Aligned(time) is var grid && grid < end)
                        times.Add(grid);
            return likes[bucket] = [.. times];
        }
        var usual = new Dictionary<(string, IReadOnlyList<long>), (double, double)?>();
        return new Comparison(Like, (found, line, _, others) =>
        {
            if (usual.TryGetValue((line.Name, others), out var known))
                return known;
            return usual[(line.Name, others)] = Usual(others.Select(o => found.At(line, o)), found.Answer.Nothing);
        });
    }

    private static (double Median, double Spread)? Usual(IEnumerable<double> figures, double nothing)
    {
        var values = figures.Where(double.IsFinite).ToList();
        if (values.Count < LeastUsual)
            return null;
        var (median, spread) = Robust.Of(values);
        // Counts scatter by their root even when nothing changes; other figures by at least a hundredth.
        var least = nothing == 0 ? Math.Sqrt(Math.Max(1, median)) : Math.Max(Math.Abs(median) / 100, 1e-12);
        return (median, Math.Max(spread, least));
    }

    public override ConditionResult Judge(RuleDefinition definition, in Measurement measurement, KeyState key, long at)
    {
        if (double.IsNaN(measurement.Value) || double.IsNaN(measurement.Compared) || !(measurement.Spread > 0))
            return ConditionResult.Nothing;
        var score = (measurement.Value - measurement.Compared) / measurement.Spread;
        return ConditionResult.High(Directions.Of(Side, score, -score), Limits);
    }

    public override double Off(double value, double? compared) => Directions.Off(Side, value, compared);

    public override void Check(RuleDefinition definition, ICollection<string> faults) =>
        CheckLimits(below: false, signed: false, faults);

    public override string Print()
    {
        var side = Side switch
        {
            Direction.High => "ly high",
            Direction.Low => "ly low",
            _ => "",
        };
        return $"is unusual{side} {RuleText.Limits(Limits, l => $"by {RuleText.Number(l)} spreads")}";
    }

    public override void Fill(RuleFields fields, string unit)
    {
        fields[RuleInputs.Side] = RuleFields.Word(Side);
        fields.PutLimits(this, "");
    }

    public override string Words(RuleWording words, string unit)
    {
        var side = Side switch
        {
            Direction.High => "above",
            Direction.Low => "below",
            _ => "outside",
        };
        return $"is {side} its usual range by {RuleWording.Limits(Limits, l => words.Number(l) + " spreads")}";
    }

    public override string Found(RuleWording words, FoundValue found) =>
        $"{words.Text(found.Value, found.Unit)}{found.Window}, usually {words.Text(found.Compared, found.Unit)}";

    [GeneratedRegex("^is unusual(ly high|ly low|) (by .+)$")]
    private static partial Regex Line();

    [GeneratedRegex($@"^by (?<n>\S+) spreads{RuleTextReader.AsLevel}")]
    private static partial Regex Spreads();
}
