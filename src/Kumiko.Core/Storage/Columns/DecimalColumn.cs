using System.Buffers;

namespace Kumiko.Core.Storage.Columns;

/// <summary>
/// Doubles as whole numbers over a power of ten where each comes back bit for bit, else as their bits.
/// </summary>
public static class DecimalColumn
{
    internal const int MostDigits = 9;
    internal const byte AsBits = 255;
    private const double Largest = 1L << 53;

    internal static readonly double[] Powers = [1, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9];

    public static void Write(ByteWriter to, ReadOnlySpan<double> values)
    {
        var numbers = ArrayPool<long>.Shared.Rent(values.Length);
        var digits = Digits(values, numbers);
        if (digits == AsBits)
            for (var i = 0; i < values.Length; i++)
                numbers[i] = BitConverter.DoubleToInt64Bits(values[i]);
        to.Byte(digits);
        LongColumn.Write(to, numbers.AsSpan(0, values.Length));
        ArrayPool<long>.Shared.Return(numbers);
    }

    private static byte Digits(ReadOnlySpan<double> values, long[] numbers)
    {
        var digits = 0;
        for (var i = 0; i < values.Length; i++)
        {
            while (!TryScale(values[i], digits, out numbers[i]))
            {
                if (++digits > MostDigits)
                    return AsBits;
                i = 0;
            }
        }
        return (byte)digits;
    }

    /// <summary>A decimal as a whole number over a power of ten, where it comes back bit for bit.</summary>
    internal static bool TryScale(double value, int digits, out long number)
    {
        number = 0;
        var scaled = Math.Round(value * Powers[digits]);
        if (!(Math.Abs(scaled) < Largest))
            return false;
        number = (long)scaled;
        return BitConverter.DoubleToInt64Bits(number / Powers[digits]) == BitConverter.DoubleToInt64Bits(value);
    }

    public static void Read(ref ByteReader from, Span<double> values)
    {
        var digits = from.Byte();
        if (digits is > MostDigits and not AsBits)
            throw new InvalidDataException("A column of decimals has an unknown form.");
        var numbers = ArrayPool<long>.Shared.Rent(values.Length);
        try
        {
            LongColumn.Read(ref from, numbers.AsSpan(0, values.Length));
            for (var i = 0; i < values.Length; i++)
                values[i] = digits == AsBits ? BitConverter.Int64BitsToDouble(numbers[i]) : numbers[i] / Powers[digits];
        }
        finally
        {
            ArrayPool<long>.Shared.Return(numbers);
        }
    }
}
