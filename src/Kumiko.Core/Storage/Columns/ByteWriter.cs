using System.Buffers;
using System.Buffers.Binary;
using System.Numerics;
using System.Text;

namespace Kumiko.Core.Storage.Columns;

/// <summary>Bytes that grow in a pooled buffer. Numbers are LEB128, signed ones zigzag. Not for several threads.</summary>
public sealed class ByteWriter(int capacity = 256) : IDisposable
{
    private byte[] _buffer = ArrayPool<byte>.Shared.Rent(capacity);
    private int _length;

    public int Length => _length;
    public ReadOnlySpan<byte> Written => _buffer.AsSpan(0, _length);

    /// <summary>The buffer behind <see cref="Written"/>, valid until the next write.</summary>
    public byte[] Buffer => _buffer;

    public void Clear() => _length = 0;

    public byte[] ToArray() => Written.ToArray();

    /// <summary>Room for so many bytes, which count as written.</summary>
    public Span<byte> Reserve(int count)
    {
        var room = Ensure(count)[..count];
        _length += count;
        return room;
    }

    /// <summary>Takes back bytes written last.</summary>
    public void Back(int count) => _length -= count;

    public void Byte(byte value) => Reserve(1)[0] = value;

    public void Bytes(ReadOnlySpan<byte> value) => value.CopyTo(Reserve(value.Length));

    public void Fixed(ulong value) => BinaryPrimitives.WriteUInt64LittleEndian(Reserve(sizeof(ulong)), value);

    public void Number(ulong value)
    {
        var room = Ensure(10);
        var at = 0;
        while (value >= 0x80)
        {
            room[at++] = (byte)(value | 0x80);
            value >>= 7;
        }
        room[at++] = (byte)value;
        _length += at;
    }

    public void Number(int value) => Number((ulong)value);

    public void Signed(long value) => Number((ulong)((value << 1) ^ (value >> 63)));

    public void Sized(ReadOnlySpan<byte> value)
    {
        Number(value.Length);
        Bytes(value);
    }

    public void Text(string value)
    {
        Number(Encoding.UTF8.GetByteCount(value));
        Utf8(value);
    }

    /// <summary>The UTF-8 bytes of a text, without their length.</summary>
    /// <returns>How many they are.</returns>
    public int Utf8(string value)
    {
        var written = Encoding.UTF8.GetBytes(value, Ensure(value.Length * 3));
        _length += written;
        return written;
    }

    private Span<byte> Ensure(int count)
    {
        if (_buffer.Length - _length >= count)
            return _buffer.AsSpan(_length);
        var size = (int)BitOperations.RoundUpToPowerOf2((uint)checked(_length + count));
        var larger = ArrayPool<byte>.Shared.Rent(size < 0 ? Array.MaxLength : size);
        Written.CopyTo(larger);
        ArrayPool<byte>.Shared.Return(_buffer);
        _buffer = larger;
        return _buffer.AsSpan(_length);
    }

    public void Dispose()
    {
        ArrayPool<byte>.Shared.Return(_buffer);
        _buffer = [];
    }
}
