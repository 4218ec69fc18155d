using Kumiko.Core.Evaluation;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Query.Execution;

/// <summary>The groups that rows of one segment belong to, as numbers; and rows put in the order of their groups.</summary>
internal sealed class SegmentGroups
{
    /// <summary>Combinations of so many keys are numbers as they are; of more only those that rows have.</summary>
    private const int LargestDirect = 1 << 12, LargestTable = 1 << 16;

    /// <summary>Numbers that stand for the values of a key, row by row.</summary>
    internal sealed record Codes(int[] OfRow, IReadOnlyList<Value> Values);

    private readonly Codes[] _keys;
    private readonly int[] _ofRow, _counts, _more, _touched, _starts, _sorted;
    private readonly KeyGroups?[] _groups;

    /// <summary>A row of each group, where groups are not the combinations of keys by themselves.</summary>
    private readonly List<int>? _someRow;
    private int _touchedCount;

    /// <param name="rows">The rows that count.</param>
    /// <param name="arena">Lends the buffers.</param>
    public SegmentGroups(Codes[] keys, int count, ReadOnlySpan<int> rows, Arena arena)
    {
        _keys = keys;
        (_ofRow, var groups, _someRow) = Combine(keys, count, rows, arena);
        (_counts, _more) = (arena.Ints(groups), arena.Ints(groups));
        Array.Clear(_counts, 0, groups);
        Array.Clear(_more, 0, groups);
        (_touched, _starts, _sorted) = (arena.Ints(groups), arena.Ints(groups + 1), arena.Ints(count));
        _groups = new KeyGroups?[groups];
    }

    /// <summary>The groups of the rows that were sorted last.</summary>
    public ReadOnlySpan<int> Touched => _touched.AsSpan(0, _touchedCount);

    /// <summary>The rows of one of them, rising.</summary>
    public ReadOnlySpan<int> RowsOf(int touched) => _sorted.AsSpan(_starts[touched], _starts[touched + 1] - _starts[touched]);

    public int CountOf(int touched) => _starts[touched + 1] - _starts[touched];

    /// <summary>A buffer for the numbers of one group.</summary>
    public long[]? Gathered { get; set; }

    /// <summary>The group of a table that a number stands for, found when it is first asked for.</summary>
    public KeyGroups In(GroupTable table, int group)
    {
        if (_groups[group] is { } known) return known;
        var values = new Value[_keys.Length];
        var rest = group;
        for (var k = values.Length - 1; k >= 0; k--)
        {
            var key = _keys[k];
            values[k] = key.Values[_someRow is null ? rest % key.Values.Count : key.OfRow[_someRow[group]]];
            rest /= key.Values.Count;
        }
        return _groups[group] = table.Group(values);
    }

    /// <summary>A counting sort of rows by their groups.</summary>
    /// <param name="inOrder">Whether the rows are asked for, or only how many there are.</param>
    public void Sort(ReadOnlySpan<int> rows, bool inOrder)
    {
        _touchedCount = 0;
        if (rows.Length >= _groups.Length * 4) Many(rows); else Few(rows);
        var at = 0;
        for (var t = 0; t < _touchedCount; t++)
        {
            var group = _touched[t];
            var (count, more) = (_counts[group], _more[group]);
            _starts[t] = at;
            (_counts[group], _more[group]) = (at, at + count);
            at += count + more;
        }
        _starts[_touchedCount] = at;
        if (inOrder) Put(rows);
        for (var t = 0; t < _touchedCount; t++) (_counts[_touched[t]], _more[_touched[t]]) = (0, 0);
    }

    /// <summary>Counts the rows of few groups. Each half has its own counts: what was just written would have to be waited for.</summary>
    private void Many(ReadOnlySpan<int> rows)
    {
        var first = rows[..(rows.Length / 2)];
        var second = rows[first.Length..];
        var (ofRow, counts, more) = (_ofRow, _counts, _more);
        for (var i = 0; i < first.Length; i++)
        {
            counts[ofRow[first[i]]]++;
            more[ofRow[second[i]]]++;
        }
        if (second.Length > first.Length) more[ofRow[second[^1]]]++;
        for (var group = 0; group < _groups.Length; group++) if ((_counts[group] | _more[group]) != 0) _touched[_touchedCount++] = group;
    }

    private void Few(ReadOnlySpan<int> rows)
    {
        var half = rows.Length / 2;
        foreach (var row in rows[..half]) if (_counts[_ofRow[row]]++ == 0) _touched[_touchedCount++] = _ofRow[row];
        foreach (var row in rows[half..])
        {
            var group = _ofRow[row];
            if (_more[group]++ == 0 && _counts[group] == 0) _touched[_touchedCount++] = group;
        }
    }

    private void Put(ReadOnlySpan<int> rows)
    {
        var first = rows[..(rows.Length / 2)];
        var second = rows[first.Length..];
        var (ofRow, counts, more, sorted) = (_ofRow, _counts, _more, _sorted);
        for (var i = 0; i < first.Length; i++)
        {
            sorted[counts[ofRow[first[i]]]++] = first[i];
            sorted[more[ofRow[second[i]]]++] = second[i];
        }
        if (second.Length > first.Length) sorted[more[ofRow[second[^1]]]++] = second[^1];
    }

    private static (int[] OfRow, int Groups, List<int>? SomeRow) Combine(Codes[] keys, int count, ReadOnlySpan<int> rows, Arena arena)
    {
        if (keys.Length == 1) return (keys[0].OfRow, keys[0].Values.Count, null);
        var combined = arena.Ints(count);
        if (keys.Length == 0)
        {
            Array.Clear(combined, 0, count);
            return (combined, 1, null);
        }
        long size = 1;
        foreach (var key in keys) size = Math.Min(size * key.Values.Count, int.MaxValue);
        var someRow = new List<int>();
        if (size <= LargestTable)
        {
            keys[0].OfRow.AsSpan(0, count).CopyTo(combined);
            foreach (var key in keys[1..])
            {
                var (values, ofRow) = (key.Values.Count, key.OfRow);
                foreach (var row in rows) combined[row] = (combined[row] * values) + ofRow[row];
            }
            if (size <= LargestDirect) return (combined, (int)size, null);
            var numbers = new int[size];
            foreach (var row in rows)
            {
                ref var number = ref numbers[combined[row]];
                if (number == 0)
                {
                    someRow.Add(row);
                    number = someRow.Count;
                }
                combined[row] = number - 1;
            }
            return (combined, someRow.Count, someRow);
        }
        var large = new Dictionary<UInt128, int>();
        foreach (var row in rows)
        {
            UInt128 code = 0;
            foreach (var key in keys) code = (code * (uint)key.Values.Count) + (uint)key.OfRow[row];
            if (!large.TryGetValue(code, out var number))
            {
                large.Add(code, number = large.Count);
                someRow.Add(row);
            }
            combined[row] = number;
        }
        return (combined, someRow.Count, someRow);
    }
}
