using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Evaluation;

/// <summary>A percentile.</summary>
/// <param name="share">Which one, 0 to 1; null where the second argument tells.</param>
public sealed class Percentile(string name, double? share, string signature, string help)
    : AggregateKind(name, share is null ? 2 : 1, share is null ? 2 : 1, signature, help)
{
    public static Percentile Of(string name, double share, string help, string? choice = null) =>
        new(name, share, $"{name}(field)", help) { Choice = choice };

    public static Percentile Any() => new("percentile", null, "percentile(field, 97.5)", "any percentile");

    public override Accumulator Create(Call call, MemoryMeter memory) =>
        new PercentileAccumulator(share ?? ((call.Arguments[1] as Literal)?.ToValue().AsDouble ?? double.NaN) / 100, memory);

    public override SampleNeed Need => SampleNeed.Values;
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

    /// <summary>Adds a value so many times.</summary>
    public void Add(double value, long times)
    {
        const int MostOneByOne = 64;
        if (_sketch is null && times > MostOneByOne)
            Sketch();
        if (_sketch is not null)
            _sketch.Add(value, times);
        else
            for (; times > 0; times--)
                Add(value);
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

    protected override long AddTimes(Values part, double number, long whole, bool isDecimal, long times)
    {
        part.Add(number, times);
        return times;
    }

    protected override void Merge(Values part, Values other) => part.Merge(other);

    protected override Value Result(Values part, long count, ValueKind kind)
    {
        if (!(share is >= 0 and <= 1))
            return Value.Missing;
        var value = Like(kind, part.At(share));
        return part.IsApproximate ? value.Marked(ValueMarks.Approximate) : value;
    }
}
