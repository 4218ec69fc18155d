using System.IO.Hashing;
using System.Text;

namespace Kumiko.Core.Storage;

/// <summary>Short strings seen again and again share one object: names, hosts, reasons. Not for several threads.</summary>
/// <param name="slots">How many are known, a power of two.</param>
public sealed class StringCache(int slots = 1 << 14)
{
    /// <summary>Bytes of the longest text that is known again.</summary>
    public const int Longest = 48;

    private readonly string?[] _slots = new string?[slots];
    private string?[]? _names;

    /// <summary>The string of valid UTF-8 bytes.</summary>
    public string Get(ReadOnlySpan<byte> utf8)
    {
        if (utf8.Length == 0)
            return "";
        if (utf8.Length > Longest)
            return Encoding.UTF8.GetString(utf8);
        ref var slot = ref _slots[XxHash3.HashToUInt64(utf8) & (ulong)(slots - 1)];
        if (slot is not null && IsSame(slot, utf8))
            return slot;
        return slot = Encoding.UTF8.GetString(utf8);
    }

    /// <summary>A name that is the same object wherever the process meets it, so that looks compare references.</summary>
    public string Name(ReadOnlySpan<byte> utf8)
    {
        if (utf8.Length is 0 or > Longest)
            return Get(utf8);
        ref var slot = ref (_names ??= new string?[slots])[XxHash3.HashToUInt64(utf8) & (ulong)(slots - 1)];
        if (slot is not null && IsSame(slot, utf8))
            return slot;
        return slot = Records.NamePool.Shared.One(Encoding.UTF8.GetString(utf8));
    }

    private static bool IsSame(string text, ReadOnlySpan<byte> utf8)
    {
        if (Ascii.Equals(utf8, text))
            return true;
        if (Ascii.IsValid(utf8))
            return false;
        Span<byte> bytes = stackalloc byte[Longest * 3];
        return text.Length <= utf8.Length
            && Encoding.UTF8.TryGetBytes(text, bytes, out var written)
            && bytes[..written].SequenceEqual(utf8);
    }
}
