namespace Kumiko.Core.Rules;

/// <summary>One episode of a rule's condition being true, for one key.</summary>
public sealed class Alert
{
    public long Id { get; init; }
    public long Rule { get; init; }
    public string Name { get; init; } = "";

    /// <summary>The canonical text of its keys together, and the keys as they are shown.</summary>
    public string Key { get; init; } = "";
    public IReadOnlyList<string> Keys { get; init; } = [];

    /// <summary>The rule's sentence when it started.</summary>
    public required RuleDefinition Definition { get; init; }
    public string Unit { get; init; } = "";
    public long Started { get; init; }

    /// <summary>The highest level it reached.</summary>
    public AlertLevel Level { get; init; }

    /// <summary>The last figure, what it was held against, and the worst figure.</summary>
    public double? Value { get; init; }
    public double? Compared { get; init; }
    public double? Worst { get; init; }
    public bool IsFlapping { get; init; }
    public long? Ended { get; init; }

    /// <summary>Who or what ended it when the condition did not, such as a paused rule.</summary>
    public string? EndedBy { get; init; }

    public long? Acknowledged { get; init; }
    public string? Acknowledger { get; init; }

    /// <summary>Until when nobody is told of it.</summary>
    public long? Snoozed { get; init; }

    /// <summary>Its brief as JSON; null before it was computed.</summary>
    public string? Brief { get; init; }

    /// <summary>Of its rule: labels, owner's name, team.</summary>
    public string Labels { get; init; } = "";
    public string? Owner { get; init; }
    public string Team { get; init; } = "";

    public bool IsOpen => Ended is null;

    public bool IsSnoozed(long now) => Snoozed > now;

    /// <summary>Its key for people: <c>Tarnhead, gate-t3</c>; empty for none.</summary>
    public string Of => string.Join(", ", Keys.Where(k => k.Length > 0));
}

/// <summary>What became of an alert, or what a person did with it.</summary>
public sealed class AlertEvent
{
    public long At { get; init; }
    public string Kind { get; init; } = "";
    public string Level { get; init; } = "";
    public double? Value { get; init; }
    public string Person { get; init; } = "";
    public string Text { get; init; } = "";
}
