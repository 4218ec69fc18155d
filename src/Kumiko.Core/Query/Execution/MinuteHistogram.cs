using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Segments;

namespace Kumiko.Core.Query.Execution;

/// <summary>Counts of all records over whole minutes: segments tell them by heart, and no row is read.</summary>
internal static class MinuteHistogram
{
    public static bool Fits(Window window, long step) => step % Instants.Minute == 0 && window.From % Instants.Minute == 0;

    /// <summary>Seven numbers for each step, one a severity band.</summary>
    public static long[] Counts(Snapshot snapshot, Window window, long step, CancellationToken cancel)
    {
        var steps = (int)((window.Length + step - 1) / step);
        var counts = new long[steps * Histogram.Bands];
        foreach (var batch in snapshot.Batches)
        {
            if (!window.Overlaps(batch.MinTime, batch.MaxTime))
                continue;
            cancel.ThrowIfCancellationRequested();
            // The window may end within a minute; then its last segments are counted by their rows.
            if (batch is SegmentBatch segment && (batch.MaxTime < window.To || window.To % Instants.Minute == 0))
            {
                try
                {
                    foreach (var cell in segment.Facts().Counts)
                        if (cell.Minute >= window.From && cell.Minute < window.To)
                            counts[((cell.Minute - window.From) / step * Histogram.Bands) + cell.Band] += cell.Count;
                }
                // The store has set it aside and said so; the rest goes on.
                catch (DamagedSegmentException) { }
                continue;
            }
            IRecordRows rows;
            try
            {
                rows = batch.Open(records: false);
            }
            catch (DamagedSegmentException)
            {
                continue;
            }
            var (first, end) = batch.Range(window);
            var times = rows.Times;
            var bands = rows.Bands;
            for (var i = first; i < end; i++)
                counts[((times[i] - window.From) / step * Histogram.Bands) + bands[i]]++;
        }
        return counts;
    }
}
