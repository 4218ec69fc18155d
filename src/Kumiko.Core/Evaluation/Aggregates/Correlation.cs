using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Evaluation;

/// <summary>Pearson's correlation of two values.</summary>
public sealed class Correlate() : AggregateKind("correlate", 2, 2, "correlate(a, b)", "Pearson's correlation, -1 to 1")
{
    public override Accumulator Create(Call call, MemoryMeter memory) => new CorrelationAccumulator();

    public override bool TakesTwo => true;

    public override string UnitOf(string of, bool areDistributions) => "";
}

/// <summary>Pearson's correlation of two quantities where both are there; merged as in Chan, Golub and LeVeque, 1979.</summary>
internal sealed class CorrelationAccumulator : Accumulator
{
    private long _count;
    private DoubleDouble _meanA;
    private DoubleDouble _meanB;
    private DoubleDouble _aa;
    private DoubleDouble _bb;
    private DoubleDouble _ab;

    private static DoubleDouble Exact(in Value value) =>
        value.Kind == ValueKind.Decimal ? value.AsDouble : DoubleDouble.Of(value.AsLong);

    public override void Add(in Value value, in Value second, RecordId id)
    {
        var (one, two) = (Quantity(value), Quantity(second));
        if (one.IsMissing || two.IsMissing)
            return;
        _count++;
        var (a, b) = (Exact(one), Exact(two));
        var (offA, offB) = (a - _meanA, b - _meanB);
        _meanA += offA / (double)_count;
        _meanB += offB / (double)_count;
        _aa += offA * (a - _meanA);
        _bb += offB * (b - _meanB);
        _ab += offA * (b - _meanB);
    }

    public override void Merge(Accumulator other)
    {
        var more = (CorrelationAccumulator)other;
        if (more._count == 0)
            return;
        var count = _count + more._count;
        var (offA, offB) = (more._meanA - _meanA, more._meanB - _meanB);
        var weight = (DoubleDouble)(double)_count / (double)count * (double)more._count;
        _aa += more._aa + (offA * offA * weight);
        _bb += more._bb + (offB * offB * weight);
        _ab += more._ab + (offA * offB * weight);
        _meanA += offA * (double)more._count / (double)count;
        _meanB += offB * (double)more._count / (double)count;
        _count = count;
    }

    /// <summary>Digits that do not hang on how records lie in segments, whatever the numbers.</summary>
    private const int Digits = 12;

    public override Value Result(in StepFacts step)
    {
        var (aa, bb, ab) = ((double)_aa, (double)_bb, (double)_ab);
        if (_count < 2 || !(aa > 0) || !(bb > 0))
            return Value.Missing;
        // Each root by itself, as the product of both may be beyond a double. A zero has no sign.
        return Value.Of(Math.Round(Math.Clamp(ab / Math.Sqrt(aa) / Math.Sqrt(bb), -1, 1), Digits) + 0.0);
    }
}
