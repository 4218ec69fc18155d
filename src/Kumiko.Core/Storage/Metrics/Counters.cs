namespace Kumiko.Core.Storage.Metrics;

/// <summary>How much a counter grew.</summary>
public static class Counters
{
    /// <summary>
    /// The growth that a sample shows since the one before it, and over which time. It belongs to the later sample, whatever
    /// lies between: so nothing that was counted is lost in a gap, and as its time is told with it, a rate does not jump.
    /// A cumulative counter that falls, or says that it began after the sample before, began anew: then all it shows is growth.
    /// </summary>
    /// <param name="before">The sample before; null where there is none.</param>
    /// <param name="start">Since when the later sample counts; 0 where it is not said.</param>
    /// <param name="from">Where what is asked for begins: all that a series counted since then is growth, though no sample is
    /// before it.</param>
    /// <returns>Growth, NaN where nothing can be said, and nanoseconds.</returns>
    public static (double Growth, long Covered) Between(
        (long Time, double Value)? before,
        long time,
        double value,
        long start,
        bool isDelta,
        long from = long.MaxValue
    )
    {
        if (isDelta)
            return (
                value,
                before switch
                {
                    _ when start > 0 && start < time => time - start,
                    { } last => time - last.Time,
                    null => 0,
                }
            );
        if (before is not { } earlier)
            return BeginsWithin(start, from, time) ? (value, time - start) : (double.NaN, 0);
        var anew = value < earlier.Value || start > earlier.Time;
        return (anew ? value : value - earlier.Value, time - earlier.Time);
    }

    /// <summary>Whether a series began counting within what is asked for, so that its first sample is growth.</summary>
    public static bool BeginsWithin(long start, long from, long time) => start > 0 && start >= from && start <= time;
}
