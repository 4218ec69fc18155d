using Kumiko.Core.Evaluation;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Storage.Metrics;

/// <summary>The levels that stand beside samples: steps of a length with what their samples come to.</summary>
public static class Grains
{
    /// <summary>Nanoseconds of a step by number of the part; 0 for the samples themselves.</summary>
    public static readonly long[] Lengths = [0, Instants.Minute, 10 * Instants.Minute, Instants.Hour];

    public const int Samples = 0;
    public const int Minutes = 1;
    public const int TenMinutes = 2;
    public const int Hours = 3;
    public const int Count = 4;
}

/// <summary>
/// One series at one level over a day: for each step that has samples what they come to. Steps are counted from the UTC
/// day's start. Extremes, sums and counts are those of values, of observations for distributions. Growth is that since the
/// sample before within the day; what lies between days is told by <see cref="FirstSample"/> and <see cref="LastSample"/>.
/// </summary>
public sealed class Level
{
    private const byte HasEdges = 1;
    private const byte HasGrowth = 2;
    private const byte HasSketches = 4;
    private const byte HasDistributions = 8;

    public required int[] Steps { get; init; }
    public required long[] Counts { get; init; }
    public required double[] Sums { get; init; }
    public required double[] Mins { get; init; }
    public required double[] Maxes { get; init; }

    /// <summary>First and last value of each step; null where the level does not keep them.</summary>
    public double[]? Firsts { get; init; }
    public double[]? Lasts { get; init; }

    /// <summary>Growth of a counter, NaN where nothing can be said, and the nanoseconds that it took; null for others.</summary>
    public double[]? Growths { get; init; }
    public long[]? Covered { get; init; }

    /// <summary>Null where percentiles come from the samples.</summary>
    public PercentileSketch[]? Sketches { get; init; }

    /// <summary>Null for series of numbers.</summary>
    public DistributionSum[]? Distributions { get; init; }

    /// <summary>The day's first sample and last sample that have values.</summary>
    public required (long Time, double Value, long Start) FirstSample { get; init; }
    public required (long Time, double Value) LastSample { get; init; }

    /// <summary>What the day's first and last sample hold; null for series of numbers.</summary>
    public Distribution? FirstDistribution { get; init; }
    public Distribution? LastDistribution { get; init; }

    /// <summary>Makes a level of a day's samples; null where it would hardly be shorter than they are.</summary>
    /// <param name="digits">Digits after the point that the values have, so that sums have no more; null where they have too
    /// many.</param>
    public static Level? Of(MetricSeries series, SampleRun run, long day, int grain, int? digits)
    {
        // With fewer samples a step than this, a level is as long as the samples and reading them as fast; hours stay when
        // samples go.
        const int FewestInStep = 10;
        const int FewestInSketch = 32;
        var length = Grains.Lengths[grain];
        if (run.Count == 0)
            return null;
        var steps = new List<(int Step, int First, int End)>();
        for (var i = 0; i < run.Count; )
        {
            var step = (int)((run.Times[i] - day) / length);
            var first = i;
            while (i < run.Count && (run.Times[i] - day) / length == step)
                i++;
            steps.Add((step, first, i));
        }
        if (grain != Grains.Hours && run.Count < steps.Count * FewestInStep)
            return null;
        var n = steps.Count;
        var firstAt = Math.Max(0, Array.FindIndex(run.Values, v => !double.IsNaN(v)));
        var lastAt = Math.Max(0, Array.FindLastIndex(run.Values, v => !double.IsNaN(v)));
        var edges = grain != Grains.Minutes;
        var sketched =
            !series.IsDistribution && (grain != Grains.Minutes ? run.Count >= n * 4L : run.Count >= n * FewestInSketch);
        var level = new Level
        {
            Steps = [.. steps.Select(s => s.Step)],
            Counts = new long[n],
            Sums = new double[n],
            Mins = new double[n],
            Maxes = new double[n],
            Firsts = edges ? new double[n] : null,
            Lasts = edges ? new double[n] : null,
            Growths = series.IsCounter ? new double[n] : null,
            Covered = series.IsCounter ? new long[n] : null,
            Sketches = sketched ? new PercentileSketch[n] : null,
            Distributions = series.IsDistribution ? new DistributionSum[n] : null,
            FirstSample = (run.Times[firstAt], run.Values[firstAt], run.Starts?[firstAt] ?? 0),
            LastSample = (run.Times[lastAt], run.Values[lastAt]),
            FirstDistribution = run.Distributions?[0],
            LastDistribution = run.Distributions?[^1],
        };
        for (var s = 0; s < n; s++)
        {
            if (series.IsDistribution)
                level.Gather(s, run, steps[s].First, steps[s].End, series.IsDelta);
            else
                level.Gather(s, run, steps[s].First, steps[s].End, digits, series.IsDelta);
        }
        return level;
    }

    private void Gather(int s, SampleRun run, int first, int end, int? digits, bool isDelta)
    {
        var sketch = Sketches is null ? null : new PercentileSketch(coarse: true);
        var (count, sum, min, max) = (0L, 0.0, double.PositiveInfinity, double.NegativeInfinity);
        var (firstValue, lastValue, growth, covered) = (double.NaN, double.NaN, double.NaN, 0L);
        for (var i = first; i < end; i++)
        {
            var value = run.Values[i];
            if (double.IsNaN(value))
                continue;
            if (count++ == 0)
                firstValue = value;
            lastValue = value;
            sum += value;
            min = Math.Min(min, value);
            max = Math.Max(max, value);
            sketch?.Add(value);
            if (Growths is null)
                continue;
            var (grown, took) = Counters.Between(Before(run, i), run.Times[i], value, run.Starts?[i] ?? 0, isDelta);
            if (double.IsNaN(grown))
                continue;
            growth = (double.IsNaN(growth) ? 0 : growth) + grown;
            covered += took;
        }
        if (digits is { } known && Math.Abs(sum) < 1e15)
            (sum, growth) = (Math.Round(sum, known), double.IsNaN(growth) ? growth : Math.Round(growth, known));
        (Counts[s], Sums[s], Mins[s], Maxes[s]) = (count, sum, count == 0 ? double.NaN : min, count == 0 ? double.NaN : max);
        if (Firsts is not null)
            (Firsts[s], Lasts![s]) = (firstValue, lastValue);
        if (Growths is not null)
            (Growths[s], Covered![s]) = (growth, covered);
        if (sketch is not null)
            Sketches![s] = sketch;
    }

    /// <summary>The sample before one that has a value; null where there is none in the run.</summary>
    private static (long, double)? Before(SampleRun run, int i)
    {
        for (i--; i >= 0; i--)
            if (!double.IsNaN(run.Values[i]))
                return (run.Times[i], run.Values[i]);
        return null;
    }

    private void Gather(int s, SampleRun run, int first, int end, bool isDelta)
    {
        var sum = new DistributionSum();
        for (var i = first; i < end; i++)
        {
            // A cumulative one counts from the sample before; the day's first is the reader's to join.
            var start = run.Starts?[i] ?? 0;
            if (isDelta)
            {
                sum.Add(run.Distributions![i], null);
                if (start > 0 && start < run.Times[i])
                    Covered![s] += run.Times[i] - start;
                else if (i > 0)
                    Covered![s] += run.Times[i] - run.Times[i - 1];
            }
            else if (i > 0)
            {
                sum.Add(run.Distributions![i], start > run.Times[i - 1] ? null : run.Distributions[i - 1]);
                Covered![s] += run.Times[i] - run.Times[i - 1];
            }
        }
        Distributions![s] = sum;
        Growths![s] = sum.Count;
        (Counts[s], Sums[s], Mins[s], Maxes[s]) = (end - first, sum.Sum, double.NaN, double.NaN);
        if (Firsts is not null)
            (Firsts[s], Lasts![s]) = (run.Values[first], run.Values[end - 1]);
    }

    internal void Write(ByteWriter to)
    {
        var begin = to.Length;
        to.Byte(
            (byte)(
                (Firsts is null ? 0 : HasEdges)
                | (Growths is null ? 0 : HasGrowth)
                | (Sketches is null ? 0 : HasSketches)
                | (Distributions is null ? 0 : HasDistributions)
            )
        );
        to.Number(Steps.Length);
        PackedLongs.Write(to, Array.ConvertAll(Steps, s => (long)s));
        PackedLongs.Write(to, Counts);
        foreach (var column in new[] { Sums, Mins, Maxes, Firsts, Lasts, Growths })
            if (column is not null)
                PackedDoubles.Write(to, column);
        if (Covered is not null)
            PackedLongs.Write(to, Covered);
        to.Signed(FirstSample.Time);
        to.Signed(LastSample.Time - FirstSample.Time);
        to.Signed(FirstSample.Start);
        foreach (var value in new[] { FirstSample.Value, LastSample.Value })
            to.Fixed((ulong)BitConverter.DoubleToInt64Bits(value));
        if (Sketches is not null)
            WriteSketches(to, Sketches);
        foreach (var distribution in Distributions ?? [])
            distribution.Write(to);
        if (Distributions is not null)
        {
            DistributionCodec.Write(to, FirstDistribution!, null);
            DistributionCodec.Write(to, LastDistribution!, FirstDistribution);
        }
        SampleChunk.Seal(to, begin);
    }

    /// <exception cref="InvalidDataException">The bytes are damaged.</exception>
    internal static Level Read(ReadOnlySpan<byte> chunk, bool sketches)
    {
        var from = new ByteReader(SampleChunk.Open(chunk));
        var has = from.Byte();
        var n = from.Count(24 * 60);
        var steps = Longs(ref from, n);
        var counts = Longs(ref from, n);
        var (sums, mins, maxes) = (Doubles(ref from, n), Doubles(ref from, n), Doubles(ref from, n));
        var firsts = (has & HasEdges) != 0 ? Doubles(ref from, n) : null;
        var lasts = (has & HasEdges) != 0 ? Doubles(ref from, n) : null;
        var growths = (has & HasGrowth) != 0 ? Doubles(ref from, n) : null;
        var covered = (has & HasGrowth) != 0 ? Longs(ref from, n) : null;
        var first = from.Signed();
        var last = first + from.Signed();
        var start = from.Signed();
        var (firstValue, lastValue) = (
            BitConverter.Int64BitsToDouble((long)from.Fixed()),
            BitConverter.Int64BitsToDouble((long)from.Fixed())
        );
        var readSketches = (has & HasSketches) != 0 ? ReadSketches(ref from, n, sketches) : null;
        var distributions = (has & HasDistributions) != 0 ? new DistributionSum[n] : null;
        for (var i = 0; distributions is not null && i < n; i++)
            distributions[i] = DistributionSum.Read(ref from);
        var firstDistribution = distributions is null ? null : DistributionCodec.Read(ref from, null);
        return new Level
        {
            Steps = Array.ConvertAll(steps, s => (int)s),
            Counts = counts,
            Sums = sums,
            Mins = mins,
            Maxes = maxes,
            Firsts = firsts,
            Lasts = lasts,
            Growths = growths,
            Covered = covered,
            FirstSample = (first, firstValue, start),
            LastSample = (last, lastValue),
            Sketches = readSketches,
            Distributions = distributions,
            FirstDistribution = firstDistribution,
            LastDistribution = firstDistribution is null ? null : DistributionCodec.Read(ref from, firstDistribution),
        };
    }

    private static long[] Longs(ref ByteReader from, int count)
    {
        var values = new long[count];
        PackedLongs.Read(ref from, values);
        return values;
    }

    private static double[] Doubles(ref ByteReader from, int count)
    {
        var values = new double[count];
        PackedDoubles.Read(ref from, values);
        return values;
    }

    /// <summary>All buckets one after another as three columns, which pack to a few bits each.</summary>
    private static void WriteSketches(ByteWriter to, PercentileSketch[] sketches)
    {
        var (sizes, buckets, counts) = (new List<long>(), new List<long>(), new List<long>());
        foreach (var sketch in sketches)
        {
            var (below, zeros, above) = sketch.Contents;
            sizes.AddRange([below.Count, zeros, above.Count]);
            long last = 0;
            foreach (var (bucket, count) in below.Concat(above))
            {
                buckets.Add(bucket - last);
                counts.Add(count);
                last = bucket;
            }
        }
        to.Number(buckets.Count);
        PackedLongs.Write(to, [.. sizes]);
        PackedLongs.Write(to, [.. buckets]);
        PackedLongs.Write(to, [.. counts]);
    }

    private static PercentileSketch[]? ReadSketches(ref ByteReader from, int n, bool wanted)
    {
        // Nothing follows them in series of numbers.
        if (!wanted)
            return null;
        var all = from.Count(MetricSegmentWriter.MostSamples);
        var (sizes, buckets, counts) = (Longs(ref from, n * 3), Longs(ref from, all), Longs(ref from, all));
        var at = 0;
        var sketches = new PercentileSketch[n];
        for (var i = 0; i < n; i++)
        {
            var (below, above) = ((int)sizes[i * 3], (int)sizes[(i * 3) + 2]);
            if (below < 0 || above < 0 || at + below + above > all)
                throw new InvalidDataException("A sketch is longer than its level.");
            long last = 0;
            var list = new List<(int, long)>(below + above);
            for (var b = 0; b < below + above; b++, at++)
                list.Add(((int)(last += buckets[at]), counts[at]));
            sketches[i] = PercentileSketch.CoarseOf(list.Take(below), sizes[(i * 3) + 1], list.Skip(below));
        }
        return sketches;
    }
}
