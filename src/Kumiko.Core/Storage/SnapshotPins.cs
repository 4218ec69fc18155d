using Kumiko.Core.Records;

namespace Kumiko.Core.Storage;

/// <summary>Batches by what their rows are.</summary>
internal sealed class BatchLists
{
    private readonly RecordBatch[][] _bySignal;
    private readonly long[] _counts;

    private BatchLists(RecordBatch[][] bySignal)
    {
        _bySignal = bySignal;
        _counts = Array.ConvertAll(bySignal, batches => batches.Sum(b => (long)b.Count));
    }

    public static readonly BatchLists Empty = Of([]);

    public static BatchLists Of(IReadOnlyList<RecordBatch> batches) =>
        new([.. Enum.GetValues<Signal>().Select(signal => batches.Where(b => b.Signal == signal).ToArray())]);

    public RecordBatch[] Of(Signal signal) => _bySignal[(int)signal];

    public IEnumerable<RecordBatch> All => _bySignal.SelectMany(b => b);

    public long CountOf(Signal signal) => _counts[(int)signal];
}

/// <summary>The lists of batches that are being read.</summary>
internal sealed class SnapshotPins
{
    private readonly VersionPins<BatchLists> _pins = new(BatchLists.Empty);

    /// <summary>The newest list, held until the snapshot is disposed.</summary>
    public Snapshot Take()
    {
        var (lists, pin) = _pins.Take();
        return new Snapshot(lists, Signal.Logs, pin);
    }

    /// <summary>Puts a new list in place of the last and answers with its version.</summary>
    public long Replace(IReadOnlyList<RecordBatch> batches) => _pins.Replace(BatchLists.Of(batches));

    /// <summary>Number of rows in the newest list.</summary>
    public long CountOf(Signal signal) => _pins.Newest.CountOf(signal);

    /// <inheritdoc cref="VersionPins{T}.IsReadBefore"/>
    public bool IsReadBefore(long version) => _pins.IsReadBefore(version);
}
