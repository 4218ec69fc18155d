using Kumiko.Core.Records;
using Kumiko.Core.Storage.Segments;

namespace Kumiko.Core.Storage.Upkeep;

/// <summary>Chooses small segments to merge: by size times four, so that a record is rewritten three times at most.</summary>
internal static class Merger
{
    public const int MostMerges = 3;
    private const int Fewest = 4;

    /// <summary>After a day has ended, late records may still come for a while.</summary>
    private static readonly long DayCloses = Instants.Hour;

    /// <summary>Segments of one day, source and import that fit into one; null for none.</summary>
    public static IReadOnlyList<SegmentBatch>? Choose(IEnumerable<SegmentBatch> segments, long now)
    {
        foreach (
            var group in segments
                .Where(s => s.Segment.Merges < MostMerges && !IsFull(s.Segment))
                .GroupBy(s => (s.Segment.Day, s.Segment.Signal, s.Segment.Source, s.Segment.Import))
                .OrderBy(g => g.Key.Day)
        )
        {
            var sorted = group.OrderBy(s => s.Segment.MinTime).ThenBy(s => s.Segment.Id).ToList();
            foreach (var level in sorted.GroupBy(s => s.Segment.Merges).OrderBy(g => g.Key))
                if (Fitting(level, Fewest) is { } some)
                    return some;
            var closed =
                (group.Key.Day + 1 > long.MaxValue / Instants.Day ? long.MaxValue : (group.Key.Day + 1) * Instants.Day)
                < now - DayCloses;
            if (closed && Fitting(sorted, 2) is { } rest)
                return rest;
        }
        return null;
    }

    private static bool IsFull(Segment segment) =>
        segment.Rows >= SegmentWriter.MergedRows * 3 / 4 || segment.RawBytes >= SegmentWriter.MergedBytes * 3 / 4;

    /// <summary>Neighbours in time, as many as fit, at least so many.</summary>
    private static List<SegmentBatch>? Fitting(IEnumerable<SegmentBatch> sorted, int fewest)
    {
        var chosen = new List<SegmentBatch>();
        var (rows, bytes) = (0L, 0L);
        foreach (var batch in sorted)
        {
            rows += batch.Segment.Rows;
            bytes += batch.Segment.RawBytes;
            if (rows > SegmentWriter.MergedRows || bytes > SegmentWriter.MergedBytes)
            {
                if (chosen.Count >= fewest)
                    return chosen;
                chosen.Clear();
                (rows, bytes) = (batch.Segment.Rows, batch.Segment.RawBytes);
            }
            chosen.Add(batch);
        }
        return chosen.Count >= fewest ? chosen : null;
    }
}
