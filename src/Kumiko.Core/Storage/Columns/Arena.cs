using System.Numerics;

namespace Kumiko.Core.Storage.Columns;

/// <summary>
/// Buffers that a thread lends again and again. A look through a segment holds a hundred of them at once, which is more
/// than the shared pool keeps: what it does not keep is garbage, and large garbage at that.
/// </summary>
internal static class Buffers<T>
    where T : unmanaged
{
    [ThreadStatic]
    private static Stack<T[]>?[]? _free;

    /// <summary>A buffer of at least so many, whatever it held before.</summary>
    public static T[] Take(int count)
    {
        var size = Class(count);
        var free = (_free ??= new Stack<T[]>?[32])[size];
        if (free is null || !free.TryPop(out var buffer))
            return GC.AllocateUninitializedArray<T>(1 << size);
        KeptBuffers.Bytes -= Bytes(buffer);
        return buffer;
    }

    public static void Return(T[] buffer)
    {
        if (KeptBuffers.Bytes + Bytes(buffer) > KeptBuffers.Most)
            return;
        KeptBuffers.Bytes += Bytes(buffer);
        ((_free ??= new Stack<T[]>?[32])[Class(buffer.Length)] ??= new Stack<T[]>()).Push(buffer);
    }

    private static int Class(int count) => BitOperations.Log2(BitOperations.RoundUpToPowerOf2((uint)Math.Max(16, count)));

    private static long Bytes(T[] buffer) => (long)buffer.Length * System.Runtime.CompilerServices.Unsafe.SizeOf<T>();
}

/// <summary>What a thread keeps of buffers of all types.</summary>
internal static class KeptBuffers
{
    public const int Most = 16 << 20;

    [ThreadStatic]
    public static long Bytes;
}

/// <summary>Lends buffers that are given back together. For one thread.</summary>
public sealed class Arena : IDisposable
{
    private readonly List<long[]> _longs = [];
    private readonly List<int[]> _ints = [];
    private readonly List<byte[]> _bytes = [];
    private readonly List<double[]> _doubles = [];
    private readonly List<IDisposable> _kept = [];

    /// <summary>Buffers of at least so many, whatever they held before.</summary>
    public long[] Longs(int count) => Keep(_longs, Buffers<long>.Take(count));

    public int[] Ints(int count) => Keep(_ints, Buffers<int>.Take(count));

    public byte[] Bytes(int count) => Keep(_bytes, Buffers<byte>.Take(count));

    public double[] Doubles(int count) => Keep(_doubles, Buffers<double>.Take(count));

    private static T[] Keep<T>(List<T[]> list, T[] buffer)
    {
        list.Add(buffer);
        return buffer;
    }

    /// <summary>Disposes something when all else is given back.</summary>
    public T Keep<T>(T item)
        where T : IDisposable
    {
        _kept.Add(item);
        return item;
    }

    public void Dispose()
    {
        foreach (var item in _kept)
            item.Dispose();
        foreach (var buffer in _longs)
            Buffers<long>.Return(buffer);
        foreach (var buffer in _ints)
            Buffers<int>.Return(buffer);
        foreach (var buffer in _bytes)
            Buffers<byte>.Return(buffer);
        foreach (var buffer in _doubles)
            Buffers<double>.Return(buffer);
        _kept.Clear();
        _longs.Clear();
        _ints.Clear();
        _bytes.Clear();
        _doubles.Clear();
    }
}
