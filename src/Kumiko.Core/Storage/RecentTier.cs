using Kumiko.Core.Records;
using Kumiko.Core.Storage.Blocks;
using Kumiko.Core.Storage.Segments;

namespace Kumiko.Core.Storage;

/// <summary>One committed batch that is not sealed yet: a row of <c>recent</c>.</summary>
/// <param name="First">The sequence of its first record.</param>
/// <param name="Received">When it was committed, UTC nanoseconds.</param>
/// <param name="Import">The import it belongs to.</param>
internal sealed record RecentEntry(long First, RecordBlock Block, string Source, long Received, long? Import = null)
{
    /// <summary>Batches of one group may share segments that no other has.</summary>
    public string Group { get; } = GroupOf(Source, Import, Block.Signal);

    public static string GroupOf(string source, long? import, Signal signal = Signal.Logs)
    {
        if (signal == Signal.Spans)
            return "\0spans " + source;
        return import is { } id ? string.Create(System.Globalization.CultureInfo.InvariantCulture, $"\0{id}") : source;
    }

    public long RawBytes { get; } = Block.Size;
}

/// <summary>What waits to be sealed, in the order of commits. Changed on the writer thread, read by upkeep.</summary>
internal sealed class RecentTier
{
    private readonly Lock _lock = new();
    private readonly List<RecentEntry> _entries = [];
    private TaskCompletionSource _shrunk = new(TaskCreationOptions.RunContinuationsAsynchronously);
    private readonly Dictionary<string, (long Bytes, long Rows)> _byGroup = new(StringComparer.Ordinal);
    private long _bytes;

    public long Bytes => Volatile.Read(ref _bytes);

    /// <summary>Bytes of a group that wait.</summary>
    public long BytesOf(string group)
    {
        lock (_lock)
            return _byGroup.GetValueOrDefault(group).Bytes;
    }

    /// <summary>Whether a group fills a segment by itself.</summary>
    public bool IsFull(string group)
    {
        lock (_lock)
            return _byGroup.GetValueOrDefault(group) is var (bytes, rows)
                && (rows >= SegmentWriter.SealedRows || bytes >= SegmentWriter.SealedBytes);
    }

    /// <summary>Done when something was sealed after this was asked.</summary>
    public Task Shrunk
    {
        get
        {
            lock (_lock)
                return _shrunk.Task;
        }
    }

    public IReadOnlyList<RecentEntry> Entries
    {
        get
        {
            lock (_lock)
                return [.. _entries];
        }
    }

    public void Add(RecentEntry entry)
    {
        lock (_lock)
        {
            _entries.Add(entry);
            Count(entry, 1);
        }
        Interlocked.Add(ref _bytes, entry.RawBytes);
    }

    public void Remove(IReadOnlySet<RecentEntry> done)
    {
        lock (_lock)
        {
            _entries.RemoveAll(done.Contains);
            foreach (var entry in done)
                Count(entry, -1);
            _shrunk.SetResult();
            _shrunk = new TaskCompletionSource(TaskCreationOptions.RunContinuationsAsynchronously);
        }
        Interlocked.Add(ref _bytes, -done.Sum(e => e.RawBytes));
    }

    private void Count(RecentEntry entry, int sign)
    {
        var (bytes, rows) = _byGroup.GetValueOrDefault(entry.Group);
        var now = (Bytes: bytes + (sign * entry.RawBytes), Rows: rows + (sign * entry.Block.Count));
        if (now.Rows == 0)
            _byGroup.Remove(entry.Group);
        else
            _byGroup[entry.Group] = now;
    }
}
