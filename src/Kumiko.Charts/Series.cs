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

    public double Total => Values.Sum(v => v ?? 0);
    public string Style => FormattableString.Invariant($"series-{Slot}");
}

/// <summary>A frame as series over its steps of time.</summary>
public sealed record SeriesTable(IReadOnlyList<long> Times, IReadOnlyList<Series> Series, int Left, ValueKind Kind, string Unit)
{
    /// <summary>Null where the frame has no time or no figure to draw.</summary>
    /// <param name="most">How many series are kept: those with the highest totals.</param>
    public static SeriesTable? Of(Frame frame, int most)
    {
        var columns = frame.Schema.Columns;
        var time = frame.Schema.IndexOf(ColumnRole.Time);
        var values = Enumerable.Range(0, columns.Count).Where(i => columns[i].Role == ColumnRole.Value).ToList();
        if (time < 0 || values.Count == 0) return null;
        var keys = Enumerable.Range(0, columns.Count).Where(i => columns[i].Role == ColumnRole.Key).ToList();
        var times = frame.Rows.Select(r => r[time].AsLong).Distinct().Order().ToList();
        var places = times.Select((t, i) => (t, i)).ToDictionary(p => p.t, p => p.i);
        var found = new Dictionary<string, double?[]>(StringComparer.Ordinal);
        var keysOf = new Dictionary<string, (string, Value)[]>(StringComparer.Ordinal);
        foreach (var row in frame.Rows)
            foreach (var value in values)
            {
                var name = Name(row, keys, columns[value].Name, values.Count > 1);
                if (!found.TryGetValue(name, out var line))
                {
                    found.Add(name, line = new double?[times.Count]);
                    keysOf.Add(name, [.. keys.Select(k => (columns[k].Name, row[k]))]);
                }
                if (!row[value].IsMissing && (row[value].IsQuantity || row[value].Kind == ValueKind.Time)) line[places[row[time].AsLong]] = row[value].AsDouble;
            }
        var kept = found.OrderByDescending(f => f.Value.Sum(v => v ?? 0)).ThenBy(f => f.Key, StringComparer.Ordinal).Take(most).ToList();
        var kind = columns[values[0]].Kind;
        return new SeriesTable(times, [.. Coloured(kept).Select(s => s with { Keys = keysOf[s.Name] })], found.Count - kept.Count, kind, string.Join(", ", values.Select(v => columns[v].Name)));
    }

    private static string Name(Value[] row, List<int> keys, string value, bool several)
    {
        var name = string.Join(" · ", keys.Select(k => row[k].IsMissing ? "(none)" : row[k].ToText()));
        return name.Length == 0 ? value : several ? name + " " + value : name;
    }

    /// <summary>A name has the colour that its letters give, so it keeps it from screen to screen; the next free one where two meet.</summary>
    private static List<Series> Coloured(List<KeyValuePair<string, double?[]>> lines)
    {
        var taken = new HashSet<int>();
        var slots = new Dictionary<string, int>(StringComparer.Ordinal);
        foreach (var name in lines.Select(l => l.Key).Order(StringComparer.Ordinal))
        {
            var slot = lines.Count == 1 ? 0 : (int)(System.IO.Hashing.XxHash32.HashToUInt32(Encoding.UTF8.GetBytes(name)) % ChartSpec.MostSeries);
            while (!taken.Add(slot % ChartSpec.MostSeries) && taken.Count < ChartSpec.MostSeries) slot++;
            slots[name] = slot % ChartSpec.MostSeries;
        }
        return [.. lines.Select(l => new Series(l.Key, l.Value, slots[l.Key]))];
    }
}
