using System.Buffers.Binary;

namespace Kumiko.Core.Storage.Columns;

/// <summary>Reads what a <see cref="ByteWriter"/> wrote. Never trusts a length.</summary>
/// <remarks>All members throw <see cref="InvalidDataException"/> where the bytes cannot be right.</remarks>
public ref struct ByteReader(ReadOnlySpan<byte> content)
{
    private readonly ReadOnlySpan<byte> _content = content;
    private readonly ReadOnlyMemory<byte>? _memory;
    private int _at;

    /// <summary>Reads bytes that stay where they are, so that parts of them can be kept without a copy.</summary>
    public ByteReader(ReadOnlyMemory<byte> content)
        : this(content.Span) => _memory = content;

    public readonly int Position => _at;

    /// <summary>The bytes from a place up to here, to keep: a copy where the reader does not know that they stay.</summary>
    public readonly ReadOnlyMemory<byte> Since(int start) =>
        _memory is { } memory ? memory[start.._at] : _content[start.._at].ToArray();

    public readonly int Left => _content.Length - _at;

    public byte Byte() => _at < _content.Length ? _content[_at++] : throw TooShort();

    public ReadOnlySpan<byte> Bytes(int count)
    {
        if (count < 0 || count > Left)
            throw TooShort();
        var bytes = _content.Slice(_at, count);
        _at += count;
        return bytes;
    }

    public ulong Fixed() => BinaryPrimitives.ReadUInt64LittleEndian(Bytes(sizeof(ulong)));

    public ulong Unsigned()
    {
        ulong number = 0;
        for (var shift = 0; shift < 70; shift += 7)
        {
            var next = Byte();
            number |= (ulong)(next & 0x7f) << shift;
            if (next < 0x80)
                return number;
        }
        throw new InvalidDataException("A number is too long.");
    }

    public long Signed()
    {
        var number = Unsigned();
        return (long)(number >> 1) ^ -(long)(number & 1);
    }

    /// <summary>A count that is at most so large.</summary>
    public int Count(int most)
    {
        var number = Unsigned();
        return number <= (ulong)most ? (int)number : throw new InvalidDataException("A count is larger than it can be.");
    }

    public ReadOnlySpan<byte> Sized() => Bytes(Count(Left));

    public string Text() => System.Text.Encoding.UTF8.GetString(Sized());

    private static InvalidDataException TooShort() => new("The bytes end too early.");
}
