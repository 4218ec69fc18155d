using System.IO.Hashing;
using System.Numerics;
using System.Text;

namespace Kumiko.Core.Evaluation;

/// <summary>
/// Counts of values in buckets that grow with the value, 128 to each power of two, from which any percentile comes
/// within 0.4 % of its value, whatever the order of adding and merging. A bucket is the leading bits of the number
/// itself, so that finding it takes no logarithm; the idea of such buckets is that of Masson, Rim and Lee: DDSketch,
/// PVLDB 12 (2019).
/// </summary>
public sealed class PercentileSketch
{
    private const int Kept = 52 - 7;

    private readonly Buckets _above = new(), _below = new();
    private long _zeros;

    /// <summary>Counts from the lowest bucket that was met to the highest.</summary>
    private sealed class Buckets
    {
        public long[] Counts = [];
        public int First;

        public void Add(int bucket, long times)
        {
            if (Counts.Length == 0) (Counts, First) = (new long[64], bucket - 32);
            if ((uint)(bucket - First) >= (uint)Counts.Length) Grow(bucket);
            Counts[bucket - First] += times;
        }

        private void Grow(int bucket)
        {
            var first = bucket < First ? bucket - Counts.Length : First;
            var counts = new long[Math.Max(First + Counts.Length, bucket + Counts.Length) - first];
            Counts.CopyTo(counts, First - first);
            (Counts, First) = (counts, first);
        }

        public void Add(Buckets other)
        {
            for (var i = 0; i < other.Counts.Length; i++) if (other.Counts[i] > 0) Add(other.First + i, other.Counts[i]);
        }
    }

    public long Count { get; private set; }

    public void Add(double value)
    {
        Count++;
        if (value == 0) { _zeros++; return; }
        (value > 0 ? _above : _below).Add((int)(BitConverter.DoubleToInt64Bits(Math.Abs(value)) >> Kept), 1);
    }

    public void Merge(PercentileSketch other)
    {
        _above.Add(other._above);
        _below.Add(other._below);
        _zeros += other._zeros;
        Count += other.Count;
    }

    /// <param name="share">0 to 1.</param>
    public double At(double share)
    {
        var rank = (long)Math.Round(share * (Count - 1));
        for (var i = _below.Counts.Length - 1; i >= 0; i--) if ((rank -= _below.Counts[i]) < 0) return -Middle(_below.First + i);
        if ((rank -= _zeros) < 0) return 0;
        for (var i = 0; i < _above.Counts.Length; i++) if ((rank -= _above.Counts[i]) < 0) return Middle(_above.First + i);
        return double.NaN;
    }

    private static double Middle(int bucket) =>
        (BitConverter.Int64BitsToDouble((long)bucket << Kept) + BitConverter.Int64BitsToDouble((long)(bucket + 1) << Kept)) / 2;
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
        if (_registers[register] < rank) _registers[register] = rank;
    }

    public void Merge(DistinctSketch other)
    {
        for (var i = 0; i < _registers.Length; i++) _registers[i] = Math.Max(_registers[i], other._registers[i]);
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
                if (rank == 0) empty++;
            }
            var m = (double)_registers.Length;
            var raw = 0.7213 / (1 + (1.079 / m)) * m * m / sum;
            // Few values leave registers empty, and counting those is better then.
            return (long)Math.Round(raw <= 2.5 * m && empty > 0 ? m * Math.Log(m / empty) : raw);
        }
    }
}
