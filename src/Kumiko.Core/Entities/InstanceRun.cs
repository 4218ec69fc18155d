namespace Kumiko.Core.Entities;

/// <summary>One run of an instance: a container, a pod or a process, from its start to its end.</summary>
/// <param name="Instance">What it calls itself, or what tells it from others.</param>
/// <param name="Started">UTC nanoseconds: as it says, or when it was first seen.</param>
/// <param name="Kind">container, pod, process or instance.</param>
/// <param name="Source">The source that told of it.</param>
/// <param name="Noticed">How its start was noticed.</param>
/// <param name="Seen">When something of it was seen last.</param>
public sealed record InstanceRun(
    string Instance,
    long Started,
    string Kind,
    string Service,
    string Host,
    string Source,
    string Noticed,
    long Seen
)
{
    public const string ByStartTime = "its start time";
    public const string ByCounter = "a counter that fell";
    public const string ByFirstLine = "its first line";
    public const string ByFirstSight = "first seen";

    /// <summary>When it ended; null while it runs, as far as is known.</summary>
    public long? Ended { get; init; }

    /// <summary>Why it ended, where that was told.</summary>
    public string Reason { get; init; } = "";

    /// <summary>Bytes of memory, and processors, that it may take; null where nobody said.</summary>
    public double? MemoryLimit { get; init; }
    public double? CpuLimit { get; init; }
}
