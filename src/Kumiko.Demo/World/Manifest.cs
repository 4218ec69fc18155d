using Kumiko.Worlds.Disturbances;

namespace Kumiko.Demo.World;

/// <summary>The disk of manifest.</summary>
public static class Manifest
{
    /// <summary>How full it is, in percent: with verbose logging full after two days, emptied by tidying within one.</summary>
    public static double Disk(DateTimeOffset time, IReadOnlyList<Play> plays) =>
        100 * (Acting.DiskUsed + plays.Filled("manifest", Acting.DiskRoom, time));
}
