using System.IO.Hashing;
using System.Numerics;
using System.Text;

namespace Kumiko.Core.Evaluation;

/// <summary>
/// Counts of values in buckets that grow with the value, 128 to each power of two (64 in a coarse one), from which any
/// percentile comes within 0.4 % (0.8 %) of its value, whatever the order of adding and merging; of a fine and a coarse
/// one a coarse one is made. A bucket is the leading bits of the number
/// itself, so that finding it takes no logarithm; the idea of such buckets is that of Masson, Rim and Lee: DDSketch,
/// PVLDB 12 (2019).
/// </summary>
public sealed class PercentileSketch
{
    private const int Fine = 52 - 7;
    private const int Coarse = 52 - 6;

    private int _dropped;
    private Buckets _above = new();
    private Buckets _below = new();
    private long _zeros;

    public PercentileSketch(bool coarse = false) => _dropped = coarse ? Coarse : Fine;

    public bool IsCoarse => _dropped == Coarse;

    /// <summary>Counts from the lowest bucket that was met to the highest.</summary>
    private sealed class Buckets
    {
        public long[] Counts = [];
        public int First;

        public void Add(int bucket, long times)
        {
            if (Counts.Length == 0)
                (Counts, First) = (new long[64], bucket - 32);
            if ((uint)(bucket - First) >= (uint)Counts.Length)
                Grow(bucket);
            Counts[bucket - First] += times;
        }

        private void Grow(int bucket)
        {
            var first = bucket < First ? bucket - Counts.Length : First;
            var counts = new long[Math.Max(First + Counts.Length, bucket + Counts.Length) - first];
            Counts.CopyTo(counts, First - first);
            (Counts, First) = (counts, first);
        }

        public Buckets Coarsened()
        {
            var coarse = new Buckets();
            for (var i = 0; i < Counts.Length; i++)
                if (Counts[i] > 0)
                    coarse.Add((First + i) >> 1, Counts[i]);
            return coarse;
        }

        public List<(int Bucket, long Count)> All()
        {
            var all = new List<(int, long)>();
            for (var i = 0; i < Counts.Length; i++)
                if (Counts[i] > 0)
                    all.Add((First + i, Counts[i]));
            return all;
        }

        public void Add(Buckets other)
        {
            for (var i = 0; i < other.Counts.Length; i++)
                if (other.Counts[i] > 0)
                    Add(other.First + i, other.Counts[i]);
        }
    }

    public long Count { get; private set; }

    /// <summary>Its buckets with their counts, to be kept: those below zero, the zeros, those above.</summary>
    internal (
        IReadOnlyList<(int Bucket, long Count)> Below,
        long Zeros,
        IReadOnlyList<(int Bucket, long Count)> Above
    ) Contents => (_below.All(), _zeros, _above.All());

    /// <summary>A coarse sketch with such contents.</summary>
    internal static PercentileSketch CoarseOf(
        IEnumerable<(int Bucket, long Count)> below,
        long zeros,
        IEnumerable<(int Bucket, long Count)> above
    )
    {
        var sketch = new PercentileSketch(coarse: true) { _zeros = zeros, Count = zeros };
        foreach (var (bucket, count) in below)
        {
            sketch._below.Add(bucket, count);
            sketch.Count += count;
        }
        foreach (var (bucket, count) in above)
        {
            sketch._above.Add(bucket, count);
            sketch.Count += count;
        }
        return sketch;
    }

    public void Add(double value) => Add(value, 1);

    /// <summary>Adds a value so many times.</summary>
    public void Add(double value, long times)
    {
        Count += times;
        if (value == 0)
        {
            _zeros += times;
            return;
        }
        (value > 0 ? _above : _below).Add((int)(BitConverter.DoubleToInt64Bits(Math.Abs(value)) >> _dropped), times);
    }

    /// <summary>Adds many.</summary>
    public void Add(ReadOnlySpan<long> values)
    {
        var (counts, first, dropped) = (_above.Counts, _above.First, _dropped);
        foreach (var value in values)
        {
            if (value <= 0)
            {
                Add((double)value);
                continue;
            }
            var bucket = (int)(BitConverter.DoubleToInt64Bits(value) >> dropped) - first;
            if ((uint)bucket < (uint)counts.Length)
            {
                counts[bucket]++;
                Count++;
                continue;
            }
            Add((double)value);
            (counts, first) = (_above.Counts, _above.First);
        }
    }

    /// <summary>The same of any numbers.</summary>
    public void Add(ReadOnlySpan<double> values)
    {
        var (counts, first, dropped) = (_above.Counts, _above.First, _dropped);
        foreach (var value in values)
        {
            // Those not above zero have a sign, or no bucket.
            var bucket = (int)(BitConverter.DoubleToInt64Bits(value) >> dropped) - first;
            if (value > 0 && (uint)bucket < (uint)counts.Length)
            {
                counts[bucket]++;
                Count++;
                continue;
            }
            Add(value);
            (counts, first) = (_above.Counts, _above.First);
        }
    }

    public void Merge(PercentileSketch other)
    {
        if (other.IsCoarse && !IsCoarse)
        {
            (_above, _below, _dropped) = (_above.Coarsened(), _below.Coarsened(), Coarse);
        }
        var folds = IsCoarse && !other.IsCoarse;
        _above.Add(folds ? other._above.Coarsened() : other._above);
        _below.Add(folds ? other._below.Coarsened() : other._below);
        _zeros += other._zeros;
        Count += other.Count;
    }

    /// <param name="share">0 to 1.</param>
    public double At(double share)
    {
        var rank = (long)Math.Round(share * (Count - 1));
        for (var i = _below.Counts.Length - 1; i >= 0; i--)
            if ((rank -= _below.Counts[i]) < 0)
                return -Middle(_below.First + i);
        if ((rank -= _zeros) < 0)
            return 0;
        for (var i = 0; i < _above.Counts.Length; i++)
            if ((rank -= _above.Counts[i]) < 0)
                return Middle(_above.First + i);
        return double.NaN;
    }

    private double Middle(int bucket) =>
        (
            BitConverter.Int64BitsToDouble((long)bucket << _dropped)
            + BitConverter.Int64BitsToDouble((long)(bucket + 1) << _dropped)
        ) / 2;
}

/// <summary>
/// How many different texts there were, within about 0.4 % (one standard error). Flajolet, Fusy, Gandouet and
/// Meunier: HyperLogLog, AofA 2007, with 2^16 registers of 64-bit hashes, which needs no correction for large counts.
/// </summary>
public sealed class DistinctSketch
{
    private const int Bits = 16;

    private readonly byte[] _registers = new byte[1 << Bits];

    public const int Size = 1 << Bits;

    public void Add(string text)
    {
        Span<byte> small = stackalloc byte[256];
        var most = Encoding.UTF8.GetMaxByteCount(text.Length);
        var utf8 = most <= small.Length ? small : new byte[most];
        var hash = XxHash3.HashToUInt64(utf8[..Encoding.UTF8.GetBytes(text, utf8)]);
        var register = (int)(hash >> (64 - Bits));
        var rank = (byte)(BitOperations.LeadingZeroCount((hash << Bits) | (1UL << (Bits - 1))) + 1);
        if (_registers[register] < rank)
            _registers[register] = rank;
    }

    public void Merge(DistinctSketch other)
    {
        for (var i = 0; i < _registers.Length; i++)
            _registers[i] = Math.Max(_registers[i], other._registers[i]);
    }

    public long Count
    {
        get
        {
            double sum = 0;
            var empty = 0;
            foreach (var rank in _registers)
            {
                sum += Math.ScaleB(1, -rank);
                if (rank == 0)
                    empty++;
            }
            var m = (double)_registers.Length;
            var raw = 0.7213 / (1 + (1.079 / m)) * m * m / sum;
            // Few values leave registers empty, and counting those is better then.
            return (long)Math.Round(raw <= 2.5 * m && empty > 0 ? m * Math.Log(m / empty) : raw);
        }
    }
}
