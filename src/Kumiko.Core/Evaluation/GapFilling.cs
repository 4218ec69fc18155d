using Kumiko.Core.Frames;
using Kumiko.Core.Records;

namespace Kumiko.Core.Evaluation;

/// <summary>Fills the empty steps of each key with what the stage says, marked as filled.</summary>
internal static class GapFilling
{
    public static IEnumerable<Row> Fill(Gaps gaps, IEnumerable<Row> rows, IReadOnlyList<Column> columns, long? step)
    {
        var all = rows.Select(row => row with { Slots = [.. row.Slots] }).ToList();
        var time = columns.ToList().FindIndex(c => c.Role == ColumnRole.Time);
        if (time < 0 || step is null)
            throw new QueryRefusedException($"gaps needs the steps of a group with every. Keep the column time.");
        int[] keys = [.. Enumerable.Range(0, columns.Count).Where(i => columns[i].Role == ColumnRole.Key)];
        int[] figures = [.. Enumerable.Range(0, columns.Count).Where(i => columns[i].Role == ColumnRole.Value)];
        foreach (
            var series in all.GroupBy(row => GroupTable.NameOf(Array.ConvertAll(keys, k => row.Slots[k])), StringComparer.Ordinal)
        )
        {
            var ordered = series.OrderBy(row => row.Slots[time].AsLong).ToList();
            foreach (var figure in figures)
                Fill(gaps, ordered, time, figure);
        }
        return all;
    }

    private static void Fill(Gaps gaps, List<Row> rows, int time, int figure)
    {
        for (var i = 0; i < rows.Count; )
        {
            if (!rows[i].Slots[figure].IsMissing)
            {
                i++;
                continue;
            }
            var start = i;
            while (i < rows.Count && rows[i].Slots[figure].IsMissing)
                i++;
            var (before, after) = (start > 0 ? rows[start - 1] : (Row?)null, i < rows.Count ? rows[i] : (Row?)null);
            // Half a line would lead nowhere, so it is drawn over the whole gap or not at all.
            if (gaps.Fill == GapFill.Line && i - start > gaps.Most)
                continue;
            for (var n = start; n < i && n - start < (gaps.Most ?? long.MaxValue); n++)
            {
                var value = gaps.Fill switch
                {
                    GapFill.Zero => Value.Of(0L),
                    GapFill.Last => before?.Slots[figure] ?? Value.Missing,
                    _ => before is { } b && after is { } a
                        ? Between(b.Slots, a.Slots, rows[n].Slots[time].AsLong, time, figure)
                        : Value.Missing,
                };
                if (!value.IsMissing)
                    rows[n].Slots[figure] = value.Marked(ValueMarks.Filled);
            }
        }
    }

    private static Value Between(Value[] before, Value[] after, long at, int time, int figure)
    {
        var (a, b) = (before[figure], after[figure]);
        if (!a.IsQuantity || !b.IsQuantity)
            return Value.Missing;
        var share = (double)(at - before[time].AsLong) / (after[time].AsLong - before[time].AsLong);
        var number = a.AsDouble + (share * (b.AsDouble - a.AsDouble));
        if (a.Kind == b.Kind && a.Kind == ValueKind.Duration)
            return Value.Duration((long)Math.Round(number));
        if (a.Kind == b.Kind && a.Kind == ValueKind.Size)
            return Value.Size((long)Math.Round(number));
        return Value.Of(number);
    }
}
