using Kumiko.Core.Frames;
using Kumiko.Core.Records;

namespace Kumiko.Core.Analysis;

/// <summary>One of a kind beside the others of its kind.</summary>
public static class Peers
{
    /// <summary>Ends of the names of the columns that say how far the others spread.</summary>
    public const string Low = " low";
    public const string High = " high";

    /// <summary>Own values and those of all others by step: their mean and median, and between which ends the middle 80 %
    /// lie.</summary>
    /// <param name="frame">Steps of time, keys and figures; the first figure counts.</param>
    /// <param name="key">The key that tells one from the others.</param>
    /// <param name="own">The one.</param>
    /// <param name="median">Whether the middle of the others is their median rather than their mean.</param>
    /// <param name="name">The figure's name in the answer.</param>
    /// <returns>Columns: time, further keys, own, middle, low, high, and how many others had a value. Null where there is no such
    /// key.</returns>
    public static Frame? Of(Frame frame, string key, string own, bool median, string name)
    {
        var columns = frame.Schema.Columns;
        var (time, at, figure) = (
            frame.Schema.IndexOf(ColumnRole.Time),
            frame.Schema.IndexOf(key),
            frame.Schema.IndexOf(ColumnRole.Value)
        );
        if (time < 0 || at < 0 || figure < 0 || columns[at].Role != ColumnRole.Key)
            return null;
        int[] others = [.. Enumerable.Range(0, columns.Count).Where(i => columns[i].Role == ColumnRole.Key && i != at)];
        var middle = $"{(median ? "median" : "mean")} of the others";
        var value = columns[figure] with { Kind = ValueKind.Decimal };
        IReadOnlyList<Column> made =
        [
            columns[time],
            .. others.Select(i => columns[i]),
            value with
            {
                Name = name,
            },
            value with
            {
                Name = $"{name} {middle}",
            },
            value with
            {
                Name = name + Low,
            },
            value with
            {
                Name = name + High,
            },
            new Column(name + " others", ColumnRole.Detail, ValueKind.Integer),
        ];
        var rows = new List<Value[]>();
        foreach (var group in frame.Rows.GroupBy(r => (r[time].AsLong, string.Join('\0', others.Select(i => r[i].ToText())))))
        {
            var mine = Value.Missing;
            var rest = new List<double>();
            foreach (var row in group)
            {
                if (row[figure].IsMissing || !row[figure].IsQuantity)
                    continue;
                if (row[at].ToText() == own)
                    mine = Value.Of(row[figure].AsDouble);
                else
                    rest.Add(row[figure].AsDouble);
            }
            rest.Sort();
            var first = group.First();
            Value Of(double x) => rest.Count == 0 ? Value.Missing : Value.Of(x);
            rows.Add([
                first[time],
                .. others.Select(i => first[i]),
                mine,
                Of(
                    rest.Count switch
                    {
                        _ when median => Percentile(rest, 0.5),
                        0 => 0,
                        _ => rest.Average(),
                    }
                ),
                Of(Percentile(rest, 0.1)),
                Of(Percentile(rest, 0.9)),
                Value.Of((long)rest.Count),
            ]);
        }
        return new Frame(frame.Schema with { Columns = made }, rows);
    }

    /// <summary>The percentile of sorted numbers, type 7 of Hyndman and Fan (Sample quantiles in statistical packages,
    /// 1996).</summary>
    /// <param name="share">0 to 1.</param>
    public static double Percentile(IReadOnlyList<double> sorted, double share)
    {
        if (sorted.Count == 0)
            return double.NaN;
        var place = share * (sorted.Count - 1);
        var below = (int)place;
        return below + 1 < sorted.Count ? sorted[below] + ((place - below) * (sorted[below + 1] - sorted[below])) : sorted[below];
    }
}
