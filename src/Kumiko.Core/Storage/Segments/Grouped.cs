namespace Kumiko.Core.Storage.Segments;

/// <summary>Rows by the group they belong to, in the order of rows within each.</summary>
internal sealed class Grouped
{
    private readonly int[] _starts, _rows;

    private Grouped(int[] starts, int[] rows) => (_starts, _rows) = (starts, rows);

    public ReadOnlySpan<int> this[int group] => _rows.AsSpan(_starts[group].._starts[group + 1]);

    /// <summary>A counting sort.</summary>
    public static Grouped By(ReadOnlySpan<int> groupOfRow, int groups)
    {
        var starts = new int[groups + 1];
        foreach (var group in groupOfRow) starts[group + 1]++;
        for (var g = 0; g < groups; g++) starts[g + 1] += starts[g];
        var next = starts.ToArray();
        var rows = new int[groupOfRow.Length];
        for (var i = 0; i < groupOfRow.Length; i++) rows[next[groupOfRow[i]]++] = i;
        return new Grouped(starts, rows);
    }

    /// <summary>For each row, its place within its group.</summary>
    public static int[] Ranks(ReadOnlySpan<int> groupOfRow, int groups, Columns.Arena? arena = null)
    {
        var next = new int[groups];
        var ranks = arena?.Ints(groupOfRow.Length) ?? new int[groupOfRow.Length];
        for (var i = 0; i < groupOfRow.Length; i++) ranks[i] = next[groupOfRow[i]]++;
        return ranks;
    }
}
