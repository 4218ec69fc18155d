using System.IO.Hashing;
using System.Text;

namespace Kumiko.Core.Storage;

/// <summary>XXH3 of bytes and of the key they are kept under, so that bytes in the wrong place are damage too.</summary>
internal static class Checksum
{
    public static long Of(ReadOnlySpan<byte> content, long key) => (long)XxHash3.HashToUInt64(content, key);

    public static long Of(string content, long key) => Of(Encoding.UTF8.GetBytes(content), key);
}
