using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Evaluation;

/// <summary>How many different values.</summary>
public sealed class Distinct() : AggregateKind("distinct", 1, 1, "distinct(field)", "number of different values")
{
    public override Accumulator Create(Call call, MemoryMeter memory) => new DistinctAccumulator(memory);

    public override Value Empty => Value.Of(0L);

    public override string UnitOf(string of, bool areDistributions) => "";

    public override bool TakesAnyValue => true;
}

internal sealed class DistinctAccumulator(MemoryMeter memory) : Accumulator
{
    internal const int MostExact = 100_000;
    private const int BytesOfEntry = 80;

    private HashSet<string>? _seen = new(StringComparer.Ordinal);
    private DistinctSketch? _sketch;

    public override void Add(in Value value, in Value second, RecordId id)
    {
        if (!value.IsMissing)
            Add(value.ToText());
    }

    public void Add(string text)
    {
        if (_sketch is not null)
        {
            _sketch.Add(text);
            return;
        }
        if (!_seen!.Add(text))
            return;
        if (_seen.Count % 1_024 == 0)
            memory.Take(1_024 * BytesOfEntry);
        if (_seen.Count > MostExact)
            Sketch();
    }

    private void Sketch()
    {
        memory.Take(DistinctSketch.Size - (_seen!.Count * BytesOfEntry));
        _sketch = new DistinctSketch();
        foreach (var text in _seen)
            _sketch.Add(text);
        _seen = null;
    }

    public override void Merge(Accumulator other)
    {
        var more = (DistinctAccumulator)other;
        if (more._seen is { } seen)
        {
            foreach (var text in seen)
                Add(text);
            return;
        }
        if (_sketch is null)
            Sketch();
        _sketch!.Merge(more._sketch!);
    }

    public override Value Result(in StepFacts step) =>
        _seen is not null ? Value.Of(_seen.Count) : Value.Of(_sketch!.Count).Marked(ValueMarks.Approximate);
}
