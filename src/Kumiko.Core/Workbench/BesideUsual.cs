using Kumiko.Core.Frames;
using Kumiko.Core.Records;

namespace Kumiko.Core.Workbench;

/// <summary>An answer's rows beside what the same question usually answers.</summary>
public static class BesideUsual
{
    public const string Usual = "usual";
    public const string Factor = "times usual";

    /// <summary>Each row with the mean of a figure over earlier answers of the same keys, and how many times that it is; the
    /// furthest above its usual first.</summary>
    /// <param name="now">Rows with keys and figures, without steps of time.</param>
    /// <param name="earlier">The same question's earlier answers.</param>
    /// <param name="figure">The column that is compared; null for the last figure.</param>
    /// <returns>Null where there is no figure.</returns>
    public static Frame? Of(Frame now, IReadOnlyList<Frame> earlier, string? figure = null)
    {
        var columns = now.Schema.Columns;
        var at = figure is null ? LastFigure(columns) : now.Schema.IndexOf(figure);
        if (at < 0)
            return null;
        string[] keys = [.. columns.Where(c => c.Role == ColumnRole.Key).Select(c => c.Name)];
        var sums = new Dictionary<string, (double Sum, int Count)>(StringComparer.Ordinal);
        foreach (var frame in earlier)
        {
            var of = frame.Schema.IndexOf(columns[at].Name);
            if (of < 0)
                continue;
            foreach (var row in frame.Rows.Where(r => r[of].IsQuantity))
            {
                var key = Name(frame.Schema, row, keys);
                var (sum, count) = sums.GetValueOrDefault(key);
                sums[key] = (sum + row[of].AsDouble, count + 1);
            }
        }
        IReadOnlyList<Column> made =
        [
            .. columns,
            columns[at] with
            {
                Name = Usual,
            },
            new Column(Factor, ColumnRole.Value, ValueKind.Decimal),
        ];
        var rows = now.Rows.Select(row =>
        {
            var usual = sums.TryGetValue(Name(now.Schema, row, keys), out var known) ? known.Sum / known.Count : double.NaN;
            var value = double.IsNaN(usual)
                ? Value.Missing
                : columns[at].Kind switch
                {
                    ValueKind.Duration => Value.Duration((long)usual),
                    ValueKind.Size => Value.Size((long)usual),
                    _ => Value.Of(usual),
                };
            var factor =
                double.IsNaN(usual) || usual == 0 || !row[at].IsQuantity ? Value.Missing : Value.Of(row[at].AsDouble / usual);
            return (Value[])[.. row, value, factor];
        });
        return new Frame(
            now.Schema with
            {
                Columns = made,
            },
            [.. rows.OrderByDescending(r => r[^1].IsMissing ? double.MinValue : r[^1].AsDouble)]
        );
    }

    private static int LastFigure(IReadOnlyList<Column> columns)
    {
        for (var i = columns.Count - 1; i >= 0; i--)
            if (columns[i].Role == ColumnRole.Value)
                return i;
        return -1;
    }

    private static string Name(Schema schema, Value[] row, string[] keys) =>
        string.Join('\0', keys.Select(k => schema.IndexOf(k) is >= 0 and var i ? row[i].ToText() : ""));
}
