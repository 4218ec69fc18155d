using System.Buffers;
using System.IO.Hashing;
using System.Text;

namespace Kumiko.Core.Storage.Columns;

/// <summary>
/// Hashes of tokens, in any case one: runs of letters, digits and _, and whole values. Bounded: with too many it
/// overflows and knows nothing any more. Not for several threads.
/// </summary>
public sealed class TokenSet
{
    /// <summary>More would make a filter that costs more than it saves.</summary>
    public const int MostTokens = 400_000;

    private ulong[] _slots = new ulong[1 << 12];
    private byte[] _upper = new byte[256];

    public int Count { get; private set; }

    /// <summary>Whether there were more than it holds; then every token may be in it.</summary>
    public bool Overflowed { get; private set; }

    public void Clear()
    {
        Array.Clear(_slots);
        (Count, Overflowed) = (0, false);
    }

    public IEnumerable<ulong> Hashes => _slots.Where(s => s != 0);

    /// <summary>Adds the tokens of a value, and the value as a whole.</summary>
    public void AddValue(ReadOnlySpan<byte> utf8)
    {
        if (utf8.IsEmpty || Overflowed)
            return;
        if (_upper.Length < utf8.Length)
            _upper = new byte[utf8.Length * 2];
        var upper = _upper.AsSpan(0, utf8.Length);
        if (Ascii.ToUpper(utf8, upper, out _) != OperationStatus.Done)
        {
            AddValue(Encoding.UTF8.GetString(utf8));
            return;
        }
        Add(XxHash3.HashToUInt64(upper));
        if (!upper.ContainsAnyExcept(TokenBytes))
            return;
        var start = -1;
        for (var i = 0; i <= upper.Length; i++)
        {
            if (i < upper.Length && TokenBytes.Contains(upper[i]))
            {
                if (start < 0)
                    start = i;
                continue;
            }
            if (start >= 0 && i - start < upper.Length)
                Add(XxHash3.HashToUInt64(upper[start..i]));
            start = -1;
        }
    }

    public void AddValue(string text)
    {
        Add(Whole(text));
        foreach (var token in TokenTexts(text))
            Add(HashOfUpper(token));
    }

    private static readonly SearchValues<byte> TokenBytes = SearchValues.Create("ABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789_"u8);

    /// <summary>The hash of a value as a whole.</summary>
    public static ulong Whole(string text) => HashOfUpper(text.ToUpperInvariant());

    /// <summary>The tokens of a text, in upper case.</summary>
    public static IEnumerable<string> TokenTexts(string text)
    {
        var upper = text.ToUpperInvariant();
        for (var i = 0; i < upper.Length; i++)
        {
            var start = i;
            while (i < upper.Length && Language.Keywords.IsTokenChar(upper[i]))
                i++;
            if (i > start)
                yield return upper[start..i];
        }
    }

    public static ulong HashOfUpper(string upper) => XxHash3.HashToUInt64(Encoding.UTF8.GetBytes(upper));

    private void Add(ulong hash)
    {
        // Zero marks a free slot.
        if (hash == 0)
            hash = 1;
        var mask = _slots.Length - 1;
        for (var at = (int)hash & mask; ; at = (at + 1) & mask)
        {
            if (_slots[at] == hash)
                return;
            if (_slots[at] != 0)
                continue;
            _slots[at] = hash;
            if (++Count * 2 > _slots.Length)
                Grow();
            return;
        }
    }

    private void Grow()
    {
        if (Count > MostTokens)
        {
            Overflowed = true;
            return;
        }
        var old = _slots;
        _slots = new ulong[old.Length * 2];
        var mask = _slots.Length - 1;
        foreach (var hash in old)
        {
            if (hash == 0)
                continue;
            var at = (int)hash & mask;
            while (_slots[at] != 0)
                at = (at + 1) & mask;
            _slots[at] = hash;
        }
    }
}
