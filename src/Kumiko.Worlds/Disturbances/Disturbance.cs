namespace Kumiko.Worlds.Disturbances;

/// <summary>What a disturbance does to.</summary>
public enum ActOn
{
    /// <summary>The time that an operation takes itself: so many times as long.</summary>
    OwnTime,

    /// <summary>The share that fails by itself: so much more.</summary>
    Failures,

    /// <summary>Requests that enter: so many times as many.</summary>
    Demand,

    /// <summary>Requests that enter besides, in a minute at scale 1, whatever the hour.</summary>
    Extra,

    /// <summary>After how many milliseconds a caller gives up on its callee.</summary>
    TimeOut,

    /// <summary>How often a callee is called: so many times as often.</summary>
    Calls,

    /// <summary>Takes hosts away from a service.</summary>
    Hosts,

    /// <summary>MiB that each process of a service keeps every minute, until it is ended at its limit and starts again.</summary>
    Memory,

    /// <summary>Share of the disk that fills in an hour; its process cannot write when it is full.</summary>
    Disk,

    /// <summary>Share of the processors of hosts that is busy with something else.</summary>
    Processor,

    /// <summary>Messages that a queue grows by every minute, as its consumers cannot keep up.</summary>
    Queue,

    /// <summary>The values of a feed: so many times as high.</summary>
    Feed,

    /// <summary>Seconds that clocks of hosts go wrong by.</summary>
    Clock,
}

/// <summary>One thing that a disturbance does.</summary>
/// <param name="Service">Where; for a queue or a feed its name.</param>
/// <param name="Amount">As <see cref="ActOn"/> says.</param>
public sealed record Act(ActOn On, string Service, double Amount)
{
    /// <summary>Null for all of the service.</summary>
    public string? Operation { get; init; }

    /// <summary>Null for all of the service.</summary>
    public IReadOnlyList<string>? Hosts { get; init; }

    /// <summary>The service that is called, where it is about calls.</summary>
    public string? Callee { get; init; }

    /// <summary>What fails, where something fails.</summary>
    public string Error { get; init; } = "";

    /// <summary>Its amount in history, where things go slower; null for the amount times the intensity.</summary>
    public double? InHistory { get; init; }

    /// <summary>How long after the change it sets in.</summary>
    public TimeSpan After { get; init; }

    /// <summary>How long until it is at its full strength, and until it is gone after the end; null for those of the
    /// disturbance.</summary>
    public TimeSpan? Rise { get; init; }
    public TimeSpan? Fall { get; init; }

    public bool Touches(string host) => Hosts is null || Hosts.Contains(host);
}

/// <summary>Something that goes wrong, or is only unusual: what somebody did, and what comes of it.</summary>
/// <param name="Number">Tells those of one world apart.</param>
/// <param name="Cause">In a sentence.</param>
public record Disturbance(int Number, string Cause)
{
    /// <summary>What is changed, where, from what and to what: as a release desk lists it.</summary>
    public string What { get; init; } = "";
    public string Where { get; init; } = "";
    public string From { get; init; } = "";
    public string To { get; init; } = "";
    public string Who { get; init; } = "";

    /// <summary>What is told when it is undone; null for the same with <c>rolled back</c>.</summary>
    public string? Undone { get; init; }

    /// <summary>Who undoes it.</summary>
    public string UndoneBy { get; init; } = "";

    /// <summary>What kind of change begins it; empty where nobody did anything.</summary>
    public string Kind { get; init; } = "config";

    /// <summary>The service whose state it is, and where that is changed; none for all of its hosts.</summary>
    public required string Service { get; init; }
    public IReadOnlyList<string> Hosts { get; init; } = [];

    /// <summary>False for what is heavy, explained and no fault.</summary>
    public bool IsFault { get; init; } = true;

    public TimeSpan Rise { get; init; } = TimeSpan.FromSeconds(25);
    public TimeSpan Fall { get; init; } = TimeSpan.FromSeconds(40);

    /// <summary>How long after its end something of it is still to be seen.</summary>
    public TimeSpan Aftermath { get; init; }

    public IReadOnlyList<Act> Acts { get; init; } = [];
}

/// <summary>One time that a disturbance is played.</summary>
/// <param name="End">Null while nobody has put an end to it.</param>
/// <param name="Intensity">1 when played live; less in history, where it lasts longer.</param>
public sealed record Play(Disturbance Of, DateTimeOffset Start, DateTimeOffset? End, double Intensity)
{
    private const double Mild = 0.6;

    /// <summary>How strongly it is there at a time, 0 to 1.</summary>
    public double Strength(DateTimeOffset time) => Strength(time, TimeSpan.Zero, Of.Rise, Of.Fall);

    /// <summary>How strongly one of its acts works at a time, 0 to 1: milder in history.</summary>
    public double Strength(Act act, DateTimeOffset time) =>
        Strength(time, act.After, act.Rise ?? Of.Rise, act.Fall ?? Of.Fall) * (Intensity < 1 ? Mild : 1);

    private double Strength(DateTimeOffset time, TimeSpan after, TimeSpan rise, TimeSpan fall)
    {
        if (time < Start + after)
            return 0;
        var rising = rise == TimeSpan.Zero ? 1 : Math.Min(1, (time - Start - after) / rise);
        if (End is not { } end || time < end)
            return rising;
        return fall == TimeSpan.Zero ? 0 : Math.Max(0, 1 - ((time - end) / fall)) * Math.Min(1, rising);
    }

    /// <summary>Whether it may act anywhere in a stretch.</summary>
    public bool Touches(DateTimeOffset from, DateTimeOffset to) =>
        to > Start && (End is not { } end || from < end + Of.Fall + Of.Aftermath);
}
