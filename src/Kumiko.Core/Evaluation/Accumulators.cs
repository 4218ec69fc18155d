using System.Numerics;
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

    /// <summary>What an empty step holds: nothing was counted, everything else is not known.</summary>
    public static Value Empty(string aggregate)
    {
        if (aggregate is "count" or "distinct")
            return Value.Of(0L);
        if (aggregate == "per_second()")
            return Value.Of(0.0);
        return Value.Missing;
    }

    public static Accumulator Create(Call call, MemoryMeter memory) =>
        call.Computes switch
        {
            "count" => new CountAccumulator(),
            "per_second()" => new CountAccumulator(c => c.Seconds > 0 ? 1 / c.Seconds : 0),
            "share" => new CountAccumulator(c => c.Rows > 0 ? 1.0 / c.Rows : 0),
            "distinct" => new DistinctAccumulator(memory),
            "sum" => new SumAccumulator(mean: false),
            "avg" => new SumAccumulator(mean: true),
            "min" => new ExtremeAccumulator(-1),
            "max" => new ExtremeAccumulator(1),
            "stddev" => new SpreadAccumulator(),
            "correlate" => new CorrelationAccumulator(),
            "first" => new EdgeAccumulator(first: true),
            "last" => new EdgeAccumulator(first: false),
            "growth" => new CounterAccumulator(perSecond: false, memory),
            "per_second" => new CounterAccumulator(perSecond: true, memory),
            _ => new PercentileAccumulator(ShareOf(call), memory),
        };

    private static double ShareOf(Call call) =>
        call.Name switch
        {
            "median" => 0.5,
            "percentile" => ((call.Arguments[1] as Literal)?.ToValue().AsDouble ?? double.NaN) / 100,
            "p999" => 0.999,
            _ => int.Parse(call.Name.AsSpan(1), System.Globalization.CultureInfo.InvariantCulture) / 100.0,
        };

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

internal sealed class CountAccumulator(Func<StepFacts, double>? factor = null) : Accumulator
{
    public long Count { get; private set; }

    public override void Add(in Value value, in Value second, RecordId id)
    {
        if (!value.IsMissing)
            Count++;
    }

    public void Add(long times) => Count += times;

    public override void Add(in SampleTotals totals) => Count += totals.Count;

    public override void Merge(Accumulator other) => Count += ((CountAccumulator)other).Count;

    public override Value Result(in StepFacts step) => factor is null ? Value.Of(Count) : Value.Of(Count * factor(step));
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

/// <summary>A mean and what deviates from it, merged in any order: Chan, Golub and LeVeque, 1979, with twice the digits of a
/// double.</summary>
internal sealed class Moments
{
    public long Count;
    public DoubleDouble Mean;
    public DoubleDouble Squares;

    /// <summary>Whole numbers are added up exactly: how many, their sum and that of their squares.</summary>
    public long Wholes;
    public Int128 Sum;
    public Int128 SumOfSquares;

    public void Add(DoubleDouble number)
    {
        Count++;
        var off = number - Mean;
        Mean += off / (double)Count;
        Squares += off * (number - Mean);
    }

    /// <summary>All of them as means and squares.</summary>
    public Moments Together()
    {
        if (Wholes == 0)
            return this;
        var squares = ((BigInteger)SumOfSquares * Wholes) - ((BigInteger)Sum * Sum);
        var all = new Moments
        {
            Count = Wholes,
            Mean = Halves((BigInteger)Sum) / (double)Wholes,
            Squares = Halves(squares) / (double)Wholes,
        };
        all.Take(this);
        return all;
    }

    private static DoubleDouble Halves(BigInteger number)
    {
        var high = (double)number;
        return new DoubleDouble(high, (double)(number - new BigInteger(high)));
    }

    /// <summary>Adds means and squares of others.</summary>
    public void Take(Moments other)
    {
        if (other.Count == 0)
            return;
        var count = Count + other.Count;
        var off = other.Mean - Mean;
        Squares += other.Squares + (off * off * (DoubleDouble)(double)Count / (double)count * (double)other.Count);
        Mean += off * (double)other.Count / (double)count;
        Count = count;
    }
}

/// <summary>Sample standard deviation: of whole numbers exactly, so that it does not hang on their order; of others by Welford,
/// Technometrics 4 (1962).</summary>
internal sealed class SpreadAccumulator : QuantityAccumulator<Moments>
{
    /// <summary>The squares of a trillion such numbers can be added up.</summary>
    private const long LargestExact = 1L << 42;

    protected override Moments NewPart() => new();

    protected override void Add(Moments part, double number, long whole, bool isDecimal)
    {
        if (!isDecimal && whole is >= -LargestExact and <= LargestExact)
        {
            part.Wholes++;
            part.Sum += whole;
            part.SumOfSquares += (Int128)whole * whole;
            return;
        }
        part.Add(isDecimal ? number : DoubleDouble.Of(whole));
    }

    protected override void Merge(Moments part, Moments other)
    {
        part.Take(other);
        part.Wholes += other.Wholes;
        part.Sum += other.Sum;
        part.SumOfSquares += other.SumOfSquares;
    }

    protected override Value Result(Moments part, long count, ValueKind kind)
    {
        var all = part.Together();
        return all.Count < 2
            ? Value.Missing
            : Like(
                kind == ValueKind.Time ? ValueKind.Duration : kind,
                Math.Sqrt(Math.Max(0, (double)(all.Squares / (double)(all.Count - 1))))
            );
    }
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

/// <summary>Values, all of them while they are few enough, then a sketch.</summary>
internal sealed class Values(MemoryMeter memory)
{
    private const int MostExact = 100_000;

    /// <summary>In pieces, as large arrays that come and go are what a collector likes least.</summary>
    private const int Piece = 4_096;

    private readonly List<double[]> _pieces = [];
    private double[] _last = [];
    private int _inLast;
    private int _count;
    private PercentileSketch? _sketch;

    public bool IsApproximate => _sketch is not null;

    public void Add(double value)
    {
        if (_sketch is not null)
        {
            _sketch.Add(value);
            return;
        }
        if (_inLast == _last.Length)
            Room();
        _last[_inLast++] = value;
        if (++_count > MostExact)
            Sketch();
    }

    public void Add(ReadOnlySpan<long> numbers)
    {
        while (_sketch is null && !numbers.IsEmpty)
        {
            if (_inLast == _last.Length)
                Room();
            var room = _last.AsSpan(_inLast, Math.Min(_last.Length - _inLast, numbers.Length));
            for (var i = 0; i < room.Length; i++)
                room[i] = numbers[i];
            _inLast += room.Length;
            _count += room.Length;
            numbers = numbers[room.Length..];
            if (_count > MostExact)
                Sketch();
        }
        _sketch?.Add(numbers);
    }

    private void Add(ReadOnlySpan<double> values)
    {
        if (_sketch is not null)
            _sketch.Add(values);
        else
            foreach (var value in values)
                Add(value);
    }

    private void Room()
    {
        int size;
        if (_last.Length == 0)
            size = 4;
        else if (_last.Length < Piece)
            size = _last.Length * 2;
        else
            size = Piece;
        memory.Take(size * sizeof(double));
        if (_last.Length is > 0 and < Piece)
        {
            Array.Resize(ref _last, size);
            _pieces[^1] = _last;
            return;
        }
        _pieces.Add(_last = GC.AllocateUninitializedArray<double>(size));
        _inLast = 0;
    }

    private void Sketch()
    {
        _sketch = new PercentileSketch();
        for (var piece = 0; piece < _pieces.Count; piece++)
            _sketch.Add(PartOf(piece));
        memory.Take(-_pieces.Sum(p => p.Length) * sizeof(double));
        _pieces.Clear();
        (_last, _inLast, _count) = ([], 0, 0);
    }

    private ReadOnlySpan<double> PartOf(int piece) => _pieces[piece].AsSpan(0, Math.Min(Piece, _count - (piece * Piece)));

    public void Add(PercentileSketch more)
    {
        if (_sketch is null)
            Sketch();
        _sketch!.Merge(more);
    }

    public void Merge(Values other)
    {
        if (_sketch is null && (other._sketch is not null || _count + other._count > MostExact))
            Sketch();
        if (other._sketch is not null)
            _sketch!.Merge(other._sketch);
        else
            for (var piece = 0; piece < other._pieces.Count; piece++)
                Add(other.PartOf(piece));
    }

    /// <summary>By linear interpolation while exact: type 7 of Hyndman and Fan, The American Statistician 50 (1996).</summary>
    public double At(double share)
    {
        if (_sketch is not null)
            return _sketch.At(share);
        var values = new double[_count];
        for (var piece = 0; piece < _pieces.Count; piece++)
            PartOf(piece).CopyTo(values.AsSpan(piece * Piece));
        var place = (_count - 1) * share;
        var below = (int)Math.Floor(place);
        var lower = Selection.At(values, below);
        if (below == _count - 1)
            return lower;
        // Selecting has put what is not below it behind it.
        var upper = double.PositiveInfinity;
        foreach (var value in values.AsSpan(below + 1))
            if (value < upper)
                upper = value;
        return lower + ((place - below) * (upper - lower));
    }
}

internal sealed class PercentileAccumulator(double share, MemoryMeter memory) : QuantityAccumulator<Values>
{
    private Storage.Metrics.DistributionSum? _distribution;

    /// <summary>Adds numbers; those that are none are left out.</summary>
    public void Add(ReadOnlySpan<double> values)
    {
        foreach (var value in values)
            if (!double.IsNaN(value))
                Numbers(1).Add(value);
    }

    public void Add(PercentileSketch sketch) => Numbers(sketch.Count).Add(sketch);

    /// <summary>Adds the values that a histogram counted.</summary>
    public void Add(Storage.Metrics.DistributionSum distribution) => (_distribution ??= new()).Merge(distribution);

    public override void Merge(Accumulator other)
    {
        base.Merge(other);
        if (((PercentileAccumulator)other)._distribution is { } more)
            Add(more);
    }

    public override Value Result(in StepFacts step)
    {
        if (_distribution is null)
            return base.Result(step);
        var (value, isBeyond) = share is >= 0 and <= 1 ? _distribution.At(share) : (double.NaN, false);
        return double.IsNaN(value)
            ? Value.Missing
            : Value.Of(value).Marked(isBeyond ? ValueMarks.Beyond : ValueMarks.Approximate);
    }

    protected override Values NewPart() => new(memory);

    protected override void Add(Values part, double number, long whole, bool isDecimal) => part.Add(number);

    protected override void Add(Values part, ReadOnlySpan<long> numbers) => part.Add(numbers);

    protected override void Merge(Values part, Values other) => part.Merge(other);

    protected override Value Result(Values part, long count, ValueKind kind)
    {
        if (!(share is >= 0 and <= 1))
            return Value.Missing;
        var value = Like(kind, part.At(share));
        return part.IsApproximate ? value.Marked(ValueMarks.Approximate) : value;
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
