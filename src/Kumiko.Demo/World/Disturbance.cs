namespace Kumiko.Demo.World;

/// <summary>Lines that a disturbance adds.</summary>
/// <param name="Hosts">Who writes them; null for all hosts of the service.</param>
/// <param name="Share">How much of it there is at a time, 0 to 1, where that is not always all of it.</param>
public sealed record Effect(Line Line, string[]? Hosts, Func<DateTimeOffset, IReadOnlyList<Play>, double>? Share = null);

/// <summary>
/// Something that goes wrong, or is only unusual, at Skerry Line: what somebody did, and what comes of it.
/// </summary>
/// <param name="Number">As in the description of the world.</param>
/// <param name="What">What is changed, where, from what and to what: as the release desk lists it.</param>
/// <param name="Send">What the button that begins it says.</param>
/// <param name="Back">What the button that ends it says.</param>
/// <param name="Sign">A query that finds its records and hardly any other.</param>
/// <param name="Affected">What it really touches.</param>
public sealed record Disturbance(
    int Number,
    string Cause,
    string What,
    string Where,
    string From,
    string To,
    string Send,
    string Back,
    string Sign,
    IReadOnlyList<string> Affected
)
{
    /// <summary>What kind of change begins it.</summary>
    public string Kind { get; init; } = "config";

    /// <summary>Whether nothing is logged of it, and only the release desk knows.</summary>
    public bool IsSilent { get; init; }

    public TimeSpan Rise { get; init; } = TimeSpan.FromSeconds(25);
    public TimeSpan Fall { get; init; } = TimeSpan.FromSeconds(40);

    /// <summary>How long after its end something of it is still to be seen.</summary>
    public TimeSpan Aftermath { get; init; }

    public IReadOnlyList<Effect> Effects { get; init; } = [];

    /// <summary>What is written at its start and end: service, hosts, and the text with <c>{old}</c> and <c>{new}</c> for the two
    /// states.</summary>
    public (string Service, string[] Hosts, string Text)? Told { get; init; }

    /// <summary>What becomes of records that others write: changed, or null where they are not written at all.</summary>
    public Func<SimulatedRecord, Play, SimulatedRecord?>? Alter { get; init; }

    /// <summary>Of which service records may be altered.</summary>
    public string? Alters { get; init; }

    /// <summary>When it is played in the history of the demonstration: days before today and the hours of day.</summary>
    public (int DaysAgo, TimeSpan At, TimeSpan Lasts, double Intensity) InHistory { get; init; }

    /// <summary>What is written when it begins or ends.</summary>
    public IEnumerable<SimulatedRecord> Tell(Play play, DateTimeOffset from, DateTimeOffset to)
    {
        if (Told is not var (service, hosts, text))
            yield break;
        foreach (var (time, old, now) in new[] { (play.Start, From, To), (play.End ?? DateTimeOffset.MaxValue, To, From) })
            for (var i = 0; i < hosts.Length && time < to; i++)
            {
                var at = time.AddMilliseconds(i * 700);
                if (at < from || at >= to)
                    continue;
                (string, object)[] attributes = Number == 1 ? [("terminal", "Tarnhead"), ("firmware", now)] : [];
                yield return new SimulatedRecord(
                    at,
                    service,
                    hosts[i],
                    "info",
                    text.Replace("{old}", old, StringComparison.Ordinal).Replace("{new}", now, StringComparison.Ordinal),
                    attributes,
                    null,
                    null,
                    $"told:{Number}"
                );
            }
    }
}
