using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Evaluation;

/// <summary>How much a counter grew.</summary>
public sealed class Growth() : AggregateKind("growth", 1, 1, "growth(counter)", "growth of a counter, its resets seen to")
{
    public override Accumulator Create(Call call, MemoryMeter memory) => new CounterAccumulator(perSecond: false, memory);

    // The growth of a histogram is a number of values, whatever they are measured in.
    public override string UnitOf(string of, bool areDistributions) => areDistributions ? "" : of;

    public override bool NeedsIds => true;

    public override bool FollowsCounter => true;

    public override SampleNeed Need => SampleNeed.Growth;
}

/// <summary>Rows in a second, or the growth of a counter in a second: two aggregates of one name.</summary>
public sealed class PerSecond()
    : AggregateKind(
        "per_second",
        0,
        1,
        "per_second() · per_second(counter)",
        "rows in a second, or growth of a counter in a second, its resets seen to"
    )
{
    private readonly RowsPerSecond _ofRows = new();

    public override IEnumerable<(string Name, string Words, bool TakesField)> Choices =>
        [("per_second()", "how many a second", false), ("per_second", Choice!, true)];

    public override AggregateKind Of(Call call) => call.Arguments.Count == 0 ? _ofRows : this;

    public override Accumulator Create(Call call, MemoryMeter memory) => new CounterAccumulator(perSecond: true, memory);

    public override string UnitOf(string of, bool areDistributions)
    {
        if (areDistributions)
            return "{value}/s";
        return of switch
        {
            "" => "",
            "s" => "1",
            _ => of + "/s",
        };
    }

    public override bool NeedsIds => true;

    public override bool FollowsCounter => true;

    public override bool IsRate => true;

    public override SampleNeed Need => SampleNeed.Growth;

    private sealed class RowsPerSecond() : AggregateKind("per_second", 0, 0, "per_second()", "rows in a second")
    {
        public override Accumulator Create(Call call, MemoryMeter memory) =>
            new CountAccumulator(c => c.Seconds > 0 ? 1 / c.Seconds : 0);

        public override Value Empty => Value.Of(0.0);

        public override string UnitOf(string of, bool areDistributions) => "{record}/s";

        public override Value? OfRows(long rows, in StepFacts step) => Value.Of(step.Seconds > 0 ? rows / step.Seconds : 0);

        public override SampleNeed Need => SampleNeed.Totals;

        public override Value OfTotals(in SampleTotals totals, in StepFacts step) =>
            Value.Of(step.Seconds > 0 ? totals.Count / step.Seconds : 0);
    }
}

/// <summary>The growth of a counter, which falls only when it begins anew: then all it shows is growth.</summary>
internal sealed class CounterAccumulator(bool perSecond, MemoryMeter memory) : Accumulator
{
    private readonly List<(RecordId Id, double Value)> _samples = [];
    private bool _sorted = true;
    private double _others;
    private bool _hasOthers;

    /// <summary>The last sample before this step, from which its first growth counts.</summary>
    public (RecordId Id, double Value)? Before { get; set; }

    public (RecordId Id, double Value)? Last
    {
        get
        {
            Sort();
            return _samples.Count == 0 ? Before : _samples[^1];
        }
    }

    public override void Add(in Value value, in Value second, RecordId id)
    {
        var quantity = Quantity(value);
        if (quantity.IsMissing)
            return;
        if (_samples.Count == _samples.Capacity)
            memory.Take(Math.Max(4, _samples.Count) * 24);
        _samples.Add((id, quantity.AsDouble));
        _sorted = false;
    }

    /// <summary>Adds the growth of a series of a metric and the rate at which it grew.</summary>
    /// <param name="rate">A second; NaN where the time it took is not known.</param>
    public void AddGrowth(double growth, double rate)
    {
        var more = perSecond ? rate : growth;
        if (double.IsNaN(more))
            return;
        _others += more;
        _hasOthers = true;
    }

    public override void Merge(Accumulator other)
    {
        var more = (CounterAccumulator)other;
        _samples.AddRange(more._samples);
        _sorted = false;
        _others += more._others;
        _hasOthers |= more._hasOthers;
    }

    public override void Absorb(Accumulator other)
    {
        // Counters of different keys do not follow one another; their growths add up.
        var more = (CounterAccumulator)other;
        if (more.Growth() is null && !more._hasOthers)
            return;
        _others += (more.Growth() ?? 0) + more._others;
        _hasOthers = true;
    }

    private void Sort()
    {
        if (!_sorted)
            _samples.Sort((a, b) => a.Id.CompareTo(b.Id));
        _sorted = true;
    }

    private double? Growth()
    {
        Sort();
        var before = Before;
        double growth = 0;
        long? from = before?.Id.Time;
        var steps = 0;
        foreach (var sample in _samples)
        {
            if (before is { } b)
            {
                growth += sample.Value >= b.Value ? sample.Value - b.Value : sample.Value;
                steps++;
            }
            before = sample;
            from ??= sample.Id.Time;
        }
        if (steps == 0)
            return null;
        if (!perSecond)
            return growth;
        var seconds = (before!.Value.Id.Time - from!.Value) / (double)Instants.Second;
        return seconds > 0 ? growth / seconds : null;
    }

    public override Value Result(in StepFacts step)
    {
        if (Growth() is { } growth)
            return Value.Of(growth + _others);
        if (_hasOthers)
            return Value.Of(_others);
        return Value.Missing;
    }
}
