using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Evaluation;

/// <summary>Keeps quantities of unlike kinds apart; the kind that most values have gives the result.</summary>
internal abstract class QuantityAccumulator<TPart> : Accumulator
    where TPart : class
{
    private static readonly ValueKind[] Kinds = [ValueKind.Integer, ValueKind.Duration, ValueKind.Size, ValueKind.Time];

    private readonly TPart?[] _parts = new TPart?[Kinds.Length];
    private readonly long[] _counts = new long[Kinds.Length];

    protected abstract TPart NewPart();
    protected abstract void Add(TPart part, double number, long whole, bool isDecimal);
    protected abstract void Merge(TPart part, TPart other);
    protected abstract Value Result(TPart part, long count, ValueKind kind);

    public override void Add(in Value value, in Value second, RecordId id)
    {
        var quantity = Quantity(value);
        if (quantity.IsMissing)
            return;
        var kind = PlaceOf(quantity.Kind);
        _counts[kind]++;
        Add(_parts[kind] ??= NewPart(), quantity.AsDouble, quantity.AsLong, quantity.Kind == ValueKind.Decimal);
    }

    public override void AddTimes(in Value value, in Value second, RecordId id, long times)
    {
        var quantity = Quantity(value);
        if (quantity.IsMissing)
            return;
        var kind = PlaceOf(quantity.Kind);
        var isDecimal = quantity.Kind == ValueKind.Decimal;
        _counts[kind] += AddTimes(_parts[kind] ??= NewPart(), quantity.AsDouble, quantity.AsLong, isDecimal, times);
    }

    /// <summary>Adds a number that stands for so many.</summary>
    /// <returns>How many were added: one, where it is the same.</returns>
    protected virtual long AddTimes(TPart part, double number, long whole, bool isDecimal, long times)
    {
        Add(part, number, whole, isDecimal);
        return 1;
    }

    public override void AddWhole(ValueKind kind, long number, RecordId id)
    {
        var place = PlaceOf(kind);
        _counts[place]++;
        Add(_parts[place] ??= NewPart(), number, number, false);
    }

    public override void AddWholes(ValueKind kind, ReadOnlySpan<long> numbers)
    {
        if (numbers.IsEmpty)
            return;
        var place = PlaceOf(kind);
        _counts[place] += numbers.Length;
        Add(_parts[place] ??= NewPart(), numbers);
    }

    /// <summary>The same to the part they belong to.</summary>
    protected virtual void Add(TPart part, ReadOnlySpan<long> numbers)
    {
        foreach (var number in numbers)
            Add(part, number, number, false);
    }

    /// <summary>The part of plain numbers, with so many more values.</summary>
    protected TPart Numbers(long more)
    {
        _counts[0] += more;
        return _parts[0] ??= NewPart();
    }

    private static int PlaceOf(ValueKind kind) =>
        kind switch
        {
            ValueKind.Duration => 1,
            ValueKind.Size => 2,
            ValueKind.Time => 3,
            _ => 0,
        };

    public override void Merge(Accumulator other)
    {
        var more = (QuantityAccumulator<TPart>)other;
        for (var k = 0; k < Kinds.Length; k++)
        {
            if (more._parts[k] is not { } part)
                continue;
            _counts[k] += more._counts[k];
            Merge(_parts[k] ??= NewPart(), part);
        }
    }

    public override Value Result(in StepFacts step)
    {
        var most = 0;
        for (var k = 1; k < Kinds.Length; k++)
            if (_counts[k] > _counts[most])
                most = k;
        return _parts[most] is { } part ? Result(part, _counts[most], Kinds[most]) : Value.Missing;
    }
}
