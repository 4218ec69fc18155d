using Kumiko.Core.Records;

namespace Kumiko.Core.Query.Fields;

/// <summary>The values of one field, counted.</summary>
/// <param name="most">So many different values are told apart; of further ones only the presence is counted.</param>
internal sealed class FieldCounter(int most)
{
    /// <summary>Values that come less often than this, once there are too many of them, are ids: nobody asks which is most
    /// frequent.</summary>
    private const int SeldomRepeats = 8;

    private readonly Dictionary<Value, long> _values = [];
    private readonly List<NumberSample> _samples = [];
    private NumberSample? _sample;

    public IReadOnlyDictionary<Value, long> Values => _values;
    public long Present { get; private set; }

    /// <summary>Whether there were values beside those in <see cref="Values"/>.</summary>
    public bool More { get; private set; }

    /// <summary>Whether values are no longer told apart.</summary>
    public bool IsClosed { get; private set; }

    /// <summary>The kind of the sampled numbers; missing where values of another kind were among them.</summary>
    public ValueKind NumberKind { get; private set; } = ValueKind.Missing;

    private bool _mixed;

    public IReadOnlyList<NumberSample> Samples => _samples;

    public void Add(in Value value, long times)
    {
        Present += times;
        if (IsClosed)
            return;
        if (_values.TryGetValue(value, out var count))
            _values[value] = count + times;
        else if (_values.Count < most)
            _values[value] = times;
        else
        {
            More = true;
            IsClosed = Present < (long)most * SeldomRepeats;
        }
    }

    /// <summary>Adds what was not told apart.</summary>
    public void AddClosed(long times)
    {
        Present += times;
        More |= times > 0;
    }

    /// <summary>Notes numbers of a column besides counting them.</summary>
    public void Sample(ValueKind kind, double number)
    {
        if (_sample is null)
            _samples.Add(_sample = new NumberSample());
        Note(kind);
        _sample.Add(number);
    }

    /// <summary>Notes that some value is no number of the kind met so far.</summary>
    public void Note(ValueKind kind)
    {
        if (kind is ValueKind.Integer && NumberKind is ValueKind.Decimal)
            return;
        if (kind is ValueKind.Decimal && NumberKind is ValueKind.Integer)
            NumberKind = kind;
        if (NumberKind == ValueKind.Missing && !_mixed)
            NumberKind = kind;
        else if (NumberKind != kind)
            (_mixed, NumberKind) = (true, ValueKind.Missing);
    }

    public void Merge(FieldCounter other)
    {
        long told = 0;
        var closed = IsClosed;
        foreach (var (value, times) in other._values)
        {
            told += times;
            // A closed one goes on knowing what it told apart before.
            if (!closed)
                Add(value, times);
            else
            {
                Present += times;
                if (_values.TryGetValue(value, out var count))
                    _values[value] = count + times;
                else
                    More = true;
            }
        }
        Present += other.Present - told;
        More |= other.More;
        IsClosed |= other.IsClosed;
        if (other.NumberKind != ValueKind.Missing)
            Note(other.NumberKind);
        else if (other._mixed)
            (_mixed, NumberKind) = (true, ValueKind.Missing);
        _samples.AddRange(other._samples);
    }
}
