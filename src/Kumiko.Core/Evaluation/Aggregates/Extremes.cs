using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Evaluation;

/// <summary>The smallest value.</summary>
public sealed class Smallest() : AggregateKind("min", 1, 1, "min(field)", "smallest")
{
    public override Accumulator Create(Call call, MemoryMeter memory) => new ExtremeAccumulator(-1);

    public override SampleNeed Need => SampleNeed.Totals;

    public override Value OfTotals(in SampleTotals totals, in StepFacts step) =>
        double.IsFinite(totals.Min) ? Value.Of(totals.Min) : Value.Missing;
}

/// <summary>The largest value.</summary>
public sealed class Largest() : AggregateKind("max", 1, 1, "max(field)", "largest")
{
    public override Accumulator Create(Call call, MemoryMeter memory) => new ExtremeAccumulator(1);

    public override SampleNeed Need => SampleNeed.Totals;

    public override Value OfTotals(in SampleTotals totals, in StepFacts step) =>
        double.IsFinite(totals.Max) ? Value.Of(totals.Max) : Value.Missing;
}

internal sealed class ExtremeAccumulator(int sign) : Accumulator
{
    private Value _best = Value.Missing;

    public override void Add(in Value value, in Value second, RecordId id) =>
        Take(value.IsText && Literals.ReadQuantity(value.AsText) is { IsMissing: false } quantity ? quantity : value);

    public override void AddWholes(ValueKind kind, ReadOnlySpan<long> numbers)
    {
        if (numbers.IsEmpty)
            return;
        var best = numbers[0];
        foreach (var number in numbers)
            best = sign > 0 ? Math.Max(best, number) : Math.Min(best, number);
        Take(Whole(kind, best));
    }

    private void Take(in Value value)
    {
        if (value.IsMissing)
            return;
        var order = _best.IsMissing ? 1 : Comparison.Sort(value, _best) * sign;
        // 1 and 1.0 sort alike; one of them must win whatever came first.
        if (order > 0 || (order == 0 && value.Kind < _best.Kind))
            _best = value;
    }

    public override void Add(in SampleTotals totals)
    {
        var extreme = sign > 0 ? totals.Max : totals.Min;
        if (double.IsFinite(extreme))
            Take(Value.Of(extreme));
    }

    public override void Merge(Accumulator other) => Take(((ExtremeAccumulator)other)._best);

    // Zeros of both signs are equal, and which came first says nothing.
    public override Value Result(in StepFacts step) =>
        _best.Kind == ValueKind.Decimal && _best.AsDouble == 0 ? Value.Of(0.0) : _best;
}
