using Kumiko.Core.Records;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Storage.Metrics;

/// <summary>
/// Distributions added up, from which quantiles are read after all are merged: the quantiles of parts cannot be averaged.
/// Explicit buckets of equal bounds add up as they are; exponential ones are brought to the coarsest scale first.
/// </summary>
/// <remarks>The exponential form and its merging: OpenTelemetry metrics data model, ExponentialHistogram.</remarks>
public sealed class DistributionSum
{
    private const byte HasExponential = 1;
    private const byte HasLimits = 2;

    private sealed class Explicit(double[] bounds)
    {
        public double[] Bounds { get; } = bounds;
        public double[] Counts { get; } = new double[bounds.Length + 1];
    }

    private sealed class Exponential
    {
        public int Scale = int.MaxValue;
        public Dictionary<int, double> Positive = [];
        public Dictionary<int, double> Negative = [];
        public double Zeros;
        public double ZeroThreshold;

        public void Coarsen(int scale)
        {
            if (Scale == int.MaxValue)
            {
                Scale = scale;
                return;
            }
            if (scale >= Scale)
                return;
            var by = Scale - scale;
            (Positive, Negative) = (Fold(Positive, by), Fold(Negative, by));
            Scale = scale;
        }

        private static Dictionary<int, double> Fold(Dictionary<int, double> counts, int by)
        {
            var folded = new Dictionary<int, double>();
            foreach (var (bucket, count) in counts)
                Grow(folded, bucket >> Math.Min(by, 31), count);
            return folded;
        }
    }

    private readonly List<Explicit> _explicit = [];
    private Exponential? _exponential;

    public double Count { get; private set; }

    /// <summary>NaN where a part does not say.</summary>
    public double Sum { get; private set; }
    public double Min { get; private set; } = double.PositiveInfinity;
    public double Max { get; private set; } = double.NegativeInfinity;

    /// <summary>
    /// Between these all values lie: also what cumulative ones say of more than is taken of them. Infinite where a part does not
    /// say.
    /// </summary>
    private double _floor = double.PositiveInfinity;
    private double _ceiling = double.NegativeInfinity;

    public double Mean => Count > 0 ? Sum / Count : double.NaN;

    /// <summary>Adds what a distribution has beyond an earlier one of the same series.</summary>
    /// <param name="before">Null for all that it has.</param>
    public void Add(Distribution now, Distribution? before)
    {
        // What counts less than before began anew.
        if (before is not null && now.Count < before.Count)
            before = null;
        Count += now.Count - (double)(before?.Count ?? 0);
        Sum += (now.Sum ?? double.NaN) - (before?.Sum ?? 0);
        // Extremes of a cumulative one are those since its start, so they are told only where all of it is taken.
        _floor = Math.Min(_floor, now.Min ?? double.NegativeInfinity);
        _ceiling = Math.Max(_ceiling, now.Max ?? double.PositiveInfinity);
        if (before is null)
        {
            if (now.Min is { } min)
                Min = Math.Min(Min, min);
            if (now.Max is { } max)
                Max = Math.Max(Max, max);
        }
        if (now.Exponential is { } e)
            Add(e, before?.Exponential);
        else if (now.Counts.Length > 0)
            Add(now.Bounds, now.Counts, before is { } b && b.Bounds.AsSpan().SequenceEqual(now.Bounds) ? b.Counts : null);
    }

    private void Add(double[] bounds, ulong[] counts, ulong[]? before)
    {
        var into = Of(bounds);
        for (var i = 0; i < counts.Length && i < into.Counts.Length; i++)
            into.Counts[i] +=
                counts[i] - (before is not null && i < before.Length && before[i] <= counts[i] ? (double)before[i] : 0);
    }

    private Explicit Of(double[] bounds)
    {
        var into = _explicit.Find(e => e.Bounds.AsSpan().SequenceEqual(bounds));
        if (into is null)
            _explicit.Add(into = new Explicit(bounds));
        return into;
    }

    private void Add(ExponentialBuckets now, ExponentialBuckets? before)
    {
        _exponential ??= new Exponential();
        _exponential.Coarsen(Math.Min(now.Scale, before?.Scale ?? int.MaxValue));
        Add(now, 1);
        if (before is not null)
            Add(before, -1);
    }

    private void Add(ExponentialBuckets buckets, int sign)
    {
        var by = buckets.Scale - _exponential!.Scale;
        for (var i = 0; i < buckets.Positive.Length; i++)
            Grow(_exponential.Positive, Shift(buckets.PositiveOffset + i, by), sign * (double)buckets.Positive[i]);
        for (var i = 0; i < buckets.Negative.Length; i++)
            Grow(_exponential.Negative, Shift(buckets.NegativeOffset + i, by), sign * (double)buckets.Negative[i]);
        _exponential.Zeros += sign * (double)buckets.ZeroCount;
        _exponential.ZeroThreshold = Math.Max(_exponential.ZeroThreshold, buckets.ZeroThreshold);
    }

    private static int Shift(int bucket, int by)
    {
        if (by > 31)
        {
            if (bucket < 0)
                return -1;
            return 0;
        }

        return bucket >> by;
    }

    private static void Grow(Dictionary<int, double> counts, int bucket, double by)
    {
        if (by != 0)
            counts[bucket] = counts.GetValueOrDefault(bucket) + by;
    }

    public void Merge(DistributionSum other)
    {
        Count += other.Count;
        Sum += other.Sum;
        Min = Math.Min(Min, other.Min);
        Max = Math.Max(Max, other.Max);
        _floor = Math.Min(_floor, other._floor);
        _ceiling = Math.Max(_ceiling, other._ceiling);
        foreach (var part in other._explicit)
        {
            var into = Of(part.Bounds);
            for (var i = 0; i < into.Counts.Length; i++)
                into.Counts[i] += part.Counts[i];
        }
        if (other._exponential is not { } e)
            return;
        _exponential ??= new Exponential();
        _exponential.Coarsen(e.Scale);
        var by = e.Scale - _exponential.Scale;
        foreach (var (bucket, count) in e.Positive)
            Grow(_exponential.Positive, Shift(bucket, by), count);
        foreach (var (bucket, count) in e.Negative)
            Grow(_exponential.Negative, Shift(bucket, by), count);
        _exponential.Zeros += e.Zeros;
        _exponential.ZeroThreshold = Math.Max(_exponential.ZeroThreshold, e.ZeroThreshold);
    }

    /// <summary>
    /// Buckets with their bounds, rising, none of them beyond the known extremes. The last bucket of a histogram has no upper
    /// bound: where
    /// nothing is known of its values it ends where it begins.
    /// </summary>
    public IReadOnlyList<(double From, double To, double Count)> Buckets() => Buckets(out _);

    /// <param name="open">From where on values lie in a bucket without an end; infinite where there is none.</param>
    private List<(double From, double To, double Count)> Buckets(out double open)
    {
        open = double.PositiveInfinity;
        var buckets = new List<(double From, double To, double Count)>();
        var lowest = double.IsFinite(_floor) ? _floor : Min;
        var highest = double.IsFinite(_ceiling) ? _ceiling : Max;
        foreach (var part in _explicit)
            for (var i = 0; i < part.Counts.Length; i++)
            {
                if (part.Counts[i] <= 0)
                    continue;
                double from;
                if (i > 0)
                    from = part.Bounds[i - 1];
                else if (double.IsFinite(lowest))
                    from = Math.Min(lowest, First(part));
                else
                    from = Math.Min(0, First(part));
                double to;
                if (i < part.Bounds.Length)
                    to = part.Bounds[i];
                else if (double.IsFinite(highest))
                    to = Math.Max(highest, from);
                else
                    to = from;
                if (i == part.Bounds.Length && !double.IsFinite(highest))
                    open = Math.Min(open, from);
                buckets.Add((from, to, part.Counts[i]));
            }
        if (_exponential is { } e)
        {
            foreach (var (bucket, count) in e.Positive)
                if (count > 0)
                    buckets.Add((Edge(bucket, e.Scale), Edge(bucket + 1, e.Scale), count));
            foreach (var (bucket, count) in e.Negative)
                if (count > 0)
                    buckets.Add((-Edge(bucket + 1, e.Scale), -Edge(bucket, e.Scale), count));
            if (e.Zeros > 0)
                buckets.Add((-e.ZeroThreshold, e.ZeroThreshold, e.Zeros));
        }
        if (_floor <= _ceiling)
            for (var i = 0; i < buckets.Count; i++)
                buckets[i] = (
                    Math.Clamp(buckets[i].From, _floor, _ceiling),
                    Math.Clamp(buckets[i].To, _floor, _ceiling),
                    buckets[i].Count
                );
        buckets.Sort((a, b) => a.From != b.From ? a.From.CompareTo(b.From) : a.To.CompareTo(b.To));
        return buckets;
    }

    private static double First(Explicit part) => part.Bounds.Length > 0 ? part.Bounds[0] : 0;

    /// <summary>The finest scale of which the bounds between two powers of two are known by heart.</summary>
    private const int FinestKnown = 8;

    private static readonly double[][] Between =
    [
        .. Enumerable
            .Range(0, FinestKnown + 1)
            .Select(scale => Enumerable.Range(0, 1 << scale).Select(i => Math.Pow(2, i * Math.Pow(2, -scale))).ToArray()),
    ];

    private static double Edge(int bucket, int scale) =>
        scale is >= 0 and <= FinestKnown
            ? Math.ScaleB(Between[scale][bucket & ((1 << scale) - 1)], bucket >> scale)
            : Math.Pow(2, bucket * Math.Pow(2, -scale));

    /// <summary>A quantile, values spread evenly within a bucket; NaN where there are no buckets.</summary>
    /// <param name="share">0 to 1.</param>
    /// <returns>The value, and whether it lies somewhere beyond that: in a bucket without an end.</returns>
    public (double Value, bool IsBeyond) At(double share)
    {
        var buckets = Buckets(out var open);
        return AreApart(buckets) ? AtApart(buckets, share, open) : AtAny(buckets, share, open);
    }

    private static bool AreApart(List<(double From, double To, double Count)> buckets)
    {
        for (var i = 1; i < buckets.Count; i++)
            if (buckets[i].From < buckets[i - 1].To)
                return false;
        return true;
    }

    /// <summary>Of buckets that do not overlap: the one in which the counts reach the rank.</summary>
    internal static (double Value, bool IsBeyond) AtApart(
        List<(double From, double To, double Count)> buckets,
        double share,
        double open
    )
    {
        double total = 0;
        foreach (var (_, _, count) in buckets)
            total += count;
        if (!(total > 0))
            return (double.NaN, false);
        var rank = share * total;
        double below = 0;
        foreach (var (from, to, count) in buckets)
        {
            if (rank <= below + count)
                return from == to ? (from, from >= open) : (from + (Math.Max(0, rank - below) / count * (to - from)), false);
            below += count;
        }
        return (buckets[^1].To, buckets[^1].To >= open);
    }

    /// <summary>Of any buckets.</summary>
    internal static (double Value, bool IsBeyond) AtAny(
        List<(double From, double To, double Count)> buckets,
        double share,
        double open
    )
    {
        var total = buckets.Sum(b => b.Count);
        if (!(total > 0))
            return (double.NaN, false);
        // Buckets of unlike bounds overlap, so the place is sought where the counts below it reach the rank.
        double[] edges = [.. buckets.SelectMany(b => new[] { b.From, b.To }).Distinct().Order()];
        var rank = share * total;
        double below = 0;
        for (var i = 0; i < edges.Length; i++)
        {
            var (from, to) = (edges[i], i + 1 < edges.Length ? edges[i + 1] : edges[i]);
            double at = 0;
            double within = 0;
            foreach (var b in buckets)
            {
                if (b.From == b.To)
                {
                    if (b.From == from)
                        at += b.Count;
                }
                else if (b.From <= from && b.To >= to && to > from)
                    within += b.Count * (to - from) / (b.To - b.From);
            }
            if (at > 0 && rank <= below + at)
                return (from, from >= open);
            below += at;
            if (within > 0 && rank <= below + within)
                return (from + (Math.Max(0, rank - below) / within * (to - from)), false);
            below += within;
        }
        return (edges[^1], edges[^1] >= open);
    }

    internal void Write(ByteWriter to)
    {
        foreach (var number in new[] { Count, Sum, Min, Max })
            Number(to, number);
        to.Number(_explicit.Count);
        foreach (var part in _explicit)
        {
            to.Number(part.Bounds.Length);
            foreach (var bound in part.Bounds)
                Number(to, bound);
            foreach (var count in part.Counts)
                to.Signed((long)count);
        }
        to.Byte((byte)((_exponential is null ? 0 : HasExponential) | HasLimits));
        Number(to, _floor);
        Number(to, _ceiling);
        if (_exponential is not { } e)
            return;
        to.Signed(e.Scale);
        Number(to, e.Zeros);
        Number(to, e.ZeroThreshold);
        Write(to, e.Positive);
        Write(to, e.Negative);
    }

    private static void Number(ByteWriter to, double number) => to.Fixed((ulong)BitConverter.DoubleToInt64Bits(number));

    private static double Number(ref ByteReader from) => BitConverter.Int64BitsToDouble((long)from.Fixed());

    private static void Write(ByteWriter to, Dictionary<int, double> counts)
    {
        to.Number(counts.Count);
        foreach (var (bucket, count) in counts)
        {
            to.Signed(bucket);
            to.Signed((long)count);
        }
    }

    internal static DistributionSum Read(ref ByteReader from)
    {
        var read = new DistributionSum
        {
            Count = Number(ref from),
            Sum = Number(ref from),
            Min = Number(ref from),
            Max = Number(ref from),
        };
        for (var left = from.Count(from.Left); left > 0; left--)
        {
            var bounds = new double[from.Count(from.Left / 8)];
            for (var i = 0; i < bounds.Length; i++)
                bounds[i] = Number(ref from);
            var part = new Explicit(bounds);
            for (var i = 0; i < part.Counts.Length; i++)
                part.Counts[i] = from.Signed();
            read._explicit.Add(part);
        }
        var has = from.Byte();
        // Kept by an earlier version, nothing is known of them.
        (read._floor, read._ceiling) =
            (has & HasLimits) != 0 ? (Number(ref from), Number(ref from)) : (double.NegativeInfinity, double.PositiveInfinity);
        if ((has & HasExponential) == 0)
            return read;
        read._exponential = new Exponential
        {
            Scale = (int)from.Signed(),
            Zeros = Number(ref from),
            ZeroThreshold = Number(ref from),
        };
        Read(ref from, read._exponential.Positive);
        Read(ref from, read._exponential.Negative);
        return read;
    }

    private static void Read(ref ByteReader from, Dictionary<int, double> counts)
    {
        for (var left = from.Count(from.Left); left > 0; left--)
        {
            var bucket = (int)from.Signed();
            counts[bucket] = from.Signed();
        }
    }
}
