using K4os.Compression.LZ4;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Storage.Metrics;

/// <summary>The samples of one series as bytes, a checksum behind them. Times may lie outside, where other series share
/// them.</summary>
internal static class SampleChunk
{
    private const byte OwnTimes = 1;
    private const byte HasStarts = 2;
    private const byte HasDistributions = 4;
    private const int ChecksumSize = 4;

    /// <param name="shared">Where its times begin among the shared ones; null to write them here.</param>
    /// <returns>Digits after the point of all values; null where they have too many.</returns>
    public static int? Write(ByteWriter to, SampleRun run, int? shared)
    {
        var begin = to.Length;
        to.Byte(
            (byte)(
                (shared is null ? OwnTimes : 0)
                | (run.Starts is null ? 0 : HasStarts)
                | (run.Distributions is null ? 0 : HasDistributions)
            )
        );
        if (shared is { } at)
            to.Number(at);
        else
            WriteTimes(to, run.Times);
        if (run.Starts is { } starts)
            PackedLongs.Write(to, starts);
        var digits = PackedDoubles.Write(to, run.Values);
        if (run.Distributions is { } distributions)
            WriteDistributions(to, distributions);
        Seal(to, begin);
        return digits;
    }

    public static void WriteTimes(ByteWriter to, ReadOnlySpan<long> times)
    {
        to.Number(times.Length);
        PackedLongs.Write(to, times);
    }

    /// <exception cref="InvalidDataException">The bytes are damaged.</exception>
    public static TimeBlock ReadTimes(ref ByteReader from)
    {
        // A number of width nothing takes no room, so a length is only held against what a segment can have.
        var times = new long[from.Count(MetricSegmentWriter.MostSamples)];
        PackedLongs.Read(ref from, times);
        return new TimeBlock(times);
    }

    /// <param name="chunk">All bytes of the chunk.</param>
    /// <param name="shared">Finds times that are shared, by where they begin.</param>
    /// <exception cref="InvalidDataException">The bytes are damaged.</exception>
    public static SampleRun Read(ReadOnlySpan<byte> chunk, Func<int, TimeBlock> shared)
    {
        var from = new ByteReader(Open(chunk));
        var has = from.Byte();
        var block = (has & OwnTimes) != 0 ? ReadTimes(ref from) : shared(from.Count(int.MaxValue));
        long[]? starts = null;
        if ((has & HasStarts) != 0)
            PackedLongs.Read(ref from, starts = new long[block.Times.Length]);
        var values = new double[block.Times.Length];
        PackedDoubles.Read(ref from, values);
        return new SampleRun(
            block,
            values,
            starts,
            (has & HasDistributions) != 0 ? ReadDistributions(ref from, values.Length) : null
        );
    }

    /// <summary>Writes the checksum of what was written since a place.</summary>
    public static void Seal(ByteWriter to, int begin) =>
        to.Bytes(BitConverter.GetBytes((uint)Checksum.Of(to.Written[begin..], 0)));

    /// <summary>The bytes before the checksum, which they must match.</summary>
    /// <exception cref="InvalidDataException">They do not.</exception>
    public static ReadOnlySpan<byte> Open(ReadOnlySpan<byte> chunk)
    {
        if (
            chunk.Length < ChecksumSize
            || BitConverter.ToUInt32(chunk[^ChecksumSize..]) != (uint)Checksum.Of(chunk[..^ChecksumSize], 0)
        )
            throw new InvalidDataException("A chunk of samples does not match its checksum.");
        return chunk[..^ChecksumSize];
    }

    private static void WriteDistributions(ByteWriter to, Distribution[] distributions)
    {
        using var raw = new ByteWriter();
        Distribution? before = null;
        foreach (var d in distributions)
        {
            DistributionCodec.Write(raw, d, before);
            before = d;
        }
        to.Sized(LZ4Pickler.Pickle(raw.Written));
    }

    private static Distribution[] ReadDistributions(ref ByteReader from, int count)
    {
        byte[] raw;
        try
        {
            raw = LZ4Pickler.Unpickle(from.Sized());
        }
        catch (Exception e) when (e is not InvalidDataException)
        {
            throw new InvalidDataException("The packed distributions are damaged.", e);
        }
        var inner = new ByteReader(raw);
        var distributions = new Distribution[count];
        for (var i = 0; i < count; i++)
            distributions[i] = DistributionCodec.Read(ref inner, i == 0 ? null : distributions[i - 1]);
        return distributions;
    }
}

/// <summary>Distributions as bytes: bounds once while they stay the same, counts as differences from the one before.</summary>
internal static class DistributionCodec
{
    private const byte SameBounds = 1;
    private const byte HasSum = 2;
    private const byte HasMin = 4;
    private const byte HasMax = 8;
    private const byte HasExponential = 16;
    private const byte HasQuantiles = 32;

    public static void Write(ByteWriter to, Distribution d, Distribution? before)
    {
        var same =
            before is not null && before.Bounds.AsSpan().SequenceEqual(d.Bounds) && before.Counts.Length == d.Counts.Length;
        to.Byte(
            (byte)(
                (same ? SameBounds : 0)
                | (d.Sum is null ? 0 : HasSum)
                | (d.Min is null ? 0 : HasMin)
                | (d.Max is null ? 0 : HasMax)
                | (d.Exponential is null ? 0 : HasExponential)
                | (d.Quantiles.Length == 0 ? 0 : HasQuantiles)
            )
        );
        to.Signed((long)(d.Count - (before?.Count ?? 0)));
        foreach (var number in new[] { d.Sum, d.Min, d.Max })
            if (number is { } given)
                Number(to, given);
        if (!same)
        {
            to.Number(d.Bounds.Length);
            foreach (var bound in d.Bounds)
                Number(to, bound);
            to.Number(d.Counts.Length);
        }
        for (var i = 0; i < d.Counts.Length; i++)
            to.Signed((long)(d.Counts[i] - (same ? before!.Counts[i] : 0)));
        if (d.Exponential is { } e)
        {
            to.Signed(e.Scale);
            to.Number(e.ZeroCount);
            Number(to, e.ZeroThreshold);
            WriteSide(to, e.PositiveOffset, e.Positive);
            WriteSide(to, e.NegativeOffset, e.Negative);
        }
        if (d.Quantiles.Length == 0)
            return;
        to.Number(d.Quantiles.Length);
        foreach (var (quantile, value) in d.Quantiles)
        {
            Number(to, quantile);
            Number(to, value);
        }
    }

    private static void WriteSide(ByteWriter to, int offset, ulong[] counts)
    {
        to.Signed(offset);
        to.Number(counts.Length);
        foreach (var count in counts)
            to.Number(count);
    }

    public static Distribution Read(ref ByteReader from, Distribution? before)
    {
        var has = from.Byte();
        var count = (ulong)from.Signed() + (before?.Count ?? 0);
        var sum = (has & HasSum) != 0 ? Number(ref from) : (double?)null;
        var min = (has & HasMin) != 0 ? Number(ref from) : (double?)null;
        var max = (has & HasMax) != 0 ? Number(ref from) : (double?)null;
        var same = (has & SameBounds) != 0;
        if (same && before is null)
            throw new InvalidDataException("A distribution has no bounds.");
        double[] bounds;
        ulong[] counts;
        if (same)
            (bounds, counts) = (before!.Bounds, new ulong[before.Counts.Length]);
        else
        {
            bounds = new double[from.Count(from.Left / 8)];
            for (var i = 0; i < bounds.Length; i++)
                bounds[i] = Number(ref from);
            counts = new ulong[from.Count(from.Left)];
        }
        for (var i = 0; i < counts.Length; i++)
            counts[i] = (ulong)from.Signed() + (same ? before!.Counts[i] : 0);
        ExponentialBuckets? exponential = null;
        if ((has & HasExponential) != 0)
        {
            var (scale, zeros, threshold) = ((int)from.Signed(), from.Unsigned(), Number(ref from));
            var (positiveAt, positive) = ReadSide(ref from);
            var (negativeAt, negative) = ReadSide(ref from);
            exponential = new ExponentialBuckets(scale, zeros, threshold, positiveAt, positive, negativeAt, negative);
        }
        var quantiles = (has & HasQuantiles) != 0 ? new (double, double)[from.Count(from.Left / 16)] : [];
        for (var i = 0; i < quantiles.Length; i++)
            quantiles[i] = (Number(ref from), Number(ref from));
        return new Distribution(count, sum)
        {
            Min = min,
            Max = max,
            Bounds = bounds,
            Counts = counts,
            Exponential = exponential,
            Quantiles = quantiles,
        };
    }

    private static (int Offset, ulong[] Counts) ReadSide(ref ByteReader from)
    {
        var offset = (int)from.Signed();
        var counts = new ulong[from.Count(from.Left)];
        for (var i = 0; i < counts.Length; i++)
            counts[i] = from.Unsigned();
        return (offset, counts);
    }

    private static void Number(ByteWriter to, double number) => to.Fixed((ulong)BitConverter.DoubleToInt64Bits(number));

    private static double Number(ref ByteReader from) => BitConverter.Int64BitsToDouble((long)from.Fixed());
}
