using System.Collections.Concurrent;
using System.Security.Cryptography;

namespace Kumiko.Web.Hosting;

/// <summary>
/// Sentences that a page is to show after a redirect. The address holds only a number of this list, so that nobody can make a
/// link
/// by which Kumiko says something.
/// </summary>
public sealed class ToldProblems
{
    private const int Most = 1_000;

    private readonly ConcurrentDictionary<string, (long Person, string Text)> _all = new();
    private readonly ConcurrentQueue<string> _order = new();

    /// <summary>Keeps a sentence for one person; the answer stands for it in an address.</summary>
    public string Keep(long person, string text)
    {
        var id = Convert.ToHexString(RandomNumberGenerator.GetBytes(6));
        _all[id] = (person, text);
        _order.Enqueue(id);
        while (_all.Count > Most && _order.TryDequeue(out var oldest))
            _all.TryRemove(oldest, out _);
        return id;
    }

    /// <summary>The sentence behind an address; null where there is none for this person.</summary>
    public string? Find(long person, string? id) =>
        id is not null && _all.TryGetValue(id, out var told) && told.Person == person ? told.Text : null;
}
