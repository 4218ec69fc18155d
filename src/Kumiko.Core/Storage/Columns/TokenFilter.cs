using System.Runtime.InteropServices;

namespace Kumiko.Core.Storage.Columns;

/// <summary>
/// Says which tokens are surely not in a segment: a split-block Bloom filter, twelve bits a token, so about one in
/// two hundred absent tokens is let through.
/// </summary>
/// <remarks>Putze, Sanders, Singler: Cache-, Hash- and Space-Efficient Bloom Filters, 2007; blocks of 256 bits as in the open
/// Parquet format.</remarks>
public sealed class TokenFilter
{
    private const int BlockBytes = 32;
    private const int BitsPerToken = 12;

    private static readonly uint[] Salts =
    [
        0x47b6137b,
        0x44974d91,
        0x8824ad5b,
        0xa2b7289d,
        0x705495c7,
        0x2df1424b,
        0x9efc4947,
        0x5c6bfb31,
    ];

    private readonly byte[] _blocks;

    private TokenFilter(byte[] blocks) => _blocks = blocks;

    /// <summary>Bytes it takes in memory.</summary>
    public int Size => _blocks.Length;

    /// <summary>Writes the filter of a set; nothing where the set overflowed.</summary>
    public static void Write(ByteWriter to, TokenSet tokens)
    {
        if (tokens.Overflowed || tokens.Count == 0)
            return;
        var filter = new TokenFilter(
            new byte[(((tokens.Count * BitsPerToken) + (BlockBytes * 8) - 1) / (BlockBytes * 8)) * BlockBytes]
        );
        foreach (var hash in tokens.Hashes)
        {
            var block = filter.Block(hash);
            for (var i = 0; i < Salts.Length; i++)
                block[i] |= Bit(hash, i);
        }
        if (!BitConverter.IsLittleEndian)
            throw new PlatformNotSupportedException("Filters are kept in little-endian order.");
        to.Bytes(filter._blocks);
    }

    /// <summary>A filter from its bytes; null where there is none, so that every token may be there.</summary>
    /// <exception cref="InvalidDataException">The bytes are no whole number of blocks.</exception>
    public static TokenFilter? Read(ReadOnlySpan<byte> content)
    {
        if (content.Length % BlockBytes != 0)
            throw new InvalidDataException("A filter has a wrong length.");
        return content.IsEmpty ? null : new TokenFilter(content.ToArray());
    }

    /// <summary>False where the token is surely absent.</summary>
    public bool MayHold(ulong hash)
    {
        if (hash == 0)
            hash = 1;
        var block = Block(hash);
        for (var i = 0; i < Salts.Length; i++)
            if ((block[i] & Bit(hash, i)) == 0)
                return false;
        return true;
    }

    private Span<uint> Block(ulong hash)
    {
        var blocks = (ulong)_blocks.Length / BlockBytes;
        var at = (int)(((hash >> 32) * blocks) >> 32);
        return MemoryMarshal.Cast<byte, uint>(_blocks.AsSpan(at * BlockBytes, BlockBytes));
    }

    private static uint Bit(ulong hash, int word) => 1u << (int)(((uint)hash * Salts[word]) >> 27);
}
