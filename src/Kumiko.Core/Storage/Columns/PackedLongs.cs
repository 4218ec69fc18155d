using System.Buffers;
using System.Buffers.Binary;
using System.Numerics;
using System.Runtime.Intrinsics;

namespace Kumiko.Core.Storage.Columns;

/// <summary>
/// Whole numbers to the bit: blocks of 128, each by frame of reference in the width that it needs; as they are or as
/// differences from the one before, whichever is shorter; over their greatest common step. Half as long as
/// <see cref="LongColumn"/> for samples, whose differences seldom fill bytes.
/// </summary>
/// <remarks>Goldstein, Ramakrishnan, Shaft: Compressing Relations and Indexes, ICDE 1998. All arithmetic wraps, so the whole
/// range of int64 fits.</remarks>
public static class PackedLongs
{
    private const int Block = 128;
    private const byte Plain = 0;
    private const byte Differences = 1;

    public static void Write(ByteWriter to, ReadOnlySpan<long> values)
    {
        if (values.IsEmpty)
            return;
        var rented = ArrayPool<long>.Shared.Rent(values.Length);
        try
        {
            var step = Step(values);
            var numbers = rented.AsSpan(0, values.Length);
            // From the first, which is kept apart, so that a common step divides all.
            var first = values[0];
            if (step == 1)
                for (var i = 0; i < values.Length; i++)
                    numbers[i] = values[i] - first;
            else
                for (var i = 0; i < values.Length; i++)
                    numbers[i] = (long)((ulong)(values[i] - first) / step);
            // With a step, numbers below the first would divide as huge ones; then there is none.
            var isPlain = Bits(numbers, differences: false) <= Bits(numbers, differences: true);
            if (!isPlain)
                for (var i = numbers.Length - 1; i > 0; i--)
                    numbers[i] -= numbers[i - 1];
            to.Byte(isPlain ? Plain : Differences);
            to.Signed(values[0]);
            to.Number(step);
            for (var at = 1; at < numbers.Length; at += Block)
                WriteBlock(to, numbers[at..Math.Min(at + Block, numbers.Length)]);
        }
        finally
        {
            ArrayPool<long>.Shared.Return(rented);
        }
    }

    /// <summary>The greatest common step from the first number, where none lies below it.</summary>
    private static ulong Step(ReadOnlySpan<long> values)
    {
        ulong step = 0;
        foreach (var value in values)
        {
            if (value < values[0])
                return 1;
            var rest = (ulong)(value - values[0]);
            if (rest == 0 || (step != 0 && rest % step == 0))
                continue;
            while (rest != 0)
                (step, rest) = (rest, step % rest);
            if (step == 1)
                return 1;
        }
        return step == 0 ? 1 : step;
    }

    private static long Bits(ReadOnlySpan<long> numbers, bool differences)
    {
        long bits = 0;
        for (var at = 1; at < numbers.Length; at += Block)
        {
            var block = numbers[at..Math.Min(at + Block, numbers.Length)];
            var (least, most) = differences ? Range(block, numbers.Slice(at - 1, block.Length)) : Range(block, []);
            bits += block.Length * Width((ulong)(most - least));
        }
        return bits;
    }

    /// <summary>The least and the most of numbers, or of what is left of them without others.</summary>
    private static (long Least, long Most) Range(ReadOnlySpan<long> numbers, ReadOnlySpan<long> without)
    {
        var (least, most, i) = (long.MaxValue, long.MinValue, 0);
        if (Vector256.IsHardwareAccelerated && numbers.Length >= Vector256<long>.Count)
        {
            var (low, high) = (Vector256.Create(long.MaxValue), Vector256.Create(long.MinValue));
            for (; i + Vector256<long>.Count <= numbers.Length; i += Vector256<long>.Count)
            {
                var some = Vector256.Create(numbers[i..]);
                if (!without.IsEmpty)
                    some -= Vector256.Create(without[i..]);
                (low, high) = (Vector256.Min(low, some), Vector256.Max(high, some));
            }
            for (var lane = 0; lane < Vector256<long>.Count; lane++)
                (least, most) = (Math.Min(least, low[lane]), Math.Max(most, high[lane]));
        }
        for (; i < numbers.Length; i++)
        {
            var number = without.IsEmpty ? numbers[i] : numbers[i] - without[i];
            (least, most) = (Math.Min(least, number), Math.Max(most, number));
        }
        return (least, most);
    }

    private static int Width(ulong largest) => 64 - BitOperations.LeadingZeroCount(largest);

    private static void WriteBlock(ByteWriter to, ReadOnlySpan<long> numbers)
    {
        var (least, most) = Range(numbers, []);
        var width = Width((ulong)(most - least));
        to.Signed(least);
        to.Byte((byte)width);
        if (width == 0)
            return;
        var packed = to.Reserve(((numbers.Length * width) + 7) / 8);
        ulong word = 0;
        var (filled, at) = (0, 0);
        foreach (var number in numbers)
        {
            var rest = (ulong)(number - least);
            word |= rest << filled;
            filled += width;
            if (filled < 64)
                continue;
            BinaryPrimitives.WriteUInt64LittleEndian(packed[at..], word);
            at += 8;
            filled -= 64;
            // What did not fit; a shift by 64 would leave it whole.
            word = filled == 0 ? 0 : rest >> (width - filled);
        }
        for (; filled > 0; filled -= 8, word >>= 8)
            packed[at++] = (byte)word;
    }

    /// <exception cref="InvalidDataException">The bytes cannot be such numbers.</exception>
    public static void Read(ref ByteReader from, Span<long> values)
    {
        if (values.IsEmpty)
            return;
        var form = from.Byte();
        if (form > Differences)
            throw new InvalidDataException("Packed numbers have an unknown form.");
        var first = from.Signed();
        var step = (long)from.Unsigned();
        values[0] = first;
        for (var at = 1; at < values.Length; at += Block)
            ReadBlock(ref from, values[at..Math.Min(at + Block, values.Length)]);
        if (form == Differences)
        {
            var last = first;
            for (var i = 1; i < values.Length; i++)
                values[i] = last += values[i] * step;
        }
        else if (step == 1)
            for (var i = 1; i < values.Length; i++)
                values[i] += first;
        else
            for (var i = 1; i < values.Length; i++)
                values[i] = (values[i] * step) + first;
    }

    private static void ReadBlock(ref ByteReader from, Span<long> values)
    {
        var least = from.Signed();
        var width = from.Byte();
        if (width == 0)
        {
            values.Fill(least);
            return;
        }
        if (width > 64)
            throw new InvalidDataException("Packed numbers have an unknown width.");
        var packed = from.Bytes(((values.Length * width) + 7) / 8);
        var mask = width == 64 ? ulong.MaxValue : (1UL << width) - 1;
        var i = 0;
        if (width <= 56)
        {
            // As long as eight bytes are left, one read holds a number wherever it begins.
            var safe = packed.Length < 8 ? 0 : Math.Min(values.Length, (((packed.Length - 8) * 8) + 7) / width);
            for (; i < safe; i++)
            {
                var bit = i * width;
                values[i] = (long)((BinaryPrimitives.ReadUInt64LittleEndian(packed[(bit >> 3)..]) >> (bit & 7)) & mask) + least;
            }
        }
        for (; i < values.Length; i++)
            values[i] = (long)(Slow(packed, i * width, width) & mask) + least;
    }

    private static ulong Slow(ReadOnlySpan<byte> packed, int bit, int width)
    {
        ulong number = 0;
        for (var (at, had) = (bit >> 3, -(bit & 7)); had < width; at++, had += 8)
            number |= had < 0 ? (ulong)packed[at] >> -had : (ulong)packed[at] << had;
        return number;
    }
}
