using System.Collections.Concurrent;
using CsvHelper;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;

namespace Kumiko.Core.Tables;

/// <summary>
/// Look-up tables: CSV files with a head line in a folder, each a set that queries read by the file's name. A changed
/// file counts from the next query on.
/// </summary>
public sealed class LookupTables(string folder) : IRowSetFamily
{
    public const long LargestFile = 16 << 20;

    private readonly ConcurrentDictionary<string, Loaded> _loaded = new(StringComparer.Ordinal);

    private sealed record Loaded(DateTime Written, long Length, IReadOnlyList<string> Columns, IReadOnlyList<Value[]> Rows)
    {
        /// <summary>Rows by the text of their first column; of several the first.</summary>
        public Dictionary<string, Value[]> ByKey { get; } =
            Rows.Reverse()
                .GroupBy(r => r[0].ToText(), StringComparer.Ordinal)
                .ToDictionary(g => g.Key, g => g.Last(), StringComparer.Ordinal);
    }

    /// <summary>Names that a query can use.</summary>
    public IReadOnlyCollection<string> Names() =>
        !Directory.Exists(folder)
            ? []
            :
            [
                .. Directory
                    .EnumerateFiles(folder, "*.csv")
                    .Select(f => Path.GetFileNameWithoutExtension(f)!)
                    .Where(Keywords.IsIdentifier)
                    .Where(n => !RowSetNames.Has(n))
                    .Order(StringComparer.Ordinal),
            ];

    /// <summary>A table as a set; null where there is none of this name.</summary>
    public RowSet? Find(string name) => File(name) is null ? null : new TableSet(this, name);

    /// <summary>The whole table, which is no collected data: who may read anything may read it.</summary>
    private sealed class TableSet(LookupTables tables, string name) : RowSet
    {
        public override string Name => name;

        public override string Title => "look-up table";

        /// <exception cref="QueryRefusedException">The file cannot be read as a table.</exception>
        public override RowScan Scan(ScanRequest request)
        {
            var table = tables.Load(name) ?? throw new QueryRefusedException($"The look-up table {name} is gone.");
            return new ColumnScan(
                [.. table.Columns.Select(c => new Column(c, ColumnRole.Detail))],
                () => table.Rows,
                request.Cancel
            )
            {
                MayAllBeRead = true,
            };
        }
    }

    /// <summary>A look by the first column at another; missing where the table has no such row.</summary>
    /// <exception cref="QueryRefusedException">There is no such table or column.</exception>
    public Func<Value, Value> Lookup(string name, string column)
    {
        var table = Load(name)
            ?? throw new QueryRefusedException(
                $"There is no look-up table {name}. Put {name}.csv into the folder tables of the data folder."
            );
        var at = table.Columns.ToList().IndexOf(column);
        if (at < 0)
            throw new QueryRefusedException(
                $"The look-up table {name} has no column {column}. It has {string.Join(", ", table.Columns)}."
            );
        return key => table.ByKey.TryGetValue(key.ToText(), out var row) ? row[at] : Value.Missing;
    }

    private FileInfo? File(string name) =>
        Keywords.IsIdentifier(name) && new FileInfo(Path.Combine(folder, name + ".csv")) is { Exists: true } file ? file : null;

    private Loaded? Load(string name)
    {
        if (File(name) is not { } file)
            return null;
        if (_loaded.TryGetValue(name, out var known) && known.Written == file.LastWriteTimeUtc && known.Length == file.Length)
            return known;
        if (file.Length > LargestFile)
            throw new QueryRefusedException(
                $"The look-up table {name} has {file.Length >> 20:N0} MiB; {LargestFile >> 20:N0} is the most."
            );
        try
        {
            return _loaded[name] = Read(file);
        }
        catch (Exception e) when (e is CsvFormatException or IOException or UnauthorizedAccessException or FormatException)
        {
            throw new QueryRefusedException($"The look-up table {name} cannot be read: {e.Message.Split('\n')[0].Trim()}");
        }
    }

    private static Loaded Read(FileInfo file)
    {
        using var stream = file.OpenRead();
        using var csv = CsvReader.Create(stream, new CsvReaderOptions());
        csv.ReadHeader();
        string[] columns = [.. csv.Headers ?? []];
        if (columns.Length == 0)
            throw new FormatException("Its first line has to name its columns.");
        var rows = new List<Value[]>();
        while (csv.Read())
            rows.Add([
                .. columns.Select(
                    (_, i) => i < csv.FieldCount && csv.GetString(i) is { Length: > 0 } cell ? Literals.Read(cell) : Value.Missing
                ),
            ]);
        return new Loaded(file.LastWriteTimeUtc, file.Length, columns, rows);
    }
}
