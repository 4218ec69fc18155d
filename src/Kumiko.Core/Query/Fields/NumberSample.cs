namespace Kumiko.Core.Query.Fields;

/// <summary>An even sample of numbers as they come: all of them at first, then each second, fourth, eighth.</summary>
internal sealed class NumberSample
{
    private const int Kept = 1 << 15;

    private double[] _numbers = new double[256];
    private int _count;
    private long _stride = 1;
    private long _skip;

    public double Min { get; private set; } = double.PositiveInfinity;
    public double Max { get; private set; } = double.NegativeInfinity;
    public long Seen { get; private set; }
    public bool IsAll => _stride == 1;

    public void Add(double number)
    {
        if (double.IsNaN(number))
            return;
        Seen++;
        if (number < Min)
            Min = number;
        if (number > Max)
            Max = number;
        if (_skip > 0)
        {
            _skip--;
            return;
        }
        if (_count == Kept)
        {
            for (var i = 0; i < Kept / 2; i++)
                _numbers[i] = _numbers[2 * i];
            _count = Kept / 2;
            _stride *= 2;
        }
        else if (_count == _numbers.Length)
            Array.Resize(ref _numbers, _count * 2);
        _numbers[_count++] = number;
        _skip = _stride - 1;
    }

    /// <summary>The sampled numbers, each with how many it stands for.</summary>
    public IEnumerable<(double Number, double Weight)> Weighted()
    {
        for (var i = 0; i < _count; i++)
            yield return (_numbers[i], _stride);
    }
}
