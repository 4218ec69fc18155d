using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Evaluation;

/// <summary>Gathers the values of one aggregate in one group.</summary>
internal abstract class Accumulator
{
    public abstract void Add(Value value, long time);
    public abstract Value Result { get; }

    /// <summary>What an empty step holds: nothing was counted, everything else is not known.</summary>
    public static Value Empty(string aggregate) => aggregate is "count" or "distinct" ? Value.Of(0L) : Value.Missing;

    public static Accumulator Create(Call call) => call.Name switch
    {
        "count" => new CountAccumulator(),
        "distinct" => new DistinctAccumulator(),
        "sum" => new SumAccumulator(mean: false),
        "avg" => new SumAccumulator(mean: true),
        "min" => new ExtremeAccumulator(-1),
        "max" => new ExtremeAccumulator(1),
        "stddev" => new SpreadAccumulator(),
        "first" => new EdgeAccumulator(first: true),
        "last" => new EdgeAccumulator(first: false),
        "median" => new PercentileAccumulator(0.5),
        "percentile" => new PercentileAccumulator(((call.Arguments[1] as Literal)?.ToValue().AsDouble ?? double.NaN) / 100),
        "p999" => new PercentileAccumulator(0.999),
        _ => new PercentileAccumulator(int.Parse(call.Name.AsSpan(1), System.Globalization.CultureInfo.InvariantCulture) / 100.0),
    };

    /// <summary>Text that spells a quantity counts as one; everything else that is none is left out.</summary>
    private protected static Value Quantity(Value value) =>
        value.IsText ? Literals.ReadQuantity(value.AsText) : value.IsQuantity || value.Kind == ValueKind.Time ? value : Value.Missing;

    /// <summary>A number in the kind of the values it was made from.</summary>
    private protected static Value Like(ValueKind kind, double number) => kind switch
    {
        ValueKind.Duration => Value.Duration((long)Math.Round(number)),
        ValueKind.Size => Value.Size((long)Math.Round(number)),
        ValueKind.Time => Value.Time((long)Math.Round(number)),
        _ => Value.Of(number),
    };
}

internal sealed class CountAccumulator : Accumulator
{
    private long _count;
    public override void Add(Value value, long time) { if (!value.IsMissing) _count++; }
    public override Value Result => Value.Of(_count);
}

internal sealed class DistinctAccumulator : Accumulator
{
    private readonly HashSet<string> _seen = new(StringComparer.Ordinal);
    public override void Add(Value value, long time) { if (!value.IsMissing) _seen.Add(value.ToText()); }
    public override Value Result => Value.Of(_seen.Count);
}

internal sealed class SumAccumulator(bool mean) : Accumulator
{
    private long _whole, _count;
    private double _sum;
    private bool _exact = true;
    private ValueKind _kind = ValueKind.Missing;

    public override void Add(Value value, long time)
    {
        value = Quantity(value);
        if (value.IsMissing) return;
        if (_kind == ValueKind.Missing) _kind = value.Kind;
        // A sum of unlike things has no unit; the first kind decides and the rest is left out.
        if (value.Kind != _kind && !(_kind is ValueKind.Integer or ValueKind.Decimal && value.Kind is ValueKind.Integer or ValueKind.Decimal)) return;
        _count++;
        _sum += value.AsDouble;
        if (value.Kind == ValueKind.Decimal) { _exact = false; _kind = ValueKind.Decimal; }
        else if (_exact)
        {
            try { _whole = checked(_whole + value.AsLong); }
            catch (OverflowException) { _exact = false; }
        }
    }

    public override Value Result => _count == 0 ? Value.Missing
        : mean ? Like(_kind, _sum / _count)
        : _exact && _kind == ValueKind.Integer ? Value.Of(_whole)
        : Like(_kind, _exact ? _whole : _sum);
}

internal sealed class ExtremeAccumulator(int sign) : Accumulator
{
    private Value _best = Value.Missing;

    public override void Add(Value value, long time)
    {
        if (value.IsText && Literals.ReadQuantity(value.AsText) is { IsMissing: false } quantity) value = quantity;
        if (!value.IsMissing && (_best.IsMissing || Comparison.Sort(value, _best) * sign > 0)) _best = value;
    }

    public override Value Result => _best;
}

/// <summary>Sample standard deviation by Welford's method (Technometrics 4, 1962).</summary>
internal sealed class SpreadAccumulator : Accumulator
{
    private long _count;
    private double _mean, _squares;
    private ValueKind _kind = ValueKind.Decimal;

    public override void Add(Value value, long time)
    {
        value = Quantity(value);
        if (value.IsMissing) return;
        _count++;
        _kind = value.Kind;
        var off = value.AsDouble - _mean;
        _mean += off / _count;
        _squares += off * (value.AsDouble - _mean);
    }

    public override Value Result => _count < 2 ? Value.Missing : Like(_kind, Math.Sqrt(_squares / (_count - 1)));
}

internal sealed class EdgeAccumulator(bool first) : Accumulator
{
    private long _time;
    private Value _value = Value.Missing;

    public override void Add(Value value, long time)
    {
        if (value.IsMissing || (!_value.IsMissing && (first ? time >= _time : time < _time))) return;
        (_value, _time) = (value, time);
    }

    public override Value Result => _value;
}

/// <summary>Exact percentiles by linear interpolation: type 7 of Hyndman and Fan, The American Statistician 50 (1996).</summary>
internal sealed class PercentileAccumulator(double share) : Accumulator
{
    private readonly List<double> _values = [];
    private ValueKind _kind = ValueKind.Decimal;

    public override void Add(Value value, long time)
    {
        value = Quantity(value);
        if (value.IsMissing) return;
        _kind = value.Kind;
        _values.Add(value.AsDouble);
    }

    public override Value Result
    {
        get
        {
            if (_values.Count == 0 || !(share is >= 0 and <= 1)) return Value.Missing;
            _values.Sort();
            var place = (_values.Count - 1) * share;
            var below = (int)Math.Floor(place);
            var above = Math.Min(below + 1, _values.Count - 1);
            return Like(_kind, _values[below] + ((place - below) * (_values[above] - _values[below])));
        }
    }
}
