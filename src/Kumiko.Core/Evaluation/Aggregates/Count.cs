using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Evaluation;

/// <summary>How many rows, or how many for which a condition holds.</summary>
public sealed class Count()
    : AggregateKind("count", 0, 1, "count() · count(condition)", "records, or those for which a condition holds")
{
    public override Accumulator Create(Call call, MemoryMeter memory) => new CountAccumulator();

    public override Value Empty => Value.Of(0L);

    public override string UnitOf(string of, bool areDistributions) => "";

    public override bool TakesCondition => true;

    public override bool TakesAnyValue => true;

    public override Value? OfRows(long rows, in StepFacts step) => Value.Of(rows);

    public override SampleNeed Need => SampleNeed.Totals;

    public override Value OfTotals(in SampleTotals totals, in StepFacts step) => Value.Of(totals.Count);
}

/// <summary>The part that a group's rows are of all rows of the step.</summary>
public sealed class Share() : AggregateKind("share", 0, 0, "share()", "part of all rows of the step")
{
    public override Accumulator Create(Call call, MemoryMeter memory) => new CountAccumulator(c => c.Rows > 0 ? 1.0 / c.Rows : 0);

    public override string UnitOf(string of, bool areDistributions) => "1";

    public override bool IsPartOfRows => true;

    public override SampleNeed Need => SampleNeed.Totals;

    public override Value OfTotals(in SampleTotals totals, in StepFacts step) =>
        totals.Count == 0 ? Value.Missing : Value.Of((double)totals.Count / step.Rows);
}

internal sealed class CountAccumulator(Func<StepFacts, double>? factor = null) : Accumulator
{
    public long Count { get; private set; }

    public override void Add(in Value value, in Value second, RecordId id)
    {
        if (!value.IsMissing)
            Count++;
    }

    public void Add(long times) => Count += times;

    /// <summary>Whether some of what is counted stands for more than itself.</summary>
    private bool _isEstimate;

    public override void AddTimes(in Value value, in Value second, RecordId id, long times)
    {
        if (value.IsMissing)
            return;
        Count += times;
        _isEstimate |= times != 1;
    }

    public override void Add(in SampleTotals totals) => Count += totals.Count;

    public override void Merge(Accumulator other)
    {
        Count += ((CountAccumulator)other).Count;
        _isEstimate |= ((CountAccumulator)other)._isEstimate;
    }

    public override Value Result(in StepFacts step)
    {
        var count = factor is null ? Value.Of(Count) : Value.Of(Count * factor(step));
        return _isEstimate ? count.Marked(ValueMarks.Approximate) : count;
    }
}
