namespace Kumiko.Core.Storage;

/// <summary>The lists of batches that are being read.</summary>
internal sealed class SnapshotPins
{
    private readonly VersionPins<(RecordBatch[] Batches, long Count)> _pins = new(([], 0));
    private long _count;

    /// <summary>The newest list, held until the snapshot is disposed.</summary>
    public Snapshot Take()
    {
        var ((batches, count), pin) = _pins.Take();
        return new Snapshot(batches, count, pin);
    }

    /// <summary>Puts a new list in place of the last and answers with its version.</summary>
    public long Replace(RecordBatch[] batches)
    {
        var count = batches.Sum(b => (long)b.Count);
        Volatile.Write(ref _count, count);
        return _pins.Replace((batches, count));
    }

    /// <summary>Number of records in the newest list.</summary>
    public long Count => Volatile.Read(ref _count);

    /// <inheritdoc cref="VersionPins{T}.IsReadBefore"/>
    public bool IsReadBefore(long version) => _pins.IsReadBefore(version);
}
