using Kumiko.Core.Evaluation;
using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Extension.Tests;

/// <summary>A made-up aggregate, <c>spread(x)</c>: how far the largest value lies above the smallest.</summary>
public sealed class Spread() : AggregateKind("spread", 1, 1, "spread(field)", "the largest less the smallest")
{
    public override Accumulator Create(Call call, MemoryMeter memory) => new Gathered();

    public override SampleNeed Need => SampleNeed.Totals;

    public override Value OfTotals(in SampleTotals totals, in StepFacts step) =>
        totals.Count == 0 ? Value.Missing : Value.Of(totals.Max - totals.Min);

    private sealed class Gathered : Accumulator
    {
        private double _smallest = double.PositiveInfinity;
        private double _largest = double.NegativeInfinity;

        public override void Add(in Value value, in Value second, RecordId id)
        {
            if (value.IsQuantity)
                Take(value.AsDouble, value.AsDouble);
        }

        public override void Add(in SampleTotals totals) => Take(totals.Min, totals.Max);

        public override void Merge(Accumulator other) => Take(((Gathered)other)._smallest, ((Gathered)other)._largest);

        public override Value Result(in StepFacts step) => _largest >= _smallest ? Value.Of(_largest - _smallest) : Value.Missing;

        private void Take(double smallest, double largest) =>
            (_smallest, _largest) = (Math.Min(_smallest, smallest), Math.Max(_largest, largest));
    }
}
