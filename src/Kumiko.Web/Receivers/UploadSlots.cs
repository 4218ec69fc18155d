using System.Collections.Concurrent;
using Kumiko.Core.Accounts;

namespace Kumiko.Web.Receivers;

/// <summary>How many uploads each token has under way: a sender that is slow, or means harm, holds no more than its
/// own.</summary>
public sealed class UploadSlots
{
    public const int MostOfToken = 32;

    private readonly ConcurrentDictionary<long, int> _used = new();

    /// <summary>Takes a slot, to be given back by disposing it; null where the token has none left.</summary>
    public IDisposable? Take(Token? token)
    {
        if (token is null)
            return new Slot(() => { });
        if (_used.AddOrUpdate(token.Id, 1, (_, used) => used + 1) > MostOfToken)
        {
            Return(token.Id);
            return null;
        }
        return new Slot(() => Return(token.Id));
    }

    private void Return(long id) => _used.AddOrUpdate(id, 0, (_, used) => used - 1);

    private sealed class Slot(Action done) : IDisposable
    {
        private Action? _done = done;

        public void Dispose() => Interlocked.Exchange(ref _done, null)?.Invoke();
    }
}
