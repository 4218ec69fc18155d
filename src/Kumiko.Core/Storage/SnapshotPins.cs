namespace Kumiko.Core.Storage;

/// <summary>Which versions of the list of batches are being read. What only older versions hold can go when none of these is left.</summary>
internal sealed class SnapshotPins
{
    private readonly Lock _lock = new();
    private readonly SortedDictionary<long, int> _readers = [];
    private RecordBatch[] _batches = [];
    private long _count, _version;

    /// <summary>The newest list, held until the snapshot is disposed.</summary>
    public Snapshot Take()
    {
        lock (_lock)
        {
            _readers[_version] = _readers.GetValueOrDefault(_version) + 1;
            return new Snapshot(_batches, _count, new Pin(this, _version));
        }
    }

    /// <summary>Puts a new list in place of the last and answers with its version.</summary>
    public long Replace(RecordBatch[] batches)
    {
        lock (_lock)
        {
            (_batches, _count) = (batches, batches.Sum(b => (long)b.Count));
            return ++_version;
        }
    }

    /// <summary>Number of records in the newest list.</summary>
    public long Count => Volatile.Read(ref _count);

    /// <summary>Whether somebody reads a version before this one.</summary>
    public bool IsReadBefore(long version)
    {
        lock (_lock) return _readers.Count > 0 && _readers.First().Key < version;
    }

    private void Release(long version)
    {
        lock (_lock)
        {
            if (_readers[version] == 1) _readers.Remove(version); else _readers[version]--;
        }
    }

    private void Hold(long version)
    {
        lock (_lock)
        {
            ObjectDisposedException.ThrowIf(!_readers.TryGetValue(version, out var readers), typeof(Snapshot));
            _readers[version] = readers + 1;
        }
    }

    internal sealed class Pin(SnapshotPins pins, long version) : IDisposable
    {
        private int _released;

        public Pin Again()
        {
            pins.Hold(version);
            return new Pin(pins, version);
        }

        public void Dispose()
        {
            if (Interlocked.Exchange(ref _released, 1) == 0) pins.Release(version);
            GC.SuppressFinalize(this);
        }

        // A snapshot that nobody closed must not keep old segments for ever.
        ~Pin() => pins.Release(version);
    }
}
