using System.Text.Json;
using System.Text.Json.Serialization;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Language;
using Kumiko.Core.Records;
using NodaTime;

namespace Kumiko.Core.Rules;

/// <summary>What happens where there is nothing to judge.</summary>
public enum NoData
{
    /// <summary>All is well.</summary>
    Quiet,

    /// <summary>That is a warning.</summary>
    Warn,

    /// <summary>It stays as it was.</summary>
    Keep,
}

/// <summary>The sentence of a rule: a quantity, what is wrong with it, for how long, for each key; and when that is looked at.
/// Durations in nanoseconds.</summary>
public sealed record RuleDefinition
{
    public const long ShortestInterval = 10 * Instants.Second;
    public const long LongestInterval = Instants.Day;
    public const long LongestWindow = 28 * Instants.Day;
    public const int MostKeys = 200;
    public const int MostFields = 5;

    private const int MostSlices = 20_000;
    private const int MostRules = 10;

    public required Quantity Quantity { get; init; }

    // Names in kept JSON stay as they were first written.
    [JsonPropertyName("wrong")]
    public required AlertCondition Condition { get; init; }

    [JsonPropertyName("lasting")]
    public ForDuration Duration { get; init; } = new AtOnce();

    /// <summary>Fields that tell alerts apart; of a query that groups by itself, its own are.</summary>
    public IReadOnlyList<string> Keys { get; init; } = [];

    /// <summary>How far back each check looks.</summary>
    public long InTheLast { get; init; } = 5 * Instants.Minute;

    /// <summary>How long lies between two checks.</summary>
    public long CheckedEvery { get; init; } = Instants.Minute;

    /// <summary>How long is waited for what comes late: the window ends so much before the check.</summary>
    public long Delay { get; init; }
    public NoData NoData { get; init; }

    /// <summary>Null for always.</summary>
    public CheckHours? Hours { get; init; }

    /// <summary>In which hours and days are cut.</summary>
    public string Zone { get; init; } = "UTC";

    [JsonIgnore]
    public DateTimeZone TimeZone => DateTimeZoneProviders.Tzdb.GetZoneOrNull(Zone) ?? DateTimeZone.Utc;

    /// <summary>The shortest stretch of which windows and the distances of checks are whole numbers.</summary>
    [JsonIgnore]
    public long Slice =>
        Condition switch
        {
            Moved moved => Gcd(Gcd(CheckedEvery, InTheLast), moved.Earlier),
            _ when Quantity is BurnRate burn => Gcd(Gcd(CheckedEvery, InTheLast), burn.Short),
            _ => Gcd(CheckedEvery, InTheLast),
        };

    internal static long Gcd(long a, long b) => b == 0 ? a : Gcd(b, a % b);

    public bool Equals(RuleDefinition? other) =>
        other is not null
        && Quantity == other.Quantity
        && Condition == other.Condition
        && Duration == other.Duration
        && Keys.SequenceEqual(other.Keys)
        && InTheLast == other.InTheLast
        && CheckedEvery == other.CheckedEvery
        && Delay == other.Delay
        && NoData == other.NoData
        && Hours == other.Hours
        && Zone == other.Zone;

    public override int GetHashCode() => HashCode.Combine(Quantity, Condition, Duration, InTheLast, CheckedEvery);

    /// <summary>What is wrong with the settings, each as a sentence; empty where it can be checked.</summary>
    public IReadOnlyList<string> Faults()
    {
        var faults = new List<string>();
        foreach (var query in RuleQueries.Of(this))
            faults.AddRange(query.Faults());
        if (Quantity is InOrder { Rules: var rules, Within: var within })
        {
            if (rules.Count is < 2 or > MostRules)
                faults.Add($"Choose 2 to {MostRules} rules, in their order.");
            if (within is < Instants.Second or > LongestWindow)
                faults.Add("Let the next follow within 1s to 28d.");
        }
        if (Quantity.IsFigure == Condition is Occurs)
            faults.Add(
                Quantity.IsFigure ? "Say what is wrong with the figure." : "What happens at its own times is wrong by happening."
            );
        if (Keys.Count > MostFields)
            faults.Add($"A rule can tell alerts apart by {MostFields} fields.");
        if (Keys.Distinct(StringComparer.Ordinal).Count() < Keys.Count)
            faults.Add("Name each field to tell alerts apart by once.");
        if (Condition is NewValue && Keys.Count == 0 && Quantity is not ValueOf)
            faults.Add("Say of which field a new value is told: name it under “for each”.");
        if (Quantity is ValueOf or BudgetBurnt or BurnRate or InOrder && Keys.Count > 0)
            faults.Add("The keys of this are its own; leave “for each” empty.");
        if (CheckedEvery < ShortestInterval || CheckedEvery > LongestInterval)
            faults.Add("Check every 10s to 1d.");
        if (InTheLast < ShortestInterval || InTheLast > LongestWindow)
            faults.Add("Look at the last 10s to 28d.");
        else if (CheckedEvery >= ShortestInterval && InTheLast < CheckedEvery && Quantity.IsFigure)
            faults.Add("Look at no shorter stretch than lies between two checks, or records are missed.");
        if (faults.Count == 0 && Quantity.IsFigure && InTheLast / Slice > MostSlices)
            faults.Add("Look at a stretch that is a round number of the time between checks.");
        if (Delay < 0 || Delay > Instants.Day)
            faults.Add("Wait up to 1d for what comes late.");
        if (Quantity is BurnRate { Short: var shorter } && (shorter < ShortestInterval || shorter >= InTheLast))
            faults.Add("The second window of a burn rate must be shorter than the first.");
        DurationFaults(faults);
        ConditionFaults(faults);
        if (
            Hours is { } hours
            && (
                hours.Days.Count == 0
                || hours.Days.Any(d => d is < 1 or > 7)
                || hours.From is < 0 or >= CheckHours.MinutesOfDay
                || hours.To is < 0 or > CheckHours.MinutesOfDay
                || hours.From == hours.To
            )
        )
            faults.Add("Give the hours of checking at least one day, and two different times.");
        return faults;
    }

    private void DurationFaults(List<string> faults)
    {
        if (Duration is ForChecks { Count: < 1 or > ForDuration.MostChecks })
            faults.Add($"It can be wrong for 1 to {ForDuration.MostChecks} checks.");
        if (Duration is not ForShare { Share: var share, Window: var window })
            return;
        if (!(share is > 0 and <= 1))
            faults.Add("The share of the window is more than 0 and up to 100%.");
        if (window < CheckedEvery || (CheckedEvery > 0 && window / CheckedEvery > ForDuration.MostChecks))
            faults.Add($"The window that a share is of holds 1 to {ForDuration.MostChecks} checks.");
    }

    private void ConditionFaults(List<string> faults)
    {
        if (
            Condition
            is Silent { Level: AlertLevel.None }
                or NewValue { Level: AlertLevel.None }
                or Occurs { Level: AlertLevel.None }
        )
            faults.Add("Say whether it is a warning or critical.");
        switch (Condition)
        {
            case Beyond beyond:
                LimitFaults(beyond.Warning, beyond.Critical, beyond.Below, any: true, faults);
                break;
            case Moved moved:
                LimitFaults(moved.Warning, moved.Critical, false, any: false, faults);
                if (moved.By == MoveBy.Factor && (moved.Warning <= 1 || moved.Critical <= 1))
                    faults.Add("A factor is more than 1: 2 is twice as much, or half.");
                if (moved.Earlier is < Instants.Second or > LongestWindow)
                    faults.Add("Compare with 1s to 28d earlier.");
                else if (faults.Count == 0 && (moved.Earlier + InTheLast) / Slice > MostSlices)
                    faults.Add("Compare with a round number of such stretches earlier.");
                break;
            case Unusual unusual:
                LimitFaults(unusual.Warning, unusual.Critical, false, any: false, faults);
                break;
            case Silent { Expected: var expected }:
                if (expected < InTheLast || expected > LongestWindow)
                    faults.Add("What came in a stretch at least as long as is looked at, and up to 28d, can be expected.");
                break;
            case NewValue { History: var history }:
                if (history < InTheLast || history > LongestWindow)
                    faults.Add("The history that a value is new to is at least as long as what is looked at, and up to 28d.");
                break;
            case WillReach reach:
                if (!double.IsFinite(reach.Limit))
                    faults.Add("Give the limit that will be reached.");
                LimitFaults(reach.Warning, reach.Critical, below: true, any: false, faults);
                if (reach.Trend < 2 * CheckedEvery || reach.Trend > LongestWindow)
                    faults.Add("Take the trend from a stretch of at least two checks, and up to 28d.");
                break;
        }
    }

    private static void LimitFaults(double? warning, double? critical, bool below, bool any, List<string> faults)
    {
        if (warning is null && critical is null)
            faults.Add("Set a limit for warning, for critical, or both.");
        if (warning is { } w && !double.IsFinite(w) || critical is { } c && !double.IsFinite(c))
            faults.Add("A limit is a number.");
        else if (!any && (warning <= 0 || critical <= 0))
            faults.Add("The limit is more than 0.");
        if (below ? warning <= critical : warning >= critical)
            faults.Add($"The limit for critical must be {(below ? "below" : "above")} the one for warning.");
    }

    private static readonly JsonSerializerOptions Json = new(JsonSerializerDefaults.Web)
    {
        Converters = { new JsonStringEnumConverter(JsonNamingPolicy.CamelCase) },
        DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull,
    };

    public string ToJson() => JsonSerializer.Serialize(this, Json);

    /// <exception cref="JsonException">It is none.</exception>
    public static RuleDefinition FromJson(string json) =>
        JsonSerializer.Deserialize<RuleDefinition>(json, Json) ?? throw new JsonException("Nothing is written here.");
}

/// <summary>A query of a rule and what it must be.</summary>
/// <param name="Name">What it is called in sentences.</param>
/// <param name="MakesFigures">Whether it ends in figures of its own; else it leaves rows that are counted.</param>
/// <param name="OneByOne">Whether it is asked of records as they come in.</param>
internal sealed record RuleQuery(string Name, string Text, bool MakesFigures, bool OneByOne = false)
{
    private const int Longest = 16_384;

    public IEnumerable<string> Faults()
    {
        var parsed = QueryParser.Parse(Text);
        if (Text.Length > Longest)
            yield return $"{Name} has more than {Longest} characters.";
        else if (!parsed.Ok)
            yield return $"{Name}: {parsed.Errors[0].Describe(Text)}";
        else if (Parameters.WithoutValue(parsed.Query) is [{ Name: var open }, ..])
            yield return $"{Name}: :{open} is without a value. Write the value itself.";
        else if (parsed.Query.Stages.OfType<Group>().Any(g => g.Per is not null))
            yield return $"{Name}: a rule has steps of its own. Take “per” away; what each check looks at takes its place.";
        else if (
            OneByOne
            && (
                parsed.Query.From is { Set: not "logs" }
                || parsed.Query.With.Count > 0
                || parsed.Query.Stages.Any(s => s is Join or Union)
            )
        )
            yield return $"{Name}: only records come in one by one. Take “from”, “with” and joins away, or count instead.";
        else if (!MakesFigures && parsed.Query.Stages.Any(s => !(s.IsRowByRow || s is Join or Union)))
            yield return $"{Name}: what is counted are its rows, so it ends before group, order by or limit.";
        else if (MakesFigures && !parsed.Query.Stages.Any(s => s is Group))
            yield return $"{Name}: it needs a figure. End it with a group, such as group avg(wait).";
    }
}

internal static class RuleQueries
{
    public static IEnumerable<RuleQuery> Of(RuleDefinition definition) =>
        definition.Quantity switch
        {
            CountOf count => [new("The query", count.Query, false)],
            ShareOf share => [new("The part", share.Part, false), new("The whole", share.Whole, false)],
            DistinctOf distinct => [new("The query", distinct.Query, false)],
            ValueOf figure => [new("The query", figure.Query, true)],
            EachRecord each => [new("The query", each.Query, false, OneByOne: true)],
            _ => [],
        };
}
