using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Evaluation;

/// <summary>What an aggregate needs to know of the step it is in.</summary>
/// <param name="Seconds">How much of the step lies inside the window.</param>
/// <param name="Rows">All rows of the step, over all keys.</param>
public readonly record struct StepFacts(double Seconds, long Rows);

/// <summary>What many samples of metrics come to, of one step and group.</summary>
/// <param name="Count">Samples.</param>
/// <param name="Weight">Values that the sum is of; more than samples where these are distributions.</param>
public readonly record struct SampleTotals(long Count, double Weight, double Sum, double Min, double Max);

/// <summary>
/// Gathers the values of one aggregate in one group. What it holds does not depend on the order of adding and merging,
/// but for the last digits of sums of decimals.
/// </summary>
public abstract class Accumulator
{
    public abstract void Add(in Value value, in Value second, RecordId id);

    /// <summary>Adds a value that stands for so many, as one of a sample does; aggregates to which that is the same take it
    /// once.</summary>
    public virtual void AddTimes(in Value value, in Value second, RecordId id, long times) => Add(value, second, id);

    /// <summary>Adds a value that is a whole number inside, without making one where that is not needed.</summary>
    public virtual void AddWhole(ValueKind kind, long number, RecordId id) => Add(Whole(kind, number), Value.Missing, id);

    /// <summary>Adds many such values, for aggregates to which it is the same where they come from.</summary>
    public virtual void AddWholes(ValueKind kind, ReadOnlySpan<long> numbers)
    {
        foreach (var number in numbers)
            AddWhole(kind, number, default);
    }

    /// <summary>Adds what many samples come to, for aggregates to which that is enough.</summary>
    public virtual void Add(in SampleTotals totals) => throw new NotSupportedException();

    private protected static Value Whole(ValueKind kind, long number) =>
        kind switch
        {
            ValueKind.Integer => Value.Of(number),
            ValueKind.Duration => Value.Duration(number),
            ValueKind.Size => Value.Size(number),
            ValueKind.Time => Value.Time(number),
            _ => throw new ArgumentOutOfRangeException(nameof(kind)),
        };

    /// <summary>Takes in another part of the same group; it is left as it was.</summary>
    public abstract void Merge(Accumulator other);

    /// <summary>Takes in another group, to be one with it.</summary>
    public virtual void Absorb(Accumulator other) => Merge(other);

    public abstract Value Result(in StepFacts step);

    /// <summary>Text that spells a quantity counts as one; everything else that is none is left out.</summary>
    private protected static Value Quantity(in Value value)
    {
        if (value.IsText)
            return Literals.ReadQuantity(value.AsText);
        if (value.IsQuantity || value.Kind == ValueKind.Time)
            return value;
        return Value.Missing;
    }

    /// <summary>A number in the kind of the values it was made from.</summary>
    private protected static Value Like(ValueKind kind, double number) =>
        kind switch
        {
            ValueKind.Duration => Value.Duration((long)Math.Round(number)),
            ValueKind.Size => Value.Size((long)Math.Round(number)),
            ValueKind.Time => Value.Time((long)Math.Round(number)),
            _ => Value.Of(number),
        };
}
