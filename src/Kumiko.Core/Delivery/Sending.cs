using Kumiko.Core.Rules;

namespace Kumiko.Core.Delivery;

public enum SendingState
{
    Waiting,
    Sent,
    GivenUp,
}

/// <summary>One message to one recipient, with what became of it.</summary>
public sealed class Sending
{
    public long Id { get; init; }

    /// <summary>Is the same for every try, so that a repeat is known.</summary>
    public string Key { get; init; } = "";

    /// <summary>Null for a rule's own mail addresses.</summary>
    public long? Channel { get; init; }
    public string Recipient { get; init; } = "";
    public string Kind { get; init; } = "";
    public string Subject { get; init; } = "";

    /// <summary>What is sent, as it was composed; null before the first try.</summary>
    public string? Payload { get; init; }
    public long Created { get; init; }
    public long Due { get; init; }
    public int Attempts { get; init; }
    public long? Sent { get; init; }
    public long? GivenUp { get; init; }
    public string Answer { get; init; } = "";
    public string? Problem { get; init; }
    public string Remark { get; init; } = "";
    public long? AgainOf { get; init; }
    public string Person { get; init; } = "";

    /// <summary>Of its channel; null where that is gone.</summary>
    public string? ChannelName { get; init; }
    public int Tellings { get; init; }

    public SendingState State
    {
        get
        {
            if (Sent is not null)
                return SendingState.Sent;
            if (GivenUp is not null)
                return SendingState.GivenUp;
            return SendingState.Waiting;
        }
    }
}

/// <summary>How many tellings of one rule and kind a message has.</summary>
public sealed record NotificationCount(
    long Rule,
    string Name,
    NotificationKind Kind,
    AlertLevel Level,
    long Count,
    long First,
    long Last
);

/// <summary>What a message is about.</summary>
/// <param name="Tellings">The first of them, the worst first.</param>
/// <param name="Counts">All of them, counted by rule, kind and level.</param>
public sealed record SendingContent(IReadOnlyList<NotificationOf> Notifications, IReadOnlyList<NotificationCount> Counts)
{
    public long Total => Counts.Sum(c => c.Count);
}

/// <summary>A telling with what it is about.</summary>
public sealed record NotificationOf(Notification Notification, Rule? Rule, Alert? Alert);

/// <summary>Who was told of an alert, or is not yet and why.</summary>
public sealed class ToldWhom
{
    public NotificationKind Kind { get; init; }
    public long? Channel { get; init; }
    public string? ChannelName { get; init; }
    public string Recipient { get; init; } = "";
    public string? Route { get; init; }
    public long Since { get; init; }
    public long? Hold { get; init; }
    public string Why { get; init; } = "";
    public string? Dropped { get; init; }
    public long? Delivery { get; init; }
    public long? Sent { get; init; }
    public long? GivenUp { get; init; }
    public string? Problem { get; init; }
}

/// <summary>Which messages a list shows.</summary>
public sealed record SendingFilter(string State = "", long? Channel = null, string Text = "");
