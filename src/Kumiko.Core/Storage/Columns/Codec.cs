using K4os.Compression.LZ4;
using ZstdSharp;

namespace Kumiko.Core.Storage.Columns;

/// <summary>How the bytes of a column are packed.</summary>
public enum Codec : byte
{
    /// <summary>As they are: they would not shrink.</summary>
    None = 0,

    /// <summary>LZ4 blocks: while segments are young and read often.</summary>
    Lz4 = 1,

    /// <summary>Zstandard, level 1: once merged.</summary>
    Zstd = 2,
}

/// <summary>Packs and unpacks columns.</summary>
public static class Codecs
{
    /// <summary>Below this, packing costs more than it saves.</summary>
    private const int SmallestPacked = 64;

    [ThreadStatic]
    private static Compressor? _compressor;

    [ThreadStatic]
    private static Decompressor? _decompressor;

    /// <summary>Packs into a writer; answers with the codec that was used, which is none where packing saves too
    /// little.</summary>
    public static Codec Pack(ReadOnlySpan<byte> raw, Codec wanted, ByteWriter to)
    {
        if (wanted == Codec.None || raw.Length < SmallestPacked)
        {
            to.Bytes(raw);
            return Codec.None;
        }
        var bound = wanted == Codec.Lz4 ? LZ4Codec.MaximumOutputSize(raw.Length) : Compressor.GetCompressBound(raw.Length);
        var room = to.Reserve(bound);
        var packed = wanted == Codec.Lz4 ? LZ4Codec.Encode(raw, room) : (_compressor ??= new Compressor(1)).Wrap(raw, room);
        // LZ4 is for columns that are read often, so it must save more than reading it costs.
        if (packed > 0 && packed < raw.Length - (raw.Length >> (wanted == Codec.Lz4 ? 2 : 4)))
        {
            to.Back(bound - packed);
            return wanted;
        }
        to.Back(bound);
        to.Bytes(raw);
        return Codec.None;
    }

    /// <exception cref="InvalidDataException">The bytes do not unpack to exactly this length.</exception>
    public static void Unpack(ReadOnlySpan<byte> packed, Codec codec, Span<byte> raw)
    {
        var length = -1;
        try
        {
            switch (codec)
            {
                case Codec.None when packed.Length == raw.Length:
                    packed.CopyTo(raw);
                    length = raw.Length;
                    break;
                case Codec.Lz4:
                    length = LZ4Codec.Decode(packed, raw);
                    break;
                case Codec.Zstd:
                    length = (_decompressor ??= new Decompressor()).Unwrap(packed, raw);
                    break;
            }
        }
        catch (ZstdException e)
        {
            throw new InvalidDataException("The packed bytes are damaged.", e);
        }
        if (length != raw.Length)
            throw new InvalidDataException("The packed bytes are damaged.");
    }
}
