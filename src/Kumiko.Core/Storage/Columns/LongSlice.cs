using System.Buffers.Binary;
using System.Runtime.Intrinsics.X86;

namespace Kumiko.Core.Storage.Columns;

/// <summary>A column of numbers that is not unpacked yet.</summary>
public readonly struct LongSlice
{
    private readonly ReadOnlyMemory<byte> _bytes;
    private readonly ReadOnlyMemory<byte> _planes;
    private readonly long _least;
    private readonly long _step;

    /// <summary>Bits of a number, and one more; 0 where each hangs on the one before, or nothing is known.</summary>
    private readonly int _widthAndOne;

    /// <exception cref="InvalidDataException">The bytes cannot be such a column of this length.</exception>
    public LongSlice(ReadOnlyMemory<byte> bytes, int count)
    {
        (_bytes, Count) = (bytes, count);
        var from = new ByteReader(bytes);
        if (count == 0 || from.Byte() != 0)
            return;
        _least = from.Signed();
        var width = from.Byte();
        _widthAndOne = width + 1;
        if (width == 0)
            return;
        _step = (long)from.Unsigned();
        _planes = bytes[from.Position..];
    }

    public int Count { get; }

    /// <summary>One number, where it does not hang on those before it.</summary>
    public bool TryAt(int index, out long number)
    {
        number = _least;
        if (_widthAndOne == 0)
            return false;
        var width = _widthAndOne - 1;
        if (width == 0)
            return true;
        var planes = _planes.Span;
        ulong rest = 0;
        if (width < 8)
            rest = (ulong)(planes[index * width >> 3] >> (index * width & 7)) & ((1UL << width) - 1);
        else
            for (var (at, shift) = (index, 0); shift < width; at += Count, shift += 8)
                rest |= (ulong)planes[at] << shift;
        number += (long)rest * _step;
        return true;
    }

    /// <summary>The numbers of some rows, where none hangs on those before it.</summary>
    /// <param name="values">Receives them, in the order of the rows.</param>
    public bool TryAt(ReadOnlySpan<int> rows, Span<long> values)
    {
        if (_widthAndOne == 0)
            return false;
        var planes = _planes.Span;
        switch (_widthAndOne - 1)
        {
            case 0:
                values[..rows.Length].Fill(_least);
                break;
            case 8:
                for (var i = 0; i < rows.Length; i++)
                    values[i] = (planes[rows[i]] * _step) + _least;
                break;
            case 16:
                var high = planes[Count..];
                for (var i = 0; i < rows.Length; i++)
                    values[i] = ((planes[rows[i]] | (high[rows[i]] << 8)) * _step) + _least;
                break;
            default:
                for (var i = 0; i < rows.Length; i++)
                    TryAt(rows[i], out values[i]);
                break;
        }
        return true;
    }

    /// <summary>Sets the bits of the rows whose number has a mark, where numbers are of at most four bits each and none is larger
    /// than a byte.</summary>
    /// <param name="marks">For each number of a byte, 1 where it is marked.</param>
    /// <param name="words">Receives a bit for each row, 64 in each; others stay as they are.</param>
    public bool TryMark(ReadOnlySpan<byte> marks, Span<ulong> words)
    {
        var width = _widthAndOne - 1;
        if (
            width is not (1 or 2 or 4)
            || !Bmi2.X64.IsSupported
            || _least < 0
            || _step is < 0 or > byte.MaxValue
            || _least + (_step * ((1 << width) - 1)) > byte.MaxValue
        )
            return false;
        Span<ulong> opposites = stackalloc ulong[1 << width];
        var marked = 0;
        for (var code = 0; code < 1 << width; code++)
            if (marks[(int)(_least + (code * _step))] != 0)
                opposites[marked++] = ~(BytePlanes.Lowest(width) * (ulong)code);
        var packed = _planes.Span;
        var perWord = 64 / width;
        for (var row = 0; row < Count; row += perWord)
        {
            var some = packed[(row * width >> 3)..];
            ulong word = 0;
            if (some.Length >= sizeof(ulong))
                word = BinaryPrimitives.ReadUInt64LittleEndian(some);
            else
                for (var i = 0; i < some.Length; i++)
                    word |= (ulong)some[i] << (i * 8);
            var found = BytePlanes.Marked(word, width, opposites[..marked]);
            if (Count - row < perWord)
                found &= (1UL << (Count - row)) - 1;
            words[row >> 6] |= found << (row & 63);
        }
        return true;
    }

    /// <summary>Reads numbers of one byte each.</summary>
    /// <exception cref="InvalidDataException">One is larger.</exception>
    public void ReadBytes(Span<byte> values)
    {
        var from = new ByteReader(_bytes.Span);
        LongColumn.ReadBytes(ref from, values[..Count]);
    }

    public void Read(Span<long> values)
    {
        var from = new ByteReader(_bytes.Span);
        LongColumn.Read(ref from, values[..Count]);
    }

    public void ReadPlaces(Span<int> places, int entries)
    {
        var from = new ByteReader(_bytes.Span);
        LongColumn.ReadPlaces(ref from, places[..Count], entries);
    }
}
