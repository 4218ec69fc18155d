using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Evaluation;

/// <summary>The value of the earliest record.</summary>
public sealed class First() : AggregateKind("first", 1, 1, "first(field)", "value of the earliest record")
{
    public override Accumulator Create(Call call, MemoryMeter memory) => new EdgeAccumulator(first: true);

    public override bool NeedsIds => true;

    public override SampleNeed Need => SampleNeed.Edges;
}

/// <summary>The value of the latest record.</summary>
public sealed class Last() : AggregateKind("last", 1, 1, "last(field)", "value of the latest record")
{
    public override Accumulator Create(Call call, MemoryMeter memory) => new EdgeAccumulator(first: false);

    public override bool NeedsIds => true;

    public override SampleNeed Need => SampleNeed.Edges;
}

internal sealed class EdgeAccumulator(bool first) : Accumulator
{
    private RecordId _id;
    private Value _value = Value.Missing;

    public override void Add(in Value value, in Value second, RecordId id)
    {
        if (value.IsMissing || (!_value.IsMissing && (first ? id >= _id : id <= _id)))
            return;
        (_value, _id) = (value, id);
    }

    public override void Merge(Accumulator other)
    {
        var more = (EdgeAccumulator)other;
        Add(more._value, Value.Missing, more._id);
    }

    public override Value Result(in StepFacts step) => _value;
}
