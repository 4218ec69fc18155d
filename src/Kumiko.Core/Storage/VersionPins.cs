namespace Kumiko.Core.Storage;

/// <summary>A state with its version, replaced as a whole, and which versions are being read. What only older versions hold can
/// go when none of these is left.</summary>
internal sealed class VersionPins<TState>(TState first)
{
    private readonly Lock _lock = new();
    private readonly SortedDictionary<long, int> _readers = [];
    private TState _state = first;
    private long _version;

    /// <summary>The newest state, held until the pin is disposed.</summary>
    public (TState State, Pin Pin) Take()
    {
        lock (_lock)
        {
            _readers[_version] = _readers.GetValueOrDefault(_version) + 1;
            return (_state, new Pin(this, _version));
        }
    }

    /// <summary>Puts a new state in place of the last and answers with its version.</summary>
    public long Replace(TState state)
    {
        lock (_lock)
        {
            _state = state;
            return ++_version;
        }
    }

    public TState Newest
    {
        get
        {
            lock (_lock)
                return _state;
        }
    }

    /// <summary>Whether somebody reads a version before this one.</summary>
    public bool IsReadBefore(long version)
    {
        lock (_lock)
            return _readers.Count > 0 && _readers.First().Key < version;
    }

    private void Release(long version)
    {
        lock (_lock)
        {
            if (_readers[version] == 1)
                _readers.Remove(version);
            else
                _readers[version]--;
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

    internal sealed class Pin(VersionPins<TState> pins, long version) : IDisposable
    {
        private int _released;

        public Pin Again()
        {
            pins.Hold(version);
            return new Pin(pins, version);
        }

        public void Dispose()
        {
            if (Interlocked.Exchange(ref _released, 1) == 0)
                pins.Release(version);
            GC.SuppressFinalize(this);
        }

        // A reader that nobody closed must not keep old segments for ever.
        ~Pin() => pins.Release(version);
    }
}
