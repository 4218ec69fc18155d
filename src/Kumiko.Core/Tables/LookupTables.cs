using System.Collections.Concurrent;
using CsvHelper;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Tables;

/// <summary>
/// Look-up tables: CSV files with a head line in a folder, each a set that queries read by the file's name. A changed
/// file counts from the next query on.
/// </summary>
public sealed class LookupTables(string folder)
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
                    .Where(n => !Keywords.Sets.Contains(n))
                    .Order(StringComparer.Ordinal),
            ];

    /// <summary>The whole table; null where there is none of this name.</summary>
    /// <exception cref="QueryRefusedException">The file cannot be read as a table.</exception>
    public Frame? Read(string name, Window window) =>
        Load(name) is { } table
            ? new Frame(new Schema([.. table.Columns.Select(c => new Column(c, ColumnRole.Detail))], null, window), table.Rows)
            : null;

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

    private Loaded? Load(string name)
    {
        if (!Keywords.IsIdentifier(name))
            return null;
        var file = new FileInfo(Path.Combine(folder, name + ".csv"));
        if (!file.Exists)
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
