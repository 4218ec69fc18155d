using System.Collections.Concurrent;

namespace Kumiko.Core.Records;

/// <summary>
/// One object for each name of a field, so that looking for a name mostly compares references. Bounded, as a sender may
/// make up names without end: what comes later, or is long, stays the object that it is, and is compared letter by letter.
/// </summary>
public sealed class NamePool(int most)
{
    private const int Longest = 64;

    public static readonly NamePool Shared = new(1 << 18);

    private readonly ConcurrentDictionary<string, string> _names = new(StringComparer.Ordinal);
    private int _count;

    public string One(string name)
    {
        if (name.Length > Longest)
            return name;
        if (_names.TryGetValue(name, out var known))
            return known;
        // Counted by itself, as counting a dictionary for many threads stops them all.
        if (Volatile.Read(ref _count) >= most)
            return name;
        var one = _names.GetOrAdd(name, name);
        if (ReferenceEquals(one, name))
            Interlocked.Increment(ref _count);
        return one;
    }
}
