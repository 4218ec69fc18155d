using System.Numerics;
using System.Runtime.InteropServices;
using System.Runtime.Intrinsics;
using System.Runtime.Intrinsics.X86;

namespace Kumiko.Core.Storage.Columns;

/// <summary>Widens numbers that are kept as bits of a byte, or as planes of bytes, the lowest first: many at once.</summary>
internal static class BytePlanes
{
    private const int Chunk = 1_024;

    /// <summary>Numbers of 1, 2 or 4 bits, the first in the lowest bits, to a byte each.</summary>
    public static void Bits(ReadOnlySpan<byte> packed, int width, Span<byte> values)
    {
        var i = 0;
        if (Bmi2.X64.IsSupported)
        {
            // Eight numbers are as many bytes as their width.
            var mask = ((1UL << width) - 1) * 0x0101010101010101;
            var eights = MemoryMarshal.Cast<byte, ulong>(values);
            for (var e = 0; e < eights.Length; e++, i += 8)
            {
                var at = e * width;
                ulong bits = packed[at];
                if (width > 1)
                    bits |= (ulong)packed[at + 1] << 8;
                if (width > 2)
                    bits |= ((ulong)packed[at + 2] << 16) | ((ulong)packed[at + 3] << 24);
                eights[e] = Bmi2.X64.ParallelBitDeposit(bits, mask);
            }
        }
        var (perByte, shift, ones) = (8 / width, BitOperations.Log2((uint)(8 / width)), (1 << width) - 1);
        for (; i < values.Length; i++)
            values[i] = (byte)((packed[i >> shift] >> ((i & (perByte - 1)) * width)) & ones);
    }

    /// <summary>A bit for each of as many numbers as a word holds: whether it is one of some.</summary>
    /// <param name="packed">The numbers, of 1, 2 or 4 bits each.</param>
    /// <param name="opposites">For each of those, all ones without it, in the place of every number of the word.</param>
    public static ulong Marked(ulong packed, int width, ReadOnlySpan<ulong> opposites)
    {
        ulong marked = 0;
        foreach (var opposite in opposites)
        {
            // All bits of a number are set where it is the same; they meet in its lowest.
            var same = packed ^ opposite;
            if (width > 1)
                same &= same >> 1;
            if (width > 2)
                same &= same >> 2;
            marked |= same;
        }
        return Bmi2.X64.ParallelBitExtract(marked, Lowest(width));
    }

    /// <summary>The lowest bit of every number in a word.</summary>
    public static ulong Lowest(int width) =>
        width switch
        {
            1 => ulong.MaxValue,
            2 => 0x5555555555555555,
            _ => 0x1111111111111111,
        };

    /// <summary>Numbers of at most eight bits, each times a step and more than the least.</summary>
    /// <exception cref="InvalidDataException">One is larger than a byte.</exception>
    public static void Bytes(ReadOnlySpan<byte> packed, int width, Span<byte> values, int step, int least)
    {
        if (width == 8)
            packed[..values.Length].CopyTo(values);
        else
            Bits(packed, width, values);
        if (step == 1 && least == 0)
            return;
        Span<byte> made = stackalloc byte[256];
        var known = (step * 255) + least <= 255 ? 256 : Math.Max(0, ((255 - least) / step) + 1);
        for (var i = 0; i < known; i++)
            made[i] = (byte)((i * step) + least);
        var at = 0;
        if (width < 8 && Vector128.IsHardwareAccelerated && known >= 16)
        {
            var table = Vector128.Create(made[..16]);
            for (; at + 16 <= values.Length; at += 16)
                Vector128.Shuffle(table, Vector128.Create<byte>(values.Slice(at, 16))).CopyTo(values[at..]);
        }
        for (; at < values.Length; at++)
            values[at] =
                values[at] < known ? made[values[at]] : throw new InvalidDataException("A number is larger than a byte.");
    }

    /// <summary>Each number times a step and more than the least; wraps.</summary>
    /// <param name="width">Bits of each: 1, 2, 4 or whole bytes.</param>
    public static void Longs(ReadOnlySpan<byte> packed, int width, Span<long> values, long step, long least)
    {
        if (width < 8)
        {
            Span<byte> bytes = stackalloc byte[Chunk];
            for (var at = 0; at < values.Length; at += Chunk)
            {
                var some = bytes[..Math.Min(Chunk, values.Length - at)];
                Bits(packed[(at * width / 8)..], width, some);
                Whole(some, 1, values.Slice(at, some.Length), step, least);
            }
            return;
        }
        Whole(packed, width / 8, values, step, least);
    }

    private static void Whole(ReadOnlySpan<byte> packed, int planes, Span<long> values, long step, long least)
    {
        var stride = values.Length;
        var i = 0;
        if (Vector256.IsHardwareAccelerated && planes <= 4)
        {
            var (steps, leasts) = (Vector256.Create(step), Vector256.Create(least));
            for (; i + 8 <= values.Length; i += 8)
            {
                var (low, high) = Vector256.Widen(Eight(packed, stride, planes, i));
                var (a, b) = (low.AsInt64(), high.AsInt64());
                if (step != 1)
                    (a, b) = (a * steps, b * steps);
                (a + leasts).CopyTo(values[i..]);
                (b + leasts).CopyTo(values[(i + 4)..]);
            }
        }
        for (; i < values.Length; i++)
        {
            ulong number = 0;
            for (var (plane, at) = (0, i); plane < planes; plane++, at += stride)
                number |= (ulong)packed[at] << (plane * 8);
            values[i] = ((long)number * step) + least;
        }
    }

    private static Vector256<uint> Eight(ReadOnlySpan<byte> packed, int stride, int planes, int at)
    {
        var eight = Widened(packed, at);
        if (planes > 1)
            eight |= Widened(packed, stride + at) << 8;
        if (planes > 2)
            eight |= Widened(packed, (2 * stride) + at) << 16;
        if (planes > 3)
            eight |= Widened(packed, (3 * stride) + at) << 24;
        return eight;
    }

    private static Vector256<uint> Widened(ReadOnlySpan<byte> packed, int at)
    {
        var shorts = Vector128.WidenLower(Vector128.CreateScalarUnsafe(MemoryMarshal.Read<ulong>(packed[at..])).AsByte());
        return Vector256.Create(Vector128.WidenLower(shorts), Vector128.WidenUpper(shorts));
    }

    /// <summary>Numbers of at most four bytes, and the largest of them.</summary>
    /// <param name="width">Bits of each: 1, 2, 4, 8, 16, 24 or 32.</param>
    public static uint Ints(ReadOnlySpan<byte> packed, int width, Span<int> values)
    {
        uint most = 0;
        if (width < 8)
        {
            Span<byte> bytes = stackalloc byte[Chunk];
            for (var at = 0; at < values.Length; at += Chunk)
            {
                var some = bytes[..Math.Min(Chunk, values.Length - at)];
                Bits(packed[(at * width / 8)..], width, some);
                most = Math.Max(most, Ints(some, 8, values.Slice(at, some.Length)));
            }
            return most;
        }
        var planes = width / 8;
        var stride = values.Length;
        var i = 0;
        if (Vector256.IsHardwareAccelerated)
        {
            var mosts = Vector256<uint>.Zero;
            for (; i + 8 <= values.Length; i += 8)
            {
                var eight = Eight(packed, stride, planes, i);
                mosts = Vector256.Max(mosts, eight);
                eight.AsInt32().CopyTo(values[i..]);
            }
            for (var lane = 0; lane < Vector256<uint>.Count; lane++)
                most = Math.Max(most, mosts[lane]);
        }
        for (; i < values.Length; i++)
        {
            uint number = 0;
            for (var (plane, at) = (0, i); plane < planes; plane++, at += stride)
                number |= (uint)packed[at] << (plane * 8);
            most = Math.Max(most, number);
            values[i] = (int)number;
        }
        return most;
    }
}
