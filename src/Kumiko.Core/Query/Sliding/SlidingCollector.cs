using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;

namespace Kumiko.Core.Query.Sliding;

/// <summary>Puts the rows of many windows into lines by key.</summary>
internal sealed class SlidingCollector
{
    private const int Digits = 12;

    private readonly Schema _schema;
    private readonly IReadOnlyList<long> _ends;
    private readonly int[] _keys;
    private readonly int _value;
    private readonly double _nothing;
    private readonly Dictionary<string, SlidingLine> _lines = new(StringComparer.Ordinal);
    private ValueKind? _kind;

    /// <param name="schema">Of the answer of one window.</param>
    /// <param name="aggregate">The aggregate that the figure is as it is; null where more was done to it.</param>
    public SlidingCollector(Schema schema, IReadOnlyList<long> ends, AggregateKind? aggregate)
    {
        (_schema, _ends) = (schema, ends);
        _keys = [.. Enumerable.Range(0, schema.Columns.Count).Where(i => schema.Columns[i].Role == ColumnRole.Key)];
        _value = schema.IndexOf(ColumnRole.Value);
        if (_value < 0)
            throw new QueryRefusedException($"The answer has no figure. Add a group, such as group count().");
        _nothing = aggregate is { Empty.IsMissing: false } ? 0 : double.NaN;
    }

    /// <param name="seen">Whether the window has anything of the row; null where the figure alone can tell: an answer without
    /// keys has a row of nothing too.</param>
    public void Add(int end, Value[] row, bool? seen)
    {
        var keys = Array.ConvertAll(_keys, k => row[k]);
        var name = GroupTable.NameOf(keys);
        if (_keys.Length == 0)
            name = "";
        if (!_lines.TryGetValue(name, out var line))
        {
            _lines.Add(
                name,
                line = new SlidingLine(
                    name,
                    Array.ConvertAll(keys, k => k.IsMissing ? "" : k.ToText()),
                    new double[_ends.Count],
                    new bool[_ends.Count]
                )
            );
            Array.Fill(line.Values, _nothing);
        }
        line.Values[end] = Figure(row[_value]);
        line.Seen[end] = seen ?? (_keys.Length > 0 || (!double.IsNaN(line.Values[end]) && line.Values[end] != _nothing));
    }

    /// <summary>Rounded, so that the order in which decimals were added up cannot tip a limit; durations in seconds.</summary>
    private double Figure(in Value value)
    {
        if (!value.IsQuantity)
            return double.NaN;
        _kind ??= value.Kind;
        var number = value.Kind == ValueKind.Duration ? value.AsLong / (double)Instants.Second : value.AsDouble;
        return value.Kind == ValueKind.Integer || number == 0 || !double.IsFinite(number) ? number : Rounded(number);
    }

    internal static double Rounded(double number)
    {
        var size = Digits - 1 - (int)Math.Floor(Math.Log10(Math.Abs(number)));
        // Beyond what a power of ten can be there is nothing to round to.
        if (size is > 300 or < -290)
            return number;
        var scale = Math.Pow(10, Math.Abs(size));
        return size >= 0 ? Math.Round(number * scale) / scale : Math.Round(number / scale) * scale;
    }

    public SlidingAnswer Finish()
    {
        if (_keys.Length == 0 && _lines.Count == 0)
        {
            var line = new SlidingLine("", [], new double[_ends.Count], new bool[_ends.Count]);
            Array.Fill(line.Values, _nothing);
            _lines.Add("", line);
        }
        return new SlidingAnswer(_ends, [.. _lines.Values.OrderBy(l => l.Name, StringComparer.Ordinal)], _nothing)
        {
            Unit = _schema.Columns[_value].Unit,
            Kind = _kind ?? ValueKind.Decimal,
        };
    }
}
