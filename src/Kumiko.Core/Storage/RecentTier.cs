using Kumiko.Core.Records;
using Kumiko.Core.Storage.Segments;

namespace Kumiko.Core.Storage;

/// <summary>One committed batch that is not sealed yet: a row of <c>recent</c>.</summary>
/// <param name="First">The sequence of its first record.</param>
/// <param name="Received">When it was committed, UTC nanoseconds.</param>
internal sealed record RecentEntry(long First, IReadOnlyList<LogRecord> Records, string Source, long Received)
{
    public long RawBytes { get; } = Records.Sum(RecordSize.Of);
}

/// <summary>What waits to be sealed, in the order of commits. Changed on the writer thread, read by upkeep.</summary>
internal sealed class RecentTier
{
    private readonly Lock _lock = new();
    private readonly List<RecentEntry> _entries = [];
    private TaskCompletionSource _shrunk = new(TaskCreationOptions.RunContinuationsAsynchronously);
    private readonly Dictionary<string, long> _bytesBySource = new(StringComparer.Ordinal);
    private long _bytes;

    public long Bytes => Volatile.Read(ref _bytes);

    /// <summary>Bytes of a source that wait.</summary>
    public long BytesOf(string source)
    {
        lock (_lock) return _bytesBySource.GetValueOrDefault(source);
    }

    /// <summary>Done when something was sealed after this was asked.</summary>
    public Task Shrunk
    {
        get { lock (_lock) return _shrunk.Task; }
    }

    public IReadOnlyList<RecentEntry> Entries
    {
        get { lock (_lock) return [.. _entries]; }
    }

    public void Add(RecentEntry entry)
    {
        lock (_lock)
        {
            _entries.Add(entry);
            _bytesBySource[entry.Source] = _bytesBySource.GetValueOrDefault(entry.Source) + entry.RawBytes;
        }
        Interlocked.Add(ref _bytes, entry.RawBytes);
    }

    public void Remove(IReadOnlySet<RecentEntry> done)
    {
        lock (_lock)
        {
            _entries.RemoveAll(done.Contains);
            foreach (var entry in done)
                if ((_bytesBySource[entry.Source] -= entry.RawBytes) == 0) _bytesBySource.Remove(entry.Source);
            _shrunk.SetResult();
            _shrunk = new TaskCompletionSource(TaskCreationOptions.RunContinuationsAsynchronously);
        }
        Interlocked.Add(ref _bytes, -done.Sum(e => e.RawBytes));
    }
}
