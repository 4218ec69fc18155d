using Kumiko.Worlds.Disturbances;

namespace Kumiko.Worlds.Truth;

/// <summary>What a disturbance does to an entity.</summary>
public enum Sign
{
    Rate,
    Failures,
    Time,
    Delay,
    Memory,
    Disk,
    Processor,
    Values,
    Clock,
}

/// <summary>An entity that a disturbance really touches.</summary>
/// <param name="Hosts">Those of its hosts that differ, where not all do.</param>
/// <param name="Onset">The first minute in which it differs from the same world without.</param>
/// <param name="Back">The first minute from which on it no longer does; null while it does.</param>
/// <param name="Signs">What differs, what differed first in front.</param>
public sealed record Affected(
    string Service,
    IReadOnlyList<string> Hosts,
    DateTimeOffset Onset,
    DateTimeOffset? Back,
    IReadOnlyList<Sign> Signs
);

/// <summary>What really happened: kept apart from the data, and told by no field of it.</summary>
/// <param name="Entity">Where the cause lies: a service, an outside party, a queue or a feed.</param>
/// <param name="Hosts">Where in it; none for all of it.</param>
/// <param name="Change">The id of the change that began it; null where nobody did anything.</param>
/// <param name="Affected">In order of onset.</param>
/// <param name="Symptom">What people meet first: an entry service or a consumer; null where nobody outside notices.</param>
/// <param name="Paged">The minute in which a person would be paged.</param>
/// <param name="Innocent">Services of ours that it does not touch.</param>
/// <param name="Harmless">Ids of changes of the day before, and while it went on, that did nothing.</param>
public sealed record WorldTruth(
    int Disturbance,
    string Cause,
    bool IsFault,
    string Entity,
    IReadOnlyList<string> Hosts,
    string? Change,
    DateTimeOffset Start,
    DateTimeOffset? End,
    DateTimeOffset? Back,
    IReadOnlyList<Affected> Affected,
    string? Symptom,
    DateTimeOffset? Paged,
    IReadOnlyList<string> Innocent,
    IReadOnlyList<string> Harmless
)
{
    /// <summary>The play that it is the truth of.</summary>
    public static bool IsOf(WorldTruth truth, Play play) => truth.Disturbance == play.Of.Number && truth.Start == play.Start;
}
