using Kumiko.Core.Records;

namespace Kumiko.Core.Rules;

/// <summary>How bad it is: nothing, a warning, or critical.</summary>
public enum AlertLevel
{
    None,
    Warning,
    Critical,
}

/// <summary>What a rule was last seen to be.</summary>
public enum RuleState
{
    NotChecked,
    Well,
    Warning,
    Critical,
    Paused,
    CheckFailed,
}

/// <summary>More than so many matching records in the look-back, checked at every interval. Durations in nanoseconds.</summary>
public sealed class Rule
{
    public const long ShortestInterval = 10 * Instants.Second, LongestInterval = Instants.Day;
    public const long LongestLookBack = 7 * Instants.Day;

    public long Id { get; init; }
    public string Name { get; init; } = "";
    public string Query { get; init; } = "";

    /// <summary>The count above which it is a warning; null for no warning.</summary>
    public long? Warning { get; init; }
    public long? Critical { get; init; }
    public long LookBack { get; init; }
    public long Interval { get; init; }

    /// <summary>Mail addresses, separated by commas; empty to tell nobody.</summary>
    public string MailTo { get; init; } = "";
    public string Zone { get; init; } = "UTC";
    public long Author { get; init; }
    public long Created { get; init; }
    public bool Paused { get; init; }

    /// <summary>When it was last checked, and what was found.</summary>
    public long? Checked { get; init; }
    public long? Value { get; init; }
    public string? Problem { get; init; }

    public AlertLevel LevelOf(long value) =>
        value > Critical ? AlertLevel.Critical : value > Warning ? AlertLevel.Warning : AlertLevel.None;

    public RuleState State => Paused ? RuleState.Paused
        : Problem is not null ? RuleState.CheckFailed
        : Value is not { } value ? RuleState.NotChecked
        : LevelOf(value) switch { AlertLevel.Critical => RuleState.Critical, AlertLevel.Warning => RuleState.Warning, _ => RuleState.Well };

    /// <summary>When the next check is due; a new rule is due at once.</summary>
    public long Due => Checked + Interval ?? Created;

    /// <summary>What is wrong with the rule's settings, each as a sentence; empty where it can be saved.</summary>
    public IReadOnlyList<string> Faults()
    {
        var faults = new List<string>();
        if (string.IsNullOrWhiteSpace(Name) || Name.Length > 200) faults.Add("Give the rule a name of up to 200 characters.");
        if (Warning is null && Critical is null) faults.Add("Set a limit for warning, for critical, or both.");
        if (Warning < 0 || Critical < 0) faults.Add("A limit is 0 or more.");
        if (Warning >= Critical) faults.Add("The limit for critical must be above the one for warning.");
        if (LookBack < ShortestInterval || LookBack > LongestLookBack) faults.Add("Look back over 10s to 7d.");
        if (Interval < ShortestInterval || Interval > LongestInterval) faults.Add("Check every 10s to 1d.");
        if (LookBack < Interval) faults.Add("Look back at least as far as the time between checks, or records are missed.");
        return faults;
    }
}

/// <summary>One episode of a rule's condition being true.</summary>
public sealed class Alert
{
    public long Id { get; init; }
    public long Rule { get; init; }
    public string Name { get; init; } = "";
    public string Query { get; init; } = "";
    public long Started { get; init; }

    /// <summary>The highest level it reached.</summary>
    public AlertLevel Level { get; init; }

    /// <summary>The last value, and the highest.</summary>
    public long Value { get; init; }
    public long Highest { get; init; }
    public long? Ended { get; init; }

    /// <summary>Who or what ended it when the condition did not, such as a paused rule.</summary>
    public string? EndedBy { get; init; }
}

public enum TurnKind
{
    Started,
    Rose,
    Ended,
}

/// <summary>A start, a rise or an end of an alert: what people are told of.</summary>
public sealed record Turn(TurnKind Kind, long At, AlertLevel Level, long Value);
