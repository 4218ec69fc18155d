namespace Kumiko.Core.Rules;

public enum NotificationKind
{
    Started,
    Rose,
    Ended,

    /// <summary>A rule could not be checked for a while.</summary>
    Failed,

    /// <summary>Nobody acknowledged an alert in time.</summary>
    Escalated,

    /// <summary>What a check found, good or not, for machines.</summary>
    Result,
}

/// <summary>Something to be told: a turn of an alert, a rule that fails, a check's result. Written in the transaction of its
/// cause.</summary>
public sealed class Notification
{
    public long Id { get; init; }
    public NotificationKind Kind { get; init; }
    public long Rule { get; init; }
    public long? Alert { get; init; }
    public long At { get; init; }
    public AlertLevel Level { get; init; }
    public double? Value { get; init; }
    public double? Compared { get; init; }
    public bool IsFlapping { get; init; }

    /// <summary>The reason of an end; the problem of a failed check; the results of a check as JSON.</summary>
    public string Text { get; init; } = "";
    public long? Planned { get; init; }
}
