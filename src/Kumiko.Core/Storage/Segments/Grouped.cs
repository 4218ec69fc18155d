namespace Kumiko.Core.Storage.Segments;

/// <summary>Rows by the group they belong to, in the order of rows within each.</summary>
internal sealed class Grouped
{
    private readonly int[] _starts;
    private readonly int[] _rows;

    private Grouped(int[] starts, int[] rows) => (_starts, _rows) = (starts, rows);

    public ReadOnlySpan<int> this[int group] => _rows.AsSpan(_starts[group].._starts[group + 1]);

    /// <summary>A counting sort.</summary>
    /// <param name="arena">Lends the buffers; null for buffers that live as long as this.</param>
    public static Grouped By(ReadOnlySpan<int> groupOfRow, int groups, Columns.Arena? arena = null)
    {
        var starts = arena?.Ints(groups + 2) ?? new int[groups + 2];
        Array.Clear(starts, 0, groups + 2);
        // One place further, so that each start is counted up to the next one's place while rows are put.
        foreach (var group in groupOfRow)
            starts[group + 2]++;
        for (var g = 2; g <= groups; g++)
            starts[g + 1] += starts[g];
        var rows = arena?.Ints(groupOfRow.Length) ?? new int[groupOfRow.Length];
        for (var i = 0; i < groupOfRow.Length; i++)
            rows[starts[groupOfRow[i] + 1]++] = i;
        return new Grouped(starts, rows);
    }

    /// <summary>For each row, its place within its group.</summary>
    public static int[] Ranks(ReadOnlySpan<int> groupOfRow, int groups, Columns.Arena? arena = null)
    {
        var next = new int[groups];
        var ranks = arena?.Ints(groupOfRow.Length) ?? new int[groupOfRow.Length];
        for (var i = 0; i < groupOfRow.Length; i++)
            ranks[i] = next[groupOfRow[i]]++;
        return ranks;
    }
}
