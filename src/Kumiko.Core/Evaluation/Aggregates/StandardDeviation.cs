using System.Numerics;
using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Evaluation;

/// <summary>The standard deviation of a sample.</summary>
public sealed class StandardDeviation() : AggregateKind("stddev", 1, 1, "stddev(field)", "sample standard deviation")
{
    public override Accumulator Create(Call call, MemoryMeter memory) => new SpreadAccumulator();

    public override SampleNeed Need => SampleNeed.Moments;
}

/// <summary>A mean and what deviates from it, merged in any order: Chan, Golub and LeVeque, 1979, with twice the digits of a
/// double.</summary>
internal sealed class Moments
{
    public long Count;
    public DoubleDouble Mean;
    public DoubleDouble Squares;

    /// <summary>Whole numbers are added up exactly: how many, their sum and that of their squares.</summary>
    public long Wholes;
    public Int128 Sum;
    public Int128 SumOfSquares;

    public void Add(DoubleDouble number)
    {
        Count++;
        var off = number - Mean;
        Mean += off / (double)Count;
        Squares += off * (number - Mean);
    }

    /// <summary>All of them as means and squares.</summary>
    public Moments Together()
    {
        if (Wholes == 0)
            return this;
        var squares = ((BigInteger)SumOfSquares * Wholes) - ((BigInteger)Sum * Sum);
        var all = new Moments
        {
            Count = Wholes,
            Mean = Halves((BigInteger)Sum) / (double)Wholes,
            Squares = Halves(squares) / (double)Wholes,
        };
        all.Take(this);
        return all;
    }

    private static DoubleDouble Halves(BigInteger number)
    {
        var high = (double)number;
        return new DoubleDouble(high, (double)(number - new BigInteger(high)));
    }

    /// <summary>Adds means and squares of others.</summary>
    public void Take(Moments other)
    {
        if (other.Count == 0)
            return;
        var count = Count + other.Count;
        var off = other.Mean - Mean;
        Squares += other.Squares + (off * off * (DoubleDouble)(double)Count / (double)count * (double)other.Count);
        Mean += off * (double)other.Count / (double)count;
        Count = count;
    }
}

/// <summary>Sample standard deviation: of whole numbers exactly, so that it does not hang on their order; of others by Welford,
/// Technometrics 4 (1962).</summary>
internal sealed class SpreadAccumulator : QuantityAccumulator<Moments>
{
    /// <summary>The squares of a trillion such numbers can be added up.</summary>
    private const long LargestExact = 1L << 42;

    protected override Moments NewPart() => new();

    protected override void Add(Moments part, double number, long whole, bool isDecimal)
    {
        if (!isDecimal && whole is >= -LargestExact and <= LargestExact)
        {
            part.Wholes++;
            part.Sum += whole;
            part.SumOfSquares += (Int128)whole * whole;
            return;
        }
        part.Add(isDecimal ? number : DoubleDouble.Of(whole));
    }

    protected override void Merge(Moments part, Moments other)
    {
        part.Take(other);
        part.Wholes += other.Wholes;
        part.Sum += other.Sum;
        part.SumOfSquares += other.SumOfSquares;
    }

    protected override Value Result(Moments part, long count, ValueKind kind)
    {
        var all = part.Together();
        return all.Count < 2
            ? Value.Missing
            : Like(
                kind == ValueKind.Time ? ValueKind.Duration : kind,
                Math.Sqrt(Math.Max(0, (double)(all.Squares / (double)(all.Count - 1))))
            );
    }
}
