using System.IO.Hashing;
using System.Numerics;
using System.Text;

namespace Kumiko.Core.Evaluation;

/// <summary>
/// Counts of values by logarithmic buckets, from which any percentile comes within half a percent of its value,
/// whatever the order of adding and merging. Masson, Rim and Lee: DDSketch, PVLDB 12 (2019).
/// </summary>
public sealed class PercentileSketch
{
    private const double Accuracy = 0.005;
    private static readonly double LogGamma = Math.Log((1 + Accuracy) / (1 - Accuracy));

    private readonly SortedDictionary<int, long> _above = [], _below = [];
    private long _zeros;

    public long Count { get; private set; }

    public void Add(double value, long times = 1)
    {
        Count += times;
        if (value == 0) { _zeros += times; return; }
        var buckets = value > 0 ? _above : _below;
        var bucket = (int)Math.Ceiling(Math.Log(Math.Abs(value)) / LogGamma);
        buckets[bucket] = buckets.GetValueOrDefault(bucket) + times;
    }

    public void Merge(PercentileSketch other)
    {
        foreach (var (bucket, times) in other._above) _above[bucket] = _above.GetValueOrDefault(bucket) + times;
        foreach (var (bucket, times) in other._below) _below[bucket] = _below.GetValueOrDefault(bucket) + times;
        _zeros += other._zeros;
        Count += other.Count;
    }

    /// <param name="share">0 to 1.</param>
    public double At(double share)
    {
        var rank = (long)Math.Round(share * (Count - 1));
        foreach (var (bucket, times) in _below.Reverse()) if ((rank -= times) < 0) return -Middle(bucket);
        if ((rank -= _zeros) < 0) return 0;
        foreach (var (bucket, times) in _above) if ((rank -= times) < 0) return Middle(bucket);
        return double.NaN;
    }

    // The value that is as far, in parts of itself, from both ends of its bucket.
    private static double Middle(int bucket) => 2 * Math.Exp(bucket * LogGamma) / (1 + Math.Exp(LogGamma));
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
