using System.Collections.Concurrent;

namespace Kumiko.Web.Receivers;

/// <summary>One upload of a file at a time for each person.</summary>
public sealed class UploadTurns
{
    private readonly ConcurrentDictionary<string, bool> _busy = new(StringComparer.Ordinal);

    /// <summary>Takes the turn, to be given back by disposing it; null while this person has another upload under way.</summary>
    public IDisposable? Take(string person) => _busy.TryAdd(person, true) ? new Turn(() => _busy.TryRemove(person, out _)) : null;

    private sealed class Turn(Action done) : IDisposable
    {
        private Action? _done = done;

        public void Dispose() => Interlocked.Exchange(ref _done, null)?.Invoke();
    }
}
