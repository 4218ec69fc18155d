using System.Buffers;
using System.Runtime.InteropServices;
using K4os.Compression.LZ4;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Storage.Metrics;

/// <summary>Samples of many series as they came in, one after another.</summary>
/// <param name="Series">Numbers of their series.</param>
/// <param name="Values">NaN where there is none; the means of distributions.</param>
/// <param name="Starts">Null where none says since when it counts.</param>
/// <param name="Distributions">Null where there are none.</param>
internal sealed record SampleBatch(int[] Series, long[] Times, double[] Values, long[]? Starts, Distribution?[]? Distributions)
{
    /// <summary>Exemplars with the place of their sample; they are kept apart.</summary>
    public IReadOnlyList<(int Place, Exemplar Exemplar)> Exemplars { get; init; } = [];

    private const byte Version = 1;
    private const byte HasStarts = 1;
    private const byte HasDistributions = 2;

    public int Count => Series.Length;

    public byte[] Encode()
    {
        using var to = new ByteWriter((Count * 12) + 64);
        to.Byte(Version);
        to.Byte((byte)((Starts is null ? 0 : HasStarts) | (Distributions is null ? 0 : HasDistributions)));
        to.Number(Count);
        PackedLongs.Write(to, Array.ConvertAll(Series, s => (long)s));
        PackedLongs.Write(to, Times);
        if (Starts is not null)
            PackedLongs.Write(to, Starts);
        // As they are: this lives for minutes, and sealing packs them by series.
        to.Bytes(MemoryMarshal.AsBytes<double>(Values));
        if (Distributions is null)
            return to.ToArray();
        using var raw = new ByteWriter();
        foreach (var d in Distributions)
        {
            raw.Byte(d is null ? (byte)0 : (byte)1);
            if (d is not null)
                DistributionCodec.Write(raw, d, null);
        }
        to.Sized(LZ4Pickler.Pickle(raw.Written));
        return to.ToArray();
    }

    /// <exception cref="InvalidDataException">The bytes are damaged.</exception>
    public static SampleBatch Decode(ReadOnlySpan<byte> content)
    {
        var from = new ByteReader(content);
        if (from.Byte() != Version)
            throw new InvalidDataException("A batch of samples has an unknown version.");
        var has = from.Byte();
        // Each has at least the eight bytes of its value.
        var count = from.Count(from.Left / sizeof(double));
        var series = Longs(ref from, count);
        var times = Longs(ref from, count);
        var starts = (has & HasStarts) != 0 ? Longs(ref from, count) : null;
        var values = MemoryMarshal.Cast<byte, double>(from.Bytes(count * sizeof(double))).ToArray();
        Distribution?[]? distributions = null;
        if ((has & HasDistributions) != 0)
        {
            var raw = new ByteReader(LZ4Pickler.Unpickle(from.Sized()));
            distributions = new Distribution?[count];
            for (var i = 0; i < count; i++)
                distributions[i] = raw.Byte() == 0 ? null : DistributionCodec.Read(ref raw, null);
        }
        return new SampleBatch(Array.ConvertAll(series, s => (int)s), times, values, starts, distributions);
    }

    private static long[] Longs(ref ByteReader from, int count)
    {
        var values = new long[count];
        PackedLongs.Read(ref from, values);
        return values;
    }
}

/// <summary>The samples of a batch series by series, each in the order in which they came: what a sender can prepare before its
/// turn to write.</summary>
/// <param name="Parts">Numbers of series with where their samples begin and end.</param>
/// <param name="Times">Lent, and longer than there are samples; given back when disposed.</param>
internal sealed record SeriesOrder(
    IReadOnlyList<(int Series, int First, int End)> Parts,
    long[] Times,
    double[] Values,
    long[]? Starts,
    Distribution?[]? Distributions
) : IDisposable
{
    public void Dispose()
    {
        ArrayPool<long>.Shared.Return(Times);
        ArrayPool<double>.Shared.Return(Values);
    }

    public static SeriesOrder Of(SampleBatch batch)
    {
        // Counted, then put in place: numbers of series are small and close together.
        var most = 0;
        foreach (var id in batch.Series)
            most = Math.Max(most, id);
        var places = ArrayPool<int>.Shared.Rent(most + 1);
        try
        {
            var ends = places.AsSpan(0, most + 1);
            ends.Clear();
            foreach (var id in batch.Series)
                ends[id]++;
            var parts = new List<(int, int, int)>();
            var at = 0;
            for (var id = 0; id < ends.Length; id++)
            {
                if (ends[id] == 0)
                    continue;
                parts.Add((id, at, at + ends[id]));
                (at, ends[id]) = (at + ends[id], at);
            }
            var (times, values) = (ArrayPool<long>.Shared.Rent(at), ArrayPool<double>.Shared.Rent(at));
            var starts = batch.Starts is null ? null : new long[at];
            var distributions = batch.Distributions is null ? null : new Distribution?[at];
            for (var i = 0; i < batch.Count; i++)
            {
                var to = ends[batch.Series[i]]++;
                (times[to], values[to]) = (batch.Times[i], batch.Values[i]);
                if (starts is not null)
                    starts[to] = batch.Starts![i];
                if (distributions is not null)
                    distributions[to] = batch.Distributions![i];
            }
            return new SeriesOrder(parts, times, values, starts, distributions);
        }
        finally
        {
            ArrayPool<int>.Shared.Return(places);
        }
    }
}

/// <summary>The samples of one series that are not in a segment yet. Grows at its end only, so that a view stays right while more
/// come.</summary>
internal sealed class SampleBuffer
{
    private long[] _times = new long[4];
    private double[] _values = new double[4];
    private long[]? _starts;
    private Distribution[]? _distributions;

    public int Count { get; private set; }

    /// <summary>Samples of one series, one after another.</summary>
    public void Add(SeriesOrder from, int first, int end)
    {
        // What has starts or distributions comes one by one, as not all of it may have them.
        if (from.Starts is not null || from.Distributions is not null || _starts is not null || _distributions is not null)
        {
            for (var i = first; i < end; i++)
                Add(from.Times[i], from.Values[i], from.Starts?[i] ?? 0, from.Distributions?[i]);
            return;
        }
        Grow(Count + end - first);
        from.Times.AsSpan(first, end - first).CopyTo(_times.AsSpan(Count));
        from.Values.AsSpan(first, end - first).CopyTo(_values.AsSpan(Count));
        Count += end - first;
    }

    private void Grow(int least)
    {
        if (least <= _times.Length)
            return;
        var length = Math.Max(least, _times.Length * 2);
        _times = Grown(_times, length);
        _values = Grown(_values, length);
        if (_starts is not null)
            Array.Resize(ref _starts, length);
        if (_distributions is not null)
            Array.Resize(ref _distributions, length);
    }

    /// <summary>A longer array; what is not used yet is written before it is read.</summary>
    private T[] Grown<T>(T[] array, int length)
        where T : unmanaged
    {
        var longer = GC.AllocateUninitializedArray<T>(length);
        array.AsSpan(0, Count).CopyTo(longer);
        return longer;
    }

    public void Add(long time, double value, long start, Distribution? distribution)
    {
        Grow(Count + 1);
        (_times[Count], _values[Count]) = (time, value);
        if (start != 0)
            _starts ??= new long[_times.Length];
        if (_starts is not null)
            _starts[Count] = start;
        if (distribution is not null)
            _distributions ??= new Distribution[_times.Length];
        if (_distributions is not null)
            _distributions[Count] = distribution ?? new Distribution(0, null);
        Count++;
    }

    /// <summary>What is there now.</summary>
    public BufferView View() => new(_times, _values, _starts, _distributions, Count);

    /// <summary>A buffer with what came after the first so many.</summary>
    public SampleBuffer? After(int count)
    {
        if (Count == count)
            return null;
        var rest = new SampleBuffer();
        for (var i = count; i < Count; i++)
            rest.Add(_times[i], _values[i], _starts?[i] ?? 0, _distributions?[i]);
        return rest;
    }
}

/// <summary>The first so many samples of a buffer.</summary>
internal readonly record struct BufferView(
    long[] Times,
    double[] Values,
    long[]? Starts,
    Distribution[]? Distributions,
    int Count
)
{
    public SampleRun Run() =>
        SampleRun.Of(
            Times.AsSpan(0, Count),
            Values.AsSpan(0, Count),
            Starts is null ? [] : Starts.AsSpan(0, Count),
            Distributions is null ? [] : Distributions.AsSpan(0, Count)
        );
}
