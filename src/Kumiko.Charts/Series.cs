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

    /// <summary>Steps whose value lies somewhere beyond what is drawn; null for none.</summary>
    public bool[]? Beyond { get; init; }

    /// <summary>Whether it only stands behind another for comparison.</summary>
    public bool IsGhost => Layer.GhostOf is not null;

    public double Total => Values.Sum(v => v ?? 0);

    /// <summary>Colour and, where it was chosen, how the line is drawn.</summary>
    public string Style =>
        Palette.StyleOf(Slot)
        + (IsGhost ? " ghost" : "")
        + Layer.Stroke switch
        {
            Stroke.Whole => " whole",
            Stroke.Dashed => " dashed",
            Stroke.Dotted => " dotted",
            _ => "",
        };

    public bool IsFilled(int step) => Filled?[step] == true;

    public bool IsBeyond(int step) => Beyond?[step] == true;

    /// <summary>The steps that have a measured value and are over.</summary>
    public IEnumerable<int> Finished(Func<int, bool> isPartial) =>
        Enumerable.Range(0, Values.Length).Where(i => Values[i] is not null && !IsFilled(i) && !isPartial(i));
}

/// <summary>A range between two series of the same keys.</summary>
public sealed record SeriesRange(Series Low, Series High);

/// <summary>A frame as series over its steps of time.</summary>
/// <param name="Left">How many series are left out.</param>
public sealed record SeriesTable(IReadOnlyList<long> Times, IReadOnlyList<Series> Series, int Left, Column First)
{
    /// <summary>Null where the frame has no time or no figure to draw.</summary>
    public static SeriesTable? Of(Frame frame, ChartSpec spec) => Of([frame], spec);

    /// <summary>Several frames on one axis of time, each with keys of its own; those without time or figure are passed
    /// over.</summary>
    public static SeriesTable? Of(IReadOnlyList<Frame> frames, ChartSpec spec)
    {
        var parts = frames.Select(f => new Part(f, spec)).Where(p => p.Time >= 0 && p.Figures.Count > 0).ToList();
        if (parts.Count == 0)
            return null;
        var times = parts.SelectMany(p => p.Frame.Rows.Select(r => r[p.Time].AsLong)).Distinct().Order().ToList();
        var places = times.Select((t, i) => (t, i)).ToDictionary(p => p.t, p => p.i);
        var all = parts.SelectMany(p => p.Read(places, parts.Count > 1 || p.Values.Count > 1)).ToList();
        var ends = all.Where(s => s.Layer.Until is not null).Select(s => s.Layer.Until).ToHashSet(StringComparer.Ordinal);
        var drawn = all.Where(s => s.Layer.Until is null && !ends.Contains(s.Column.Name)).ToList();
        var kept = drawn
            .OrderBy(s => s.IsGhost)
            .ThenByDescending(s => Rank(s, spec.Choice))
            .ThenBy(s => s.Name, StringComparer.Ordinal)
            .Take(spec.Most)
            .ToList();
        // A range belongs to the series that it spreads around, and is drawn where that is.
        var ranges = all.Where(s => s.Layer.Until is not null)
            .Select(low => (Low: low, High: all.Find(s => s.Column.Name == low.Layer.Until && s.Keys.SequenceEqual(low.Keys))))
            .Where(r => r.High is not null)
            .Select(r => new SeriesRange(r.Low, r.High!))
            .ToList();
        return new SeriesTable(times, Palette.Coloured(kept), drawn.Count - kept.Count, parts[0].Column(parts[0].Figures[0]))
        {
            Ranges = ranges,
        };
    }

    /// <summary>Shaded ranges between two of a frame's columns.</summary>
    public IReadOnlyList<SeriesRange> Ranges { get; init; } = [];

    /// <summary>One frame with the places of its columns.</summary>
    private sealed class Part(Frame frame, ChartSpec spec)
    {
        private readonly IReadOnlyList<Column> _columns = frame.Schema.Columns;

        public Frame Frame => frame;
        public int Time { get; } = frame.Schema.IndexOf(ColumnRole.Time);
        public IReadOnlyList<int> Figures { get; } =
        [.. Enumerable.Range(0, frame.Schema.Columns.Count).Where(i => frame.Schema.Columns[i].Role == ColumnRole.Value)];
        public IReadOnlyList<int> Values => [.. Figures.Where(i => !LayerOf(_columns[i]).Hidden)];

        public Column Column(int place) => _columns[place];

        private LayerSpec LayerOf(Column column) =>
            spec.Layers.FirstOrDefault(l => l.Column == column.Name) ?? new LayerSpec(column.Name);

        public IEnumerable<Series> Read(Dictionary<long, int> places, bool several)
        {
            var keys = Enumerable.Range(0, _columns.Count).Where(i => _columns[i].Role == ColumnRole.Key).ToList();
            // A hidden count says how much is behind each figure.
            var counts = Figures
                .Where(i => _columns[i].Kind == ValueKind.Integer && LayerOf(_columns[i]).Hidden)
                .FirstOrDefault(-1);
            var behind = new Dictionary<string, double?[]>(StringComparer.Ordinal);
            foreach (var row in frame.Rows.Where(_ => counts >= 0))
            {
                var name = NameOf(row, keys, "", false);
                if (!behind.TryGetValue(name, out var line))
                    behind.Add(name, line = new double?[places.Count]);
                line[places[row[Time].AsLong]] = Number(row[counts]);
            }
            var values = Values;
            var layers = values.ToDictionary(v => v, v => LayerOf(_columns[v]));
            var found =
                new Dictionary<
                    (string Name, int Column),
                    (double?[] Values, bool[]? Filled, bool[]? Beyond, (string, Value)[] Keys)
                >();
            foreach (var row in frame.Rows)
            foreach (var value in values)
            {
                var name = NameOf(row, keys, layers[value].Label ?? _columns[value].Name, several);
                ref var line = ref System.Runtime.InteropServices.CollectionsMarshal.GetValueRefOrAddDefault(
                    found,
                    (name, value),
                    out var known
                );
                if (!known)
                    line = (new double?[places.Count], null, null, [.. keys.Select(k => (_columns[k].Name, row[k]))]);
                if (Number(row[value]) is not { } number)
                    continue;
                var step = places[row[Time].AsLong];
                line.Values[step] = number;
                if ((row[value].Marks & ValueMarks.Filled) != 0)
                    (line.Filled ??= new bool[places.Count])[step] = true;
                if ((row[value].Marks & ValueMarks.Beyond) != 0)
                    (line.Beyond ??= new bool[places.Count])[step] = true;
            }
            return found.Select(f => new Series(f.Key.Name, f.Value.Values, 0)
            {
                Keys = f.Value.Keys,
                Filled = f.Value.Filled,
                Beyond = f.Value.Beyond,
                Behind =
                    counts < 0
                        ? null
                        : behind.GetValueOrDefault(
                            string.Join(" · ", f.Value.Keys.Select(k => k.Item2.IsMissing ? "(none)" : k.Item2.ToText()))
                        ),
                Column = _columns[f.Key.Column],
                Layer = layers[f.Key.Column],
            });
        }
    }

    /// <summary>A quantity as a number; null for what is none.</summary>
    public static double? Number(Value value) =>
        !value.IsMissing && (value.IsQuantity || value.Kind == ValueKind.Time) && double.IsFinite(value.AsDouble)
            ? value.AsDouble
            : null;

    private static double Rank(Series series, Choice choice) =>
        choice switch
        {
            Choice.HighestPeak => series.Values.Max() ?? double.MinValue,
            Choice.HighestLast => series.Values.LastOrDefault(v => v is not null) ?? double.MinValue,
            Choice.LowestTotal => -series.Total,
            _ => series.Total,
        };

    /// <summary>The choice in words.</summary>
    public static string InWords(Choice choice) =>
        choice switch
        {
            Choice.HighestPeak => "those with the highest peaks",
            Choice.HighestLast => "those that are highest at the end",
            Choice.LowestTotal => "those with the lowest totals",
            _ => "those with the highest totals",
        };

    /// <summary>How a row is called by its keys.</summary>
    public static string NameOf(Value[] row, IReadOnlyList<int> keys, string value, bool several)
    {
        if (keys.Count == 1 && !several)
            return row[keys[0]] is { IsMissing: false } only ? only.ToText() : "(none)";
        var name = string.Join(" · ", keys.Select(k => row[k].IsMissing ? "(none)" : row[k].ToText()));
        if (name.Length == 0)
            return value;
        if (several)
            return name + " " + value;
        return name;
    }
}
