using Kumiko.Core.Records;

namespace Kumiko.Core.Rules;

/// <summary>A rule that many need, filled in as far as it can be.</summary>
/// <param name="Why">When it helps.</param>
public sealed record ReadyRule(string Key, string Name, string Why, RuleDefinition Definition)
{
    /// <summary>Of its figures.</summary>
    public string Unit { get; init; } = "";
}

/// <summary>Rules to begin with.</summary>
public static class ReadyRules
{
    public static readonly IReadOnlyList<ReadyRule> All =
    [
        new(
            "errors",
            "Errors above their usual range",
            "For each service by itself, against the same hour on like days.",
            new RuleDefinition
            {
                Quantity = new CountOf("level >= error"),
                Keys = ["service"],
                Condition = new Unusual(Direction.High, 4, 8),
                Duration = new ForChecks(3),
            }
        ),
        new(
            "fatal",
            "Anything fatal",
            "Every such record at once, whatever comes with it.",
            new RuleDefinition
            {
                Quantity = new EachRecord("level >= fatal"),
                Keys = ["service"],
                Condition = new Occurs(AlertLevel.Critical),
                InTheLast = 15 * Instants.Minute,
            }
        ),
        new(
            "failing",
            "A share of requests fails",
            "Answers of 500 and above among all, once there are enough to tell.",
            new RuleDefinition
            {
                Quantity = new ShareOf("status >= 500", "exists(status)", 50),
                Keys = ["service"],
                Condition = new Beyond(false, 0.03, 0.12),
                InTheLast = 10 * Instants.Minute,
            }
        ),
        new(
            "silent",
            "A host has gone silent",
            "What wrote within a day, and does not any more.",
            new RuleDefinition
            {
                Quantity = new CountOf(""),
                Keys = ["host"],
                Condition = new Silent(AlertLevel.Critical, Instants.Day),
                InTheLast = 15 * Instants.Minute,
            }
        ),
        new(
            "new-error",
            "A pattern of error never seen before",
            "The first time that a line of code complains.",
            new RuleDefinition
            {
                Quantity = new CountOf("level >= error"),
                Keys = ["pattern"],
                Condition = new NewValue(AlertLevel.Warning, 14 * Instants.Day),
            }
        ),
        new(
            "surge",
            "Twice as much as a week ago",
            "A surge, or a flood.",
            new RuleDefinition
            {
                Quantity = new CountOf(""),
                Condition = new Moved(Direction.High, MoveBy.Factor, 7 * Instants.Day, 2, 4),
                InTheLast = 15 * Instants.Minute,
            }
        ),
        new(
            "disk",
            "A disk will be full",
            "By its trend, while there is time to do something.",
            new RuleDefinition
            {
                Quantity = new ValueOf("from metrics name = system.filesystem.utilization | group max(value) by host"),
                Condition = new WillReach(false, 0.95, 6 * Instants.Hour, 24 * 3_600, 4 * 3_600),
                InTheLast = 10 * Instants.Minute,
                CheckedEvery = 5 * Instants.Minute,
            }
        )
        {
            Unit = "1",
        },
        new(
            "slow",
            "Operations are slow",
            "The share of spans beyond what people wait for.",
            new RuleDefinition
            {
                Quantity = new SlowSpans("", "", 750_000_000, AsShare: true, 20),
                Condition = new Beyond(false, 0.12, 0.3),
                Duration = new ForShare(0.6, 12 * Instants.Minute),
                InTheLast = 12 * Instants.Minute,
            }
        ),
    ];

    public static ReadyRule? Find(string? key) => All.FirstOrDefault(r => r.Key == key);
}
