namespace Kumiko.Demo.World;

/// <summary>What of the world keeps a memory: a disk that fills, a queue that grows.</summary>
public static class World
{
    private const double DiskUsed = 42;

    /// <summary>How full the disk of manifest is, in percent: with verbose logging full after two days, emptied by tidying within
    /// one.</summary>
    public static double Disk(DateTimeOffset time, IReadOnlyList<Play> plays)
    {
        var used = DiskUsed;
        foreach (var play in plays)
            if (play.Of.Number == 4 && time > play.Start)
            {
                var end = play.End is { } ended && ended < time ? ended : time;
                // Live it is fast enough to be seen.
                var full = Math.Min(57, (end - play.Start).TotalHours * (play.Intensity < 1 ? 57 / 48.0 : 57));
                used = Math.Max(used, DiskUsed + Math.Max(0, full * (1 - ((time - end).TotalHours / 24))));
            }
        return used;
    }

    /// <summary>Messages that wait for the consumers of notice-board: too many for two of them by day, fewer than three can
    /// take.</summary>
    public static double Queue(DateTimeOffset time, IReadOnlyList<Play> plays)
    {
        var waiting = 0.0;
        foreach (var play in plays)
            if (play.Of.Number == 7 && time > play.Start)
            {
                var end = play.End is { } ended && ended < time ? ended : time;
                waiting = Math.Max(
                    waiting,
                    ((end - play.Start).TotalMinutes * 60 * play.Intensity) - ((time - end).TotalMinutes * 90)
                );
            }
        return Math.Max(0, waiting);
    }
}
