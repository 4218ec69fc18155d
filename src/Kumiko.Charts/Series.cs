using System.Text;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;

namespace Kumiko.Charts;

/// <summary>One line of a chart: a value, or none, for each step of the frame.</summary>
/// <param name="Slot">Which of the ten series colours; from the sixth on lines are dashed too.</param>
public sealed record Series(string Name, double?[] Values, int Slot)
{
    /// <summary>The values of the key columns.</summary>
    public IReadOnlyList<(string Name, Value Value)> Keys { get; init; } = [];

    /// <summary>The column of figures that it is of.</summary>
    public required Column Column { get; init; }

    public LayerSpec Layer { get; init; } = new("");

    /// <summary>How many things are behind each value, where a hidden column counts them; null elsewhere.</summary>
    public double?[]? Behind { get; init; }

    /// <summary>Steps whose values were put in, not measured; null where none was.</summary>
    public bool[]? Filled { get; init; }

    public double Total => Values.Sum(v => v ?? 0);
    public string Style => Palette.StyleOf(Slot);

    public bool IsFilled(int step) => Filled?[step] == true;

    /// <summary>The steps that have a measured value and are over.</summary>
    public IEnumerable<int> Finished(Func<int, bool> isPartial) => Enumerable.Range(0, Values.Length).Where(i => Values[i] is not null && !IsFilled(i) && !isPartial(i));
}

/// <summary>A frame as series over its steps of time.</summary>
/// <param name="Left">How many series are left out.</param>
public sealed record SeriesTable(IReadOnlyList<long> Times, IReadOnlyList<Series> Series, int Left, Column First)
{
    /// <summary>Null where the frame has no time or no figure to draw.</summary>
    public static SeriesTable? Of(Frame frame, ChartSpec spec)
    {
        var columns = frame.Schema.Columns;
        var time = frame.Schema.IndexOf(ColumnRole.Time);
        var figures = Enumerable.Range(0, columns.Count).Where(i => columns[i].Role == ColumnRole.Value).ToList();
        var values = figures.Where(i => !spec.Layers.Any(l => l.Column == columns[i].Name && l.Hidden)).ToList();
        if (time < 0 || figures.Count == 0) return null;
        var keys = Enumerable.Range(0, columns.Count).Where(i => columns[i].Role == ColumnRole.Key).ToList();
        var times = frame.Rows.Select(r => r[time].AsLong).Distinct().Order().ToList();
        var places = times.Select((t, i) => (t, i)).ToDictionary(p => p.t, p => p.i);
        var found = new Dictionary<(string Name, int Column), (double?[] Values, bool[]? Filled, (string, Value)[] Keys)>();
        // A hidden count says how much is behind each figure.
        var counts = figures.FindIndex(i => columns[i].Kind == ValueKind.Integer && spec.Layers.Any(l => l.Column == columns[i].Name && l.Hidden)) is >= 0 and var hidden ? figures[hidden] : -1;
        var behind = new Dictionary<string, double?[]>(StringComparer.Ordinal);
        foreach (var row in frame.Rows.Where(_ => counts >= 0))
        {
            var name = NameOf(row, keys, "", false);
            if (!behind.TryGetValue(name, out var line)) behind.Add(name, line = new double?[times.Count]);
            line[places[row[time].AsLong]] = Number(row[counts]);
        }
        foreach (var row in frame.Rows)
            foreach (var value in values)
            {
                var name = NameOf(row, keys, columns[value].Name, values.Count > 1);
                ref var line = ref System.Runtime.InteropServices.CollectionsMarshal.GetValueRefOrAddDefault(found, (name, value), out var known);
                if (!known) line = (new double?[times.Count], null, [.. keys.Select(k => (columns[k].Name, row[k]))]);
                if (Number(row[value]) is not { } number) continue;
                var step = places[row[time].AsLong];
                line.Values[step] = number;
                if ((row[value].Marks & ValueMarks.Filled) != 0) (line.Filled ??= new bool[times.Count])[step] = true;
            }
        var all = found.Select(f => new Series(f.Key.Name, f.Value.Values, 0)
        {
            Keys = f.Value.Keys,
            Filled = f.Value.Filled,
            Behind = counts < 0 ? null : behind.GetValueOrDefault(string.Join(" · ", f.Value.Keys.Select(k => k.Item2.IsMissing ? "(none)" : k.Item2.ToText()))),
            Column = columns[f.Key.Column],
            Layer = spec.Layers.FirstOrDefault(l => l.Column == columns[f.Key.Column].Name) ?? new LayerSpec(columns[f.Key.Column].Name),
        });
        var kept = all.OrderByDescending(s => Rank(s, spec.Choice)).ThenBy(s => s.Name, StringComparer.Ordinal).Take(spec.Most).ToList();
        return new SeriesTable(times, Palette.Coloured(kept), found.Count - kept.Count, columns[figures[0]]);
    }

    /// <summary>A quantity as a number; null for what is none.</summary>
    public static double? Number(Value value) => !value.IsMissing && (value.IsQuantity || value.Kind == ValueKind.Time) && double.IsFinite(value.AsDouble) ? value.AsDouble : null;

    private static double Rank(Series series, Choice choice) => choice switch
    {
        Choice.HighestPeak => series.Values.Max() ?? double.MinValue,
        Choice.HighestLast => series.Values.LastOrDefault(v => v is not null) ?? double.MinValue,
        Choice.LowestTotal => -series.Total,
        _ => series.Total,
    };

    /// <summary>The choice in words.</summary>
    public static string InWords(Choice choice) => choice switch
    {
        Choice.HighestPeak => "those with the highest peaks",
        Choice.HighestLast => "those that are highest at the end",
        Choice.LowestTotal => "those with the lowest totals",
        _ => "those with the highest totals",
    };

    /// <summary>How a row is called by its keys.</summary>
    public static string NameOf(Value[] row, IReadOnlyList<int> keys, string value, bool several)
    {
        if (keys.Count == 1 && !several) return row[keys[0]] is { IsMissing: false } only ? only.ToText() : "(none)";
        var name = string.Join(" · ", keys.Select(k => row[k].IsMissing ? "(none)" : row[k].ToText()));
        return name.Length == 0 ? value : several ? name + " " + value : name;
    }
}
