using System.Globalization;
using Dapper;
using Microsoft.Data.Sqlite;

namespace Kumiko.Core.Storage.Upkeep;

/// <summary>What the rescue of any SQLite file does: moves it aside and copies rows as far as they can be read. Nothing is
/// deleted.</summary>
internal static class DatabaseRescue
{
    private const int Corrupt = 11;
    private const int NotADatabase = 26;
    private const int ReadError = 10;
    private const int Constraint = 19;
    private const int NoSuchTable = 1;
    private const long CopiedAtOnce = 4 << 20;

    /// <summary>
    /// Of errors of input and output, those that say that what lies on the disk cannot be read. The others, such as no room for
    /// the file beside it that readers share, say nothing of the file.
    /// </summary>
    private static readonly int[] Unreadable =
    [
        ReadError,
        ReadError | (1 << 8),
        ReadError | (2 << 8),
        ReadError | (32 << 8),
        ReadError | (33 << 8),
    ];

    public static bool IsDamage(SqliteException e) =>
        e.SqliteErrorCode is Corrupt or NotADatabase
        || (e.SqliteErrorCode == ReadError && Unreadable.Contains(e.SqliteExtendedErrorCode));

    /// <summary>Whether an exception in reading rows comes of a flipped byte, which can make a number of a text.</summary>
    public static bool IsDamagedValue(Exception e) =>
        e is System.Data.DataException or InvalidCastException or FormatException or OverflowException;

    public static SqliteConnection Connect(string path, SqliteOpenMode mode)
    {
        var connection = new SqliteConnection(
            new SqliteConnectionStringBuilder
            {
                DataSource = path,
                Pooling = false,
                Mode = mode,
            }.ToString()
        );
        connection.Open();
        return connection;
    }

    /// <summary>Reads all rows of a table, where there is one, and forgets them.</summary>
    public static void ReadAll(SqliteConnection connection, string table)
    {
        if (connection.ExecuteScalar<long>("SELECT COUNT(*) FROM sqlite_schema WHERE name = @table", new { table }) == 0)
            return;
        using var reader = connection.ExecuteReader($"SELECT * FROM {table}");
        var values = new object[reader.FieldCount];
        while (reader.Read())
            reader.GetValues(values);
    }

    /// <summary>Moves a file aside with what belongs to it; the answer is where it is now.</summary>
    public static string MoveAside(string path, TimeProvider clock)
    {
        var aside = $"{path}.damaged-{clock.GetUtcNow().ToString("yyyyMMddTHHmmss", CultureInfo.InvariantCulture)}";
        foreach (var suffix in new[] { "", "-wal", "-shm" })
            if (File.Exists(path + suffix))
                File.Move(path + suffix, aside + suffix);
        return aside;
    }

    /// <summary>Copies row after row; behind one that cannot be read it goes on from the other end, until both meet
    /// damage.</summary>
    /// <returns>How often reading had to stop.</returns>
    public static long Rows(SqliteConnection from, Database into, string table, string? key)
    {
        var lost = 0L;
        // A file from before this table has none.
        if (from.ExecuteScalar<long>("SELECT COUNT(*) FROM sqlite_schema WHERE name = @table", new { table }) == 0)
            return 0;
        foreach (var order in key is null ? new[] { "" } : [$" ORDER BY {key}", $" ORDER BY {key} DESC"])
        {
            var rows = new List<IDictionary<string, object?>>();
            var bytes = 0L;
            try
            {
                foreach (IDictionary<string, object?> row in from.Query($"SELECT * FROM {table}{order}", buffered: false))
                {
                    rows.Add(row);
                    bytes += row.Values.Sum(v => v is byte[] blob ? blob.Length : 16L);
                    if (bytes < CopiedAtOnce)
                        continue;
                    Insert(into, table, rows);
                    rows.Clear();
                    bytes = 0;
                }
                Insert(into, table, rows);
                return lost;
            }
            // A table that this file does not have yet is no damage.
            catch (SqliteException e) when (e.SqliteErrorCode == NoSuchTable)
            {
                return 0;
            }
            catch (SqliteException e) when (IsDamage(e))
            {
                Insert(into, table, rows);
                lost++;
            }
        }
        return lost;
    }

    private static void Insert(Database into, string table, IReadOnlyList<IDictionary<string, object?>> rows) =>
        into
            .Writer.Write(connection =>
            {
                foreach (var row in rows)
                {
                    try
                    {
                        connection.Execute(
                            $"INSERT OR REPLACE INTO {table} ({string.Join(", ", row.Keys)}) VALUES ({string.Join(", ", row.Keys.Select(k => "@" + k))})",
                            new DynamicParameters(row)
                        );
                    }
                    // A value that its column cannot hold is damage; the row is left behind.
                    catch (SqliteException e) when (e.SqliteErrorCode == Constraint) { }
                }
                return rows.Count;
            })
            .GetAwaiter()
            .GetResult();
}
