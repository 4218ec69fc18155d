using Kumiko.Core.Analysis;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;

namespace Kumiko.Core.Workbench;

/// <summary>Several frames of the same shape as one: their mean, and with more than one from the lowest to the highest.</summary>
public static class CopiesOf
{
    /// <param name="frames">At least one; columns of the first hold for all. The first figure counts.</param>
    public static Frame Band(IReadOnlyList<Frame> frames, string name)
    {
        var first = frames[0].Schema;
        var (time, figure) = (first.IndexOf(ColumnRole.Time), first.IndexOf(ColumnRole.Value));
        int[] keys = [.. Enumerable.Range(0, first.Columns.Count).Where(i => first.Columns[i].Role == ColumnRole.Key)];
        var found = new Dictionary<string, (Value[] Keys, List<double> Values)>(StringComparer.Ordinal);
        foreach (var frame in frames)
        {
            var (at, of, own) = (
                frame.Schema.IndexOf(ColumnRole.Time),
                frame.Schema.IndexOf(ColumnRole.Value),
                Array.ConvertAll(keys, k => frame.Schema.IndexOf(first.Columns[k].Name))
            );
            foreach (var row in frame.Rows)
            {
                if (!row[of].IsQuantity)
                    continue;
                Value[] named = [row[at], .. own.Select(i => i < 0 ? Value.Missing : row[i])];
                var key = string.Join(
                    '\0',
                    named.Select(v =>
                        v.Kind == ValueKind.Time
                            ? v.AsLong.ToString(System.Globalization.CultureInfo.InvariantCulture)
                            : v.ToText()
                    )
                );
                if (!found.TryGetValue(key, out var values))
                    found.Add(key, values = (named, []));
                values.Values.Add(row[of].AsDouble);
            }
        }
        var value = first.Columns[figure] with { Name = name, Kind = ValueKind.Decimal };
        var several = frames.Count > 1;
        IReadOnlyList<Column> columns =
        [
            first.Columns[time],
            .. keys.Select(k => first.Columns[k]),
            value,
            .. several
                ? [value with { Name = name + Peers.Low }, value with { Name = name + Peers.High }]
                : Array.Empty<Column>(),
        ];
        var rows = found
            .Values.OrderBy(f => f.Keys[0].AsLong)
            .Select(f =>
                (Value[])
                    [
                        .. f.Keys,
                        Value.Of(f.Values.Average()),
                        .. several ? [Value.Of(f.Values.Min()), Value.Of(f.Values.Max())] : Array.Empty<Value>(),
                    ]
            )
            .ToList();
        return new Frame(first with { Columns = columns }, rows);
    }
}
