using Kumiko.Core.Evaluation;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Query.Execution;

/// <summary>The groups that rows of one segment belong to, as numbers; and rows put in the order of their groups.</summary>
internal sealed class SegmentGroups
{
    /// <summary>Combinations of so many keys are numbers as they are; of more only those that rows have.</summary>
    private const int LargestDirect = 1 << 12;
    private const int LargestTable = 1 << 16;

    /// <summary>Numbers that stand for the values of a key, row by row.</summary>
    internal sealed record Codes(int[] OfRow, IReadOnlyList<Value> Values);

    private readonly Codes[] _keys;
    private readonly int[] _ofRow;
    private readonly int[] _counts;
    private readonly int[] _more;
    private readonly int[] _touched;
    private readonly int[] _starts;
    private readonly int[] _middles;
    private readonly Arena _arena;
    private readonly int _count;
    private int[]? _sorted;
    private long[]? _numbers;
    private readonly KeyGroups?[] _groups;

    /// <summary>A row of each group, where groups are not the combinations of keys by themselves.</summary>
    private readonly List<int>? _someRow;
    private int _touchedCount;

    /// <param name="rows">The rows that count.</param>
    /// <param name="arena">Lends the buffers.</param>
    public SegmentGroups(Codes[] keys, int count, ReadOnlySpan<int> rows, Arena arena)
    {
        (_keys, _count, _arena) = (keys, count, arena);
        (_ofRow, var groups, _someRow) = Combine(keys, count, rows, arena);
        (_counts, _more) = (arena.Ints(groups), arena.Ints(groups));
        Array.Clear(_counts, 0, groups);
        Array.Clear(_more, 0, groups);
        (_touched, _starts, _middles) = (arena.Ints(groups), arena.Ints(groups + 1), arena.Ints(groups));
        _groups = new KeyGroups?[groups];
    }

    /// <summary>The groups of the rows that were sorted last.</summary>
    public ReadOnlySpan<int> Touched => _touched.AsSpan(0, _touchedCount);

    /// <summary>Number of rows of one of them.</summary>
    public int CountOf(int touched) => _starts[touched + 1] - _starts[touched];

    /// <summary>The part of sorted rows, or their numbers, that one of them has.</summary>
    public ReadOnlySpan<T> Of<T>(int touched, ReadOnlySpan<T> sorted) => sorted[_starts[touched].._starts[touched + 1]];

    /// <summary>The group of a table that a number stands for, found when it is first asked for.</summary>
    public KeyGroups In(GroupTable table, int group)
    {
        if (_groups[group] is { } known)
            return known;
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

    /// <summary>Counts rows by their groups, for what is asked afterwards.</summary>
    public void Count(ReadOnlySpan<int> rows)
    {
        foreach (var group in Touched)
            (_counts[group], _more[group]) = (0, 0);
        _touchedCount = 0;
        if (rows.Length >= _groups.Length * 4)
            Many(rows);
        else
            Few(rows);
        var at = 0;
        for (var t = 0; t < _touchedCount; t++)
        {
            var group = _touched[t];
            (_starts[t], _middles[t]) = (at, at + _counts[group]);
            at = _middles[t] + _more[group];
        }
        _starts[_touchedCount] = at;
    }

    /// <summary>The rows that were counted, in the order of their groups, and rising in each.</summary>
    public ReadOnlySpan<int> Sorted(ReadOnlySpan<int> rows)
    {
        var sorted = _sorted ??= _arena.Ints(_count);
        Begin();
        var first = rows[..(rows.Length / 2)];
        var second = rows[first.Length..];
        var (ofRow, next, nextOfMore) = (_ofRow, _counts, _more);
        for (var i = 0; i < first.Length; i++)
        {
            sorted[next[ofRow[first[i]]]++] = first[i];
            sorted[nextOfMore[ofRow[second[i]]]++] = second[i];
        }
        if (second.Length > first.Length)
            sorted[nextOfMore[ofRow[second[^1]]]++] = second[^1];
        return sorted.AsSpan(0, rows.Length);
    }

    /// <summary>Numbers of the rows in the same order, without a look at the rows' own order; valid until it is asked
    /// again.</summary>
    public ReadOnlySpan<long> Sorted(ReadOnlySpan<int> rows, long[] numbers)
    {
        var sorted = _numbers ??= _arena.Longs(_count);
        Begin();
        var first = rows[..(rows.Length / 2)];
        var second = rows[first.Length..];
        var (ofRow, next, nextOfMore) = (_ofRow, _counts, _more);
        for (var i = 0; i < first.Length; i++)
        {
            sorted[next[ofRow[first[i]]]++] = numbers[first[i]];
            sorted[nextOfMore[ofRow[second[i]]]++] = numbers[second[i]];
        }
        if (second.Length > first.Length)
            sorted[nextOfMore[ofRow[second[^1]]]++] = numbers[second[^1]];
        return sorted.AsSpan(0, rows.Length);
    }

    /// <summary>Makes of the counts the places where the rows of each half are put next.</summary>
    private void Begin()
    {
        for (var t = 0; t < _touchedCount; t++)
            (_counts[_touched[t]], _more[_touched[t]]) = (_starts[t], _middles[t]);
    }

    /// <summary>Counts the rows of few groups. Each half has its own counts: what was just written would have to be waited
    /// for.</summary>
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
        if (second.Length > first.Length)
            more[ofRow[second[^1]]]++;
        for (var group = 0; group < _groups.Length; group++)
            if ((_counts[group] | _more[group]) != 0)
                _touched[_touchedCount++] = group;
    }

    private void Few(ReadOnlySpan<int> rows)
    {
        var half = rows.Length / 2;
        foreach (var row in rows[..half])
            if (_counts[_ofRow[row]]++ == 0)
                _touched[_touchedCount++] = _ofRow[row];
        foreach (var row in rows[half..])
        {
            var group = _ofRow[row];
            if (_more[group]++ == 0 && _counts[group] == 0)
                _touched[_touchedCount++] = group;
        }
    }

    private static (int[] OfRow, int Groups, List<int>? SomeRow) Combine(
        Codes[] keys,
        int count,
        ReadOnlySpan<int> rows,
        Arena arena
    )
    {
        if (keys.Length == 1)
            return (keys[0].OfRow, keys[0].Values.Count, null);
        var combined = arena.Ints(count);
        if (keys.Length == 0)
        {
            Array.Clear(combined, 0, count);
            return (combined, 1, null);
        }
        long size = 1;
        foreach (var key in keys)
            size = Math.Min(size * key.Values.Count, int.MaxValue);
        var someRow = new List<int>();
        if (size <= LargestTable)
        {
            keys[0].OfRow.AsSpan(0, count).CopyTo(combined);
            foreach (var key in keys[1..])
            {
                var (values, ofRow) = (key.Values.Count, key.OfRow);
                foreach (var row in rows)
                    combined[row] = (combined[row] * values) + ofRow[row];
            }
            if (size <= LargestDirect)
                return (combined, (int)size, null);
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
            foreach (var key in keys)
                code = (code * (uint)key.Values.Count) + (uint)key.OfRow[row];
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
