using Kumiko.Worlds.Disturbances;

namespace Kumiko.Demo.World;

/// <summary>Lines that a disturbance adds, or that are written in place of others while it goes on.</summary>
/// <param name="Hosts">Who writes them; null for all hosts of the service.</param>
/// <param name="Share">How much of it there is at a time, 0 to 1, where that is not always all of it.</param>
public sealed record Effect(Line Line, string[]? Hosts, Func<DateTimeOffset, IReadOnlyList<Play>, double>? Share = null);

/// <summary>
/// Something that goes wrong, or is only unusual, at Skerry Line: what somebody did, what comes of it, and in which words.
/// </summary>
public sealed record LineDisturbance(int Number, string Cause) : Disturbance(Number, Cause)
{
    /// <summary>What the buttons that begin and end it say.</summary>
    public required string Send { get; init; }
    public required string Back { get; init; }

    /// <summary>A query that finds its records and hardly any other.</summary>
    public required string Sign { get; init; }

    /// <summary>What it really touches.</summary>
    public required IReadOnlyList<string> Affected { get; init; }

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
