using System.Text.Json;
using System.Text.Json.Serialization;
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

    internal const int MostSlices = 20_000;

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
    public long Slice => Quantity.Lengths.Concat(Condition.Lengths).Aggregate(Gcd(CheckedEvery, InTheLast), Gcd);

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
        foreach (var query in Quantity.Queries)
            faults.AddRange(query.Faults());
        Quantity.Check(this, faults);
        if (Quantity.IsFigure == Condition is Occurs)
            faults.Add(
                Quantity.IsFigure ? "Say what is wrong with the figure." : "What happens at its own times is wrong by happening."
            );
        if (Keys.Count > MostFields)
            faults.Add($"A rule can tell alerts apart by {MostFields} fields.");
        if (Keys.Distinct(StringComparer.Ordinal).Count() < Keys.Count)
            faults.Add("Name each field to tell alerts apart by once.");
        if (!QuantityKinds.Of(Quantity).TakesKeys && Keys.Count > 0)
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
        DurationFaults(faults);
        Condition.Check(this, faults);
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

    public string ToJson() => JsonSerializer.Serialize(this, RuleJson.Options);

    /// <exception cref="JsonException">It is none.</exception>
    public static RuleDefinition FromJson(string json) =>
        JsonSerializer.Deserialize<RuleDefinition>(json, RuleJson.Options) ?? throw new JsonException("Nothing is written here.");
}
