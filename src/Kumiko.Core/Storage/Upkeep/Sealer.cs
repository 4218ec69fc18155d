using Kumiko.Core.Records;
using Kumiko.Core.Storage.Blocks;
using Kumiko.Core.Storage.Segments;

namespace Kumiko.Core.Storage.Upkeep;

/// <summary>Chooses batches to seal, and cuts their rows into segments.</summary>
internal static class Sealer
{
    public static readonly long OldestUnsealed = 15 * Instants.Minute;
    public const long MostUnsealedBytes = 256L << 20;

    /// <summary>Full segments that are sealed in one transaction, where a source has so much.</summary>
    private const int AtOnce = 4;

    /// <summary>
    /// What to seal next: of one source as much as makes full segments, a few at most; else, once the oldest is a quarter of an
    /// hour
    /// old, or there is too much in memory, all quiet sources together. Null for nothing.
    /// </summary>
    /// <param name="all">Whether to seal what is neither full nor old.</param>
    public static (IReadOnlyList<RecentEntry> Entries, string? Source, long? Import)? Choose(
        RecentTier recent,
        Retention retention,
        long now,
        bool all
    )
    {
        var entries = recent.Entries;
        if (entries.Count == 0)
            return null;
        var groups = entries.GroupBy(e => e.Group).ToList();
        foreach (var group in groups)
            if (recent.IsFull(group.Key))
                return (Full(group), group.First().Source, group.First().Import);
        var oldest = entries.MinBy(e => e.Received)!;
        if (!all && recent.Bytes <= MostUnsealedBytes && now - oldest.Received < OldestUnsealed)
            return null;
        var own = groups.FirstOrDefault(g => g.First().Import is not null || !retention.MayShare(g.First().Source));
        if (own is not null)
            return ([.. own], own.First().Source, own.First().Import);
        // What is no longer young first; records and spans never share a segment.
        List<RecentEntry> quiet = [.. entries.Where(e => e.Block.Signal == oldest.Block.Signal)];
        return (quiet, quiet.TrueForAll(e => e.Source == quiet[0].Source) ? quiet[0].Source : null, null);
    }

    private static List<RecentEntry> Full(IEnumerable<RecentEntry> entries)
    {
        var chosen = new List<RecentEntry>();
        var (rows, bytes) = (0L, 0L);
        foreach (var entry in entries)
        {
            rows += entry.Block.Count;
            bytes += entry.RawBytes;
            if (chosen.Count > 0 && (rows > SegmentWriter.SealedRows * AtOnce || bytes > SegmentWriter.SealedBytes * AtOnce))
                break;
            chosen.Add(entry);
        }
        return chosen;
    }

    /// <summary>The rows of blocks by their id, cut where a day ends and where a segment is full.</summary>
    public static IEnumerable<RowRef[]> Cut(IReadOnlyList<RecordBlock> blocks, int mostRows, long mostBytes)
    {
        var sorted = BlockGather.Rows(blocks);
        BlockGather.Sort(blocks, sorted);
        for (var start = 0; start < sorted.Length; )
        {
            var day = Day(start);
            var (end, bytes) = (start, 0L);
            // Parts of about equal size: a full one and a crumb would both be read for every question.
            var rows = Even(sorted.Length - start, mostRows);
            while (end < sorted.Length && end - start < rows && Day(end) == day)
            {
                bytes += blocks[sorted[end].Block].SizeOf(sorted[end].Row);
                if (bytes > mostBytes && end > start)
                    break;
                end++;
            }
            yield return sorted[start..end];
            start = end;
        }

        long Day(int at) => Segment.DayOf(blocks[sorted[at].Block].TimeOf[sorted[at].Row]);
    }

    private static int Even(int left, int most) => (left + ((left + most - 1) / most) - 1) / ((left + most - 1) / most);
}
