using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Evaluation;

/// <summary>The total.</summary>
public sealed class Sum() : AggregateKind("sum", 1, 1, "sum(field)", "total")
{
    public override Accumulator Create(Call call, MemoryMeter memory) => new SumAccumulator(mean: false);

    public override SampleNeed Need => SampleNeed.Totals;

    public override Value OfTotals(in SampleTotals totals, in StepFacts step) =>
        totals.Weight > 0 ? Value.Of(totals.Sum) : Value.Missing;
}

/// <summary>The mean.</summary>
public sealed class Average() : AggregateKind("avg", 1, 1, "avg(field)", "mean")
{
    public override Accumulator Create(Call call, MemoryMeter memory) => new SumAccumulator(mean: true);

    public override SampleNeed Need => SampleNeed.Totals;

    public override Value OfTotals(in SampleTotals totals, in StepFacts step) =>
        totals.Weight > 0 ? Value.Of(totals.Sum / totals.Weight) : Value.Missing;
}

internal sealed class Total
{
    public Int128 Whole;
    public double Sum;
    public bool Decimals;

    /// <summary>How many more values the sum is of than were added: distributions hold many each.</summary>
    public double Weight;
}

internal sealed class SumAccumulator(bool mean) : QuantityAccumulator<Total>
{
    public override void Add(in SampleTotals totals)
    {
        if (totals.Weight == 0)
            return;
        var part = Numbers(totals.Count);
        part.Sum += totals.Sum;
        part.Decimals = true;
        part.Weight += totals.Weight - totals.Count;
    }

    protected override Total NewPart() => new();

    protected override void Add(Total part, double number, long whole, bool isDecimal)
    {
        if (isDecimal)
        {
            part.Sum += number;
            part.Decimals = true;
        }
        else
            part.Whole += whole;
    }

    protected override long AddTimes(Total part, double number, long whole, bool isDecimal, long times)
    {
        if (isDecimal)
        {
            part.Sum += number * times;
            part.Decimals = true;
        }
        else
            part.Whole += (Int128)whole * times;
        return times;
    }

    protected override void Add(Total part, ReadOnlySpan<long> numbers)
    {
        Int128 sum = 0;
        foreach (var number in numbers)
            sum += number;
        part.Whole += sum;
    }

    protected override void Merge(Total part, Total other)
    {
        part.Whole += other.Whole;
        part.Sum += other.Sum;
        part.Decimals |= other.Decimals;
        part.Weight += other.Weight;
    }

    protected override Value Result(Total part, long count, ValueKind kind)
    {
        var sum = (double)part.Whole + part.Sum;
        if (mean)
            return Like(kind, sum / (count + part.Weight));
        if (part.Decimals || part.Whole > long.MaxValue || part.Whole < long.MinValue)
        {
            if (kind is ValueKind.Integer)
                return Value.Of(sum);
            if (Math.Abs(sum) < 9.2e18)
                return Like(kind, sum);
            return Value.Missing;
        }
        return kind switch
        {
            ValueKind.Integer => Value.Of((long)part.Whole),
            ValueKind.Duration => Value.Duration((long)part.Whole),
            ValueKind.Size => Value.Size((long)part.Whole),
            _ => Value.Time((long)part.Whole),
        };
    }
}
