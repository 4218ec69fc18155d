using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Evaluation;

/// <summary>The right side of a join, found by its keys.</summary>
internal sealed class Joiner
{
    private readonly Join _join;
    private readonly JoinCounts _counts;
    private readonly Dictionary<string, List<(long Time, Value[] Values)>> _byKey = new(StringComparer.Ordinal);
    private readonly long _within;

    public Joiner(Join join, Frame right, JoinCounts counts)
    {
        (_join, _counts) = (join, counts);
        _within = join.Within is { } within ? Literals.Read(within).AsLong : 0;
        var keys = join.On.Select(f => right.Schema.IndexOf(f.Name)).ToArray();
        var missing = Array.IndexOf(keys, -1);
        if (missing >= 0)
            throw new QueryRefusedException($"{join.Right} has no column {join.On[missing].Name} to join on.");
        var time = right.Schema.IndexOf("time");
        if (join.Kind == JoinKind.Nearest && time < 0)
            throw new QueryRefusedException($"{join.Right} has no column time, so none of its rows is nearest.");
        int[] kept = [.. Enumerable.Range(0, right.Schema.Columns.Count).Where(i => !keys.Contains(i))];
        Names = [.. kept.Select(i => right.Schema.Columns[i].Name)];
        foreach (var row in right.Rows)
        {
            Value[] values = [.. keys.Select(k => row[k])];
            // Missing keys never join.
            if (
                Array.Exists(values, v => v.IsMissing)
                || (time >= 0 && join.Kind == JoinKind.Nearest && row[time].Kind != ValueKind.Time)
            )
                continue;
            var name = GroupTable.NameOf(values);
            if (!_byKey.TryGetValue(name, out var rows))
                _byKey.Add(name, rows = []);
            rows.Add((time >= 0 && row[time].Kind == ValueKind.Time ? row[time].AsLong : 0, Array.ConvertAll(kept, i => row[i])));
        }
        if (join.Kind == JoinKind.Nearest)
            foreach (var rows in _byKey.Values)
                rows.Sort((a, b) => a.Time.CompareTo(b.Time));
    }

    /// <summary>Columns that the right side brings.</summary>
    public IReadOnlyList<string> Names { get; }

    public IEnumerable<Row> Join(
        IEnumerable<Row> left,
        Func<Row, Value>[] keys,
        Func<Row, Value> time,
        Func<Row, Value[]?, Row> make
    )
    {
        // Read once more, counted anew.
        (_counts.Unmatched, _counts.Multiplied) = (0, 0);
        foreach (var row in left)
        {
            Value[] values = Array.ConvertAll(keys, k => k(row));
            var found = Array.Exists(values, v => v.IsMissing) ? null : _byKey.GetValueOrDefault(GroupTable.NameOf(values));
            if (_join.Kind == JoinKind.Nearest)
            {
                if (found is not null && time(row) is { Kind: ValueKind.Time } at && Nearest(found, at.AsLong) is { } nearest)
                    yield return make(row, nearest);
                else
                    _counts.Unmatched++;
                continue;
            }
            if (found is null)
            {
                _counts.Unmatched++;
                if (_join.Kind == JoinKind.All)
                    yield return make(row, null);
                continue;
            }
            if (found.Count > 1)
                _counts.Multiplied++;
            foreach (var partner in found)
                yield return make(row, partner.Values);
        }
    }

    /// <summary>Of two that are equally far the earlier, and of equal times the first that came.</summary>
    private Value[]? Nearest(List<(long Time, Value[] Values)> rows, long time)
    {
        var (low, high) = (0, rows.Count);
        while (low < high)
        {
            var middle = (low + high) >>> 1;
            if (rows[middle].Time < time)
                low = middle + 1;
            else
                high = middle;
        }
        var best = -1;
        var farthest = (Int128)_within;
        if (low > 0 && (Int128)time - rows[low - 1].Time is var before && before <= farthest)
        {
            (best, farthest) = (low - 1, before - 1);
            while (best > 0 && rows[best - 1].Time == rows[best].Time)
                best--;
        }
        if (low < rows.Count && (Int128)rows[low].Time - time is var after && after <= farthest)
            best = low;
        return best < 0 ? null : rows[best].Values;
    }
}
