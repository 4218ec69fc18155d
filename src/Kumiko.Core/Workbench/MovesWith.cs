using Kumiko.Core.Analysis;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;

namespace Kumiko.Core.Workbench;

/// <summary>A series that may move with another.</summary>
/// <param name="P">How likely so close a likeness would be by chance, corrected for all that were tried.</param>
public sealed record MovingSeries(string Name, IReadOnlyList<(string Name, Value Value)> Keys, Correlation With, double P)
{
    /// <summary>How sure one can be, in a word.</summary>
    public string Sure =>
        P switch
        {
            < 0.001 => "very sure",
            < 0.01 => "sure",
            < 0.05 => "likely",
            _ => "may be chance",
        };
}

/// <summary>Two series together, and what moves with one.</summary>
public static class Together
{
    /// <summary>Lags up to a sixth of the steps are tried.</summary>
    public static int MostLag(int steps) => Math.Min(60, steps / 6);

    /// <summary>Values by time of the one series of a frame that has some keys; of the first figure.</summary>
    /// <param name="keys">Null for a frame's only series, or the sum over all of them.</param>
    public static Dictionary<long, double> Values(Frame frame, IReadOnlyList<(string Name, Value Value)>? keys = null)
    {
        var (time, figure) = (frame.Schema.IndexOf(ColumnRole.Time), frame.Schema.IndexOf(ColumnRole.Value));
        var places = keys?.Select(k => (At: frame.Schema.IndexOf(k.Name), k.Value)).Where(k => k.At >= 0).ToList() ?? [];
        var values = new Dictionary<long, double>();
        foreach (var row in frame.Rows)
        {
            if (!row[figure].IsQuantity || places.Exists(p => row[p.At].ToText() != p.Value.ToText()))
                continue;
            values[row[time].AsLong] = values.GetValueOrDefault(row[time].AsLong) + row[figure].AsDouble;
        }
        return values;
    }

    /// <summary>How two series go together; null where they have too little in common.</summary>
    public static Correlation? Of(IReadOnlyDictionary<long, double> first, IReadOnlyDictionary<long, double> second)
    {
        var times = first.Keys.Union(second.Keys).Order().ToList();
        double?[] Line(IReadOnlyDictionary<long, double> of) =>
            [.. times.Select(t => of.TryGetValue(t, out var value) ? value : (double?)null)];
        return Correlation.Best(Line(first), Line(second), MostLag(times.Count));
    }

    /// <summary>All series of some frames by how closely they go together with one, the surest first.</summary>
    /// <param name="candidates">Frames by the name of what they measure, on the steps of the one.</param>
    public static IReadOnlyList<MovingSeries> MovesWith(
        IReadOnlyDictionary<long, double> one,
        IEnumerable<(string Name, Frame Frame)> candidates
    )
    {
        var found = new List<(string Name, (string, Value)[] Keys, Correlation With)>();
        foreach (var (name, frame) in candidates)
        {
            var keys = Enumerable
                .Range(0, frame.Schema.Columns.Count)
                .Where(i => frame.Schema.Columns[i].Role == ColumnRole.Key)
                .ToArray();
            foreach (var group in frame.Rows.GroupBy(r => string.Join('\0', keys.Select(k => r[k].ToText()))))
            {
                (string, Value)[] named = [.. keys.Select(k => (frame.Schema.Columns[k].Name, group.First()[k]))];
                if (Of(one, Values(frame with { Rows = [.. group] })) is { } with)
                    found.Add((name, named, with));
            }
        }
        var corrected = RateChange.BenjaminiHochberg([.. found.Select(f => f.With.P)]);
        return
        [
            .. found
                .Select((f, i) => new MovingSeries(f.Name, f.Keys, f.With, corrected[i]))
                .OrderBy(m => m.P)
                .ThenByDescending(m => Math.Abs(m.With.R))
                .ThenBy(m => m.Name, StringComparer.Ordinal),
        ];
    }
}
