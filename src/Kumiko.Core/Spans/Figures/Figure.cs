using Kumiko.Core.Records;

namespace Kumiko.Core.Spans.Figures;

/// <summary>
/// What is kept of many spans or calls: their number, how many failed, and how long they took as a sum, a sum of logarithms and
/// a sketch of exponential buckets. Each span counts with its sampling weight.
/// </summary>
internal sealed class Figure
{
    /// <summary>Buckets per doubling as a power of two: bounds are 4.4 % apart, so a quantile is right within 2.2 %.</summary>
    private const int Scale = 4;
    private const double PerDoubling = 1 << Scale;

    /// <summary>Shorter times are as short as this where logarithms are taken.</summary>
    private const double Shortest = 1e-9;

    private double[] _buckets = [];
    private int _offset;
    private double _none;
    private double _sum;
    private (double Min, double Max) _range = (double.PositiveInfinity, double.NegativeInfinity);

    public double Number { get; private set; }
    public double Failures { get; private set; }

    /// <summary>Sum of the natural logarithms of seconds.</summary>
    public double LogSum { get; private set; }

    public void Add(long duration, bool failed, double weight)
    {
        var seconds = duration / (double)Instants.Second;
        Number += weight;
        if (failed)
            Failures += weight;
        _sum += weight * seconds;
        LogSum += weight * Math.Log(Math.Max(seconds, Shortest));
        _range = (Math.Min(_range.Min, seconds), Math.Max(_range.Max, seconds));
        if (seconds <= 0)
            _none += weight;
        else
            At((int)Math.Ceiling(Math.Log2(seconds) * PerDoubling) - 1) += weight;
    }

    private ref double At(int bucket)
    {
        const int Spare = 8;
        if (_buckets.Length == 0)
            (_buckets, _offset) = (new double[2 * Spare], bucket - Spare);
        else if (bucket < _offset)
        {
            var wider = new double[_offset + _buckets.Length - bucket + Spare];
            _buckets.CopyTo(wider, wider.Length - _buckets.Length);
            (_buckets, _offset) = (wider, bucket - Spare);
        }
        else if (bucket >= _offset + _buckets.Length)
            Array.Resize(ref _buckets, bucket - _offset + Spare);
        return ref _buckets[bucket - _offset];
    }

    /// <summary>The durations in seconds as a histogram; what is lost by rounding a bucket is given to the next.</summary>
    public Distribution Durations()
    {
        var (first, last) = (Array.FindIndex(_buckets, b => b > 0), Array.FindLastIndex(_buckets, b => b > 0));
        var left = 0.0;
        var zero = Whole(_none, ref left);
        var counts = new ulong[first < 0 ? 0 : last - first + 1];
        var total = zero;
        for (var i = 0; i < counts.Length; i++)
        {
            counts[i] = Whole(_buckets[first + i], ref left);
            total += counts[i];
        }
        return new Distribution(total, _sum)
        {
            Min = _range.Min,
            Max = _range.Max,
            Exponential = new ExponentialBuckets(Scale, zero, 0, first < 0 ? 0 : _offset + first, counts, 0, []),
        };
    }

    private static ulong Whole(double count, ref double left)
    {
        var whole = Math.Max(0, Math.Round(count + left));
        left += count - whole;
        return (ulong)whole;
    }
}
