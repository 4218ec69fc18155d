using System.Buffers;
using System.Numerics;

namespace Kumiko.Core.Storage.Columns;

/// <summary>
/// Whole numbers by frame of reference: differences from the smallest, divided by their greatest common step, in a
/// fixed width (1, 2 or 4 bits, or planes of whole bytes, lowest first). Numbers that follow each other closely are
/// kept as differences from the one before.
/// </summary>
/// <remarks>Zukowski, Heman, Nes, Boncz: Super-Scalar RAM-CPU Cache Compression, 2006. All arithmetic wraps, so the whole range
/// of int64 fits.</remarks>
public static class LongColumn
{
    private const byte Plain = 0;
    private const byte Differences = 1;

    public static void Write(ByteWriter to, ReadOnlySpan<long> values)
    {
        if (values.Length < 3)
        {
            WriteFrame(to, Plain, values);
            return;
        }
        var differences = ArrayPool<long>.Shared.Rent(values.Length);
        try
        {
            var (min, max, least, most) = (values[0], values[0], long.MaxValue, long.MinValue);
            differences[0] = values[0];
            for (var i = 1; i < values.Length; i++)
            {
                var value = values[i];
                var difference = value - values[i - 1];
                differences[i] = difference;
                if (value < min)
                    min = value;
                else if (value > max)
                    max = value;
                if (difference < least)
                    least = difference;
                if (difference > most)
                    most = difference;
            }
            // Differences must save a whole byte a number to be worth the sum that reading then takes.
            if ((ulong)(most - least) >= (ulong)(max - min) >> 8)
            {
                WriteFrame(to, Plain, values);
                return;
            }
            to.Byte(Differences);
            to.Signed(values[0]);
            WriteFrame(to, Plain, differences.AsSpan(1, values.Length - 1));
        }
        finally
        {
            ArrayPool<long>.Shared.Return(differences);
        }
    }

    private static void WriteFrame(ByteWriter to, byte form, ReadOnlySpan<long> values)
    {
        to.Byte(form);
        if (values.IsEmpty)
            return;
        long min = values[0];
        long max = values[0];
        foreach (var value in values)
        {
            if (value < min)
                min = value;
            if (value > max)
                max = value;
        }
        var step = Step(values, min);
        var width = Width((ulong)(max - min) / step);
        to.Signed(min);
        to.Byte((byte)width);
        if (width == 0)
            return;
        to.Number(step);
        var packed = to.Reserve((int)((((long)values.Length * width) + 7) / 8));
        if (width < 8)
            PackBits(values, min, step, width, packed);
        else
            PackPlanes(values, min, step, width / 8, packed);
    }

    private static ulong Step(ReadOnlySpan<long> values, long min)
    {
        ulong step = 0;
        foreach (var value in values)
        {
            var rest = (ulong)(value - min);
            if (rest == 0 || (step != 0 && rest % step == 0))
                continue;
            while (rest != 0)
                (step, rest) = (rest, step % rest);
            if (step == 1)
                return 1;
        }
        return step == 0 ? 1 : step;
    }

    private static int Width(ulong largest) =>
        (64 - BitOperations.LeadingZeroCount(largest)) switch
        {
            0 => 0,
            1 => 1,
            2 => 2,
            <= 4 => 4,
            var bits => (bits + 7) / 8 * 8,
        };

    private static void PackBits(ReadOnlySpan<long> values, long min, ulong step, int width, Span<byte> packed)
    {
        packed.Clear();
        var (perByte, shift) = (8 / width, BitOperations.Log2((uint)(8 / width)));
        for (var i = 0; i < values.Length; i++)
            packed[i >> shift] |= (byte)((ulong)(values[i] - min) / step << ((i & (perByte - 1)) * width));
    }

    private static void PackPlanes(ReadOnlySpan<long> values, long min, ulong step, int planes, Span<byte> packed)
    {
        var count = values.Length;
        for (var i = 0; i < count; i++)
        {
            var rest = (ulong)(values[i] - min);
            if (step != 1)
                rest /= step;
            for (var at = i; at < packed.Length; at += count)
            {
                packed[at] = (byte)rest;
                rest >>= 8;
            }
        }
    }

    /// <exception cref="InvalidDataException">The bytes cannot be such a column of this length.</exception>
    public static void Read(ref ByteReader from, Span<long> values)
    {
        switch (from.Byte())
        {
            case Plain:
                ReadFrame(ref from, values);
                break;
            case Differences when values.Length > 0:
                values[0] = from.Signed();
                if (from.Byte() != Plain)
                    throw new InvalidDataException("A column of numbers has an unknown form.");
                ReadFrame(ref from, values[1..]);
                for (var i = 1; i < values.Length; i++)
                    values[i] += values[i - 1];
                break;
            default:
                throw new InvalidDataException("A column of numbers has an unknown form.");
        }
    }

    private static void ReadFrame(ref ByteReader from, Span<long> values)
    {
        if (values.IsEmpty)
            return;
        var min = from.Signed();
        var width = from.Byte();
        if (width == 0)
        {
            values.Fill(min);
            return;
        }
        if (width is not (1 or 2 or 4) && (width % 8 != 0 || width > 64))
            throw new InvalidDataException("A column of numbers has an unknown width.");
        var step = (long)from.Unsigned();
        BytePlanes.Longs(from.Bytes((int)((((long)values.Length * width) + 7) / 8)), width, values, step, min);
    }

    /// <summary>Passes by such a column without unpacking it.</summary>
    /// <exception cref="InvalidDataException">The bytes cannot be such a column of this length.</exception>
    public static LongSlice Take(ref ByteReader from, int count)
    {
        var start = from.Position;
        Skip(ref from, count);
        return new LongSlice(from.Since(start), count);
    }

    /// <summary>The same without keeping it.</summary>
    public static void Skip(ref ByteReader from, int count)
    {
        switch (from.Byte())
        {
            case Plain:
                SkipFrame(ref from, count);
                break;
            case Differences when count > 0:
                from.Signed();
                if (from.Byte() != Plain)
                    throw new InvalidDataException("A column of numbers has an unknown form.");
                SkipFrame(ref from, count - 1);
                break;
            default:
                throw new InvalidDataException("A column of numbers has an unknown form.");
        }
    }

    private static void SkipFrame(ref ByteReader from, int count)
    {
        if (count == 0)
            return;
        from.Signed();
        var width = from.Byte();
        if (width == 0)
            return;
        if (width is not (1 or 2 or 4) && (width % 8 != 0 || width > 64))
            throw new InvalidDataException("A column of numbers has an unknown width.");
        from.Unsigned();
        from.Bytes((int)((((long)count * width) + 7) / 8));
    }

    /// <summary>Reads numbers that are places in a list of so many entries.</summary>
    public static int[] ReadPlaces(ref ByteReader from, int count, int entries)
    {
        var places = new int[count];
        ReadPlaces(ref from, places, entries);
        return places;
    }

    /// <summary>The same into a buffer.</summary>
    public static void ReadPlaces(ref ByteReader from, Span<int> places, int entries)
    {
        if (TryReadNarrow(ref from, places, entries))
            return;
        var wide = Buffers<long>.Take(places.Length);
        try
        {
            Read(ref from, wide.AsSpan(0, places.Length));
            for (var i = 0; i < places.Length; i++)
                places[i] =
                    (ulong)wide[i] < (ulong)entries
                        ? (int)wide[i]
                        : throw new InvalidDataException("A place lies outside its list.");
        }
        finally
        {
            Buffers<long>.Return(wide);
        }
    }

    /// <summary>Places of three bytes or less, which almost all are, without passing through 64 bits; nothing is read where they
    /// are wider.</summary>
    private static bool TryReadNarrow(ref ByteReader from, Span<int> places, int entries)
    {
        var start = from;
        if (places.IsEmpty || from.Byte() != Plain)
        {
            from = start;
            return false;
        }
        var min = from.Signed();
        var width = from.Byte();
        if (width == 0 && (ulong)min < (ulong)entries)
        {
            places.Fill((int)min);
            return true;
        }
        if (width is not (1 or 2 or 4 or 8 or 16 or 24) || min < 0 || min >= entries)
        {
            from = start;
            return false;
        }
        var step = from.Unsigned();
        if (step == 0 || step > (ulong)entries)
        {
            from = start;
            return false;
        }
        var largest = BytePlanes.Ints(from.Bytes((int)((((long)places.Length * width) + 7) / 8)), width, places);
        if ((largest * step) + (ulong)min >= (ulong)entries)
            throw new InvalidDataException("A place lies outside its list.");
        if (step != 1 || min != 0)
            for (var i = 0; i < places.Length; i++)
                places[i] = (int)((places[i] * (long)step) + min);
        return true;
    }

    /// <summary>Reads numbers of one byte each.</summary>
    /// <exception cref="InvalidDataException">The bytes cannot be such a column of this length, or a number is
    /// larger.</exception>
    public static void ReadBytes(ref ByteReader from, Span<byte> values)
    {
        var start = from;
        if (!values.IsEmpty && from.Byte() == Plain)
        {
            var min = from.Signed();
            var width = from.Byte();
            if (width == 0 && min is >= 0 and <= byte.MaxValue)
            {
                values.Fill((byte)min);
                return;
            }
            if (
                width is 1 or 2 or 4 or 8
                && min is >= 0 and <= byte.MaxValue
                && from.Unsigned() is var step and > 0 and <= byte.MaxValue
            )
            {
                BytePlanes.Bytes(from.Bytes((int)((((long)values.Length * width) + 7) / 8)), width, values, (int)step, (int)min);
                return;
            }
        }
        from = start;
        var wide = Buffers<long>.Take(values.Length);
        try
        {
            Read(ref from, wide.AsSpan(0, values.Length));
            for (var i = 0; i < values.Length; i++)
                values[i] = wide[i] is >= 0 and <= byte.MaxValue
                    ? (byte)wide[i]
                    : throw new InvalidDataException("A number is larger than a byte.");
        }
        finally
        {
            Buffers<long>.Return(wide);
        }
    }

    public static void Write(ByteWriter to, ReadOnlySpan<int> values)
    {
        var wide = ArrayPool<long>.Shared.Rent(values.Length);
        for (var i = 0; i < values.Length; i++)
            wide[i] = values[i];
        Write(to, wide.AsSpan(0, values.Length));
        ArrayPool<long>.Shared.Return(wide);
    }
}
