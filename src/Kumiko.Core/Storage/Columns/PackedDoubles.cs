using System.Buffers;
using System.Numerics;
using static Kumiko.Core.Storage.Columns.DecimalColumn;

namespace Kumiko.Core.Storage.Columns;

/// <summary>
/// Decimals as whole numbers over a power of ten where each comes back bit for bit; else as bits that differ from the
/// decimal before, as Pelkonen and others describe it (Gorilla, PVLDB 8, 2015).
/// </summary>
public static class PackedDoubles
{
    /// <summary>How many digits after the point all of the numbers have; null where they have too many.</summary>
    public static int? Write(ByteWriter to, ReadOnlySpan<double> values)
    {
        if (values.IsEmpty)
            return 0;
        var rented = ArrayPool<long>.Shared.Rent(values.Length);
        try
        {
            var numbers = rented.AsSpan(0, values.Length);
            if (Digits(values, numbers) is { } digits)
            {
                to.Byte((byte)digits);
                PackedLongs.Write(to, numbers);
                return digits;
            }
            long before = 0;
            long all = 0;
            for (var i = 0; i < values.Length; i++)
            {
                var bits = BitConverter.DoubleToInt64Bits(values[i]);
                numbers[i] = bits ^ before;
                if (i > 0)
                    all |= numbers[i];
                before = bits;
            }
            var shift = all == 0 ? 0 : BitOperations.TrailingZeroCount(all);
            to.Byte(AsBits);
            to.Byte((byte)shift);
            to.Fixed((ulong)numbers[0]);
            numbers[0] = 0;
            for (var i = 1; i < numbers.Length; i++)
                numbers[i] = (long)((ulong)numbers[i] >> shift);
            PackedLongs.Write(to, numbers);
            return null;
        }
        finally
        {
            ArrayPool<long>.Shared.Return(rented);
        }
    }

    private static int? Digits(ReadOnlySpan<double> values, Span<long> numbers)
    {
        var digits = 0;
        for (var i = 0; i < values.Length; i++)
        {
            if (TryScale(values[i], digits, out numbers[i]))
                continue;
            // A value that more digits do not mend is no decimal; the others need not be tried.
            do if (++digits > MostDigits)
                return null;
            while (!TryScale(values[i], digits, out numbers[i]));
            i = -1;
        }
        return digits;
    }

    /// <exception cref="InvalidDataException">The bytes cannot be such numbers.</exception>
    public static void Read(ref ByteReader from, Span<double> values)
    {
        if (values.IsEmpty)
            return;
        var digits = from.Byte();
        if (digits is > MostDigits and not AsBits)
            throw new InvalidDataException("Packed decimals have an unknown form.");
        var rented = ArrayPool<long>.Shared.Rent(values.Length);
        try
        {
            var numbers = rented.AsSpan(0, values.Length);
            if (digits != AsBits)
            {
                PackedLongs.Read(ref from, numbers);
                if (digits == 0)
                    for (var i = 0; i < values.Length; i++)
                        values[i] = numbers[i];
                else
                {
                    var power = Powers[digits];
                    for (var i = 0; i < values.Length; i++)
                        values[i] = numbers[i] / power;
                }
                return;
            }
            var shift = from.Byte() & 63;
            var bits = (long)from.Fixed();
            PackedLongs.Read(ref from, numbers);
            for (var i = 0; i < values.Length; i++)
            {
                bits ^= numbers[i] << shift;
                values[i] = BitConverter.Int64BitsToDouble(bits);
            }
        }
        finally
        {
            ArrayPool<long>.Shared.Return(rented);
        }
    }
}
