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

    private const byte Version = 1, HasStarts = 1, HasDistributions = 2;

    public int Count => Series.Length;

    public byte[] Encode()
    {
        using var to = new ByteWriter((Count * 12) + 64);
        to.Byte(Version);
        to.Byte((byte)((Starts is null ? 0 : HasStarts) | (Distributions is null ? 0 : HasDistributions)));
        to.Number(Count);
        PackedLongs.Write(to, Array.ConvertAll(Series, s => (long)s));
        PackedLongs.Write(to, Times);
        if (Starts is not null) PackedLongs.Write(to, Starts);
        // As they are: this lives for minutes, and sealing packs them by series.
        to.Bytes(MemoryMarshal.AsBytes<double>(Values));
        if (Distributions is null) return to.ToArray();
        using var raw = new ByteWriter();
        foreach (var d in Distributions)
        {
            raw.Byte(d is null ? (byte)0 : (byte)1);
            if (d is not null) DistributionCodec.Write(raw, d, null);
        }
        to.Sized(LZ4Pickler.Pickle(raw.Written));
        return to.ToArray();
    }

    /// <exception cref="InvalidDataException">The bytes are damaged.</exception>
    public static SampleBatch Decode(ReadOnlySpan<byte> content)
    {
        var from = new ByteReader(content);
        if (from.Byte() != Version) throw new InvalidDataException("A batch of samples has an unknown version.");
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
            for (var i = 0; i < count; i++) distributions[i] = raw.Byte() == 0 ? null : DistributionCodec.Read(ref raw, null);
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

/// <summary>The samples of one series that are not in a segment yet. Grows at its end only, so that a view stays right while more come.</summary>
internal sealed class SampleBuffer
{
    private long[] _times = new long[4];
    private double[] _values = new double[4];
    private long[]? _starts;
    private Distribution[]? _distributions;

    public int Count { get; private set; }

    public void Add(long time, double value, long start, Distribution? distribution)
    {
        if (Count == _times.Length)
        {
            Array.Resize(ref _times, Count * 2);
            Array.Resize(ref _values, Count * 2);
            if (_starts is not null) Array.Resize(ref _starts, Count * 2);
            if (_distributions is not null) Array.Resize(ref _distributions, Count * 2);
        }
        (_times[Count], _values[Count]) = (time, value);
        if (start != 0) _starts ??= new long[_times.Length];
        if (_starts is not null) _starts[Count] = start;
        if (distribution is not null) _distributions ??= new Distribution[_times.Length];
        if (_distributions is not null) _distributions[Count] = distribution ?? new Distribution(0, null);
        Count++;
    }

    /// <summary>What is there now.</summary>
    public BufferView View() => new(_times, _values, _starts, _distributions, Count);

    /// <summary>A buffer with what came after the first so many.</summary>
    public SampleBuffer? After(int count)
    {
        if (Count == count) return null;
        var rest = new SampleBuffer();
        for (var i = count; i < Count; i++) rest.Add(_times[i], _values[i], _starts?[i] ?? 0, _distributions?[i]);
        return rest;
    }
}

/// <summary>The first so many samples of a buffer.</summary>
internal readonly record struct BufferView(long[] Times, double[] Values, long[]? Starts, Distribution[]? Distributions, int Count)
{
    public SampleRun Run() => SampleRun.Of(Times.AsSpan(0, Count), Values.AsSpan(0, Count), Starts is null ? [] : Starts.AsSpan(0, Count), Distributions is null ? [] : Distributions.AsSpan(0, Count));
}
