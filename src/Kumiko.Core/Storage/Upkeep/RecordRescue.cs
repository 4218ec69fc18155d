using System.Globalization;
using Dapper;
using Microsoft.Data.Sqlite;

namespace Kumiko.Core.Storage.Upkeep;

/// <summary>
/// Opens <c>records.db</c>, and where SQLite cannot read it any more, moves it aside and copies what can be read
/// into a new one. Nothing is deleted.
/// </summary>
internal static class RecordRescue
{
    private const int Corrupt = 11, NotADatabase = 26, ReadError = 10;

    private static readonly string[] Tables = ["recent", "batch_key", "segment", "template", "field", "counter"];

    public static Database Open(string path, TimeProvider clock, NoticeList notices)
    {
        if (!File.Exists(path) || IsReadable(path)) return new Database(path, "records");
        var aside = $"{path}.damaged-{clock.GetUtcNow().ToString("yyyyMMddTHHmmss", CultureInfo.InvariantCulture)}";
        foreach (var suffix in new[] { "", "-wal", "-shm" })
            if (File.Exists(path + suffix)) File.Move(path + suffix, aside + suffix);
        var database = new Database(path, "records");
        var (segments, lost) = Copy(aside, database);
        notices.Add($"The file of records is damaged. {segments} segments could be read and were kept, {lost} rows could not; the old file was kept as {Path.GetFileName(aside)}.");
        return database;
    }

    private static bool IsReadable(string path)
    {
        try
        {
            using var connection = Connect(path, SqliteOpenMode.ReadWrite);
            // Reads the catalogue, and the recent rows without their overflow pages; columns are checked when they are read.
            connection.Execute("SELECT COUNT(*) FROM sqlite_schema");
            foreach (var table in Tables)
                if (connection.ExecuteScalar<long>("SELECT COUNT(*) FROM sqlite_schema WHERE name = @table", new { table }) > 0) connection.ExecuteScalar<long>($"SELECT COUNT(*) FROM {table} NOT INDEXED");
            return true;
        }
        catch (SqliteException e) when (IsDamage(e)) { return false; }
    }

    public static bool IsDamage(SqliteException e) => e.SqliteErrorCode is Corrupt or NotADatabase or ReadError;

    private static SqliteConnection Connect(string path, SqliteOpenMode mode)
    {
        var connection = new SqliteConnection(new SqliteConnectionStringBuilder { DataSource = path, Pooling = false, Mode = mode }.ToString());
        connection.Open();
        return connection;
    }

    private static (long Segments, long Lost) Copy(string aside, Database into)
    {
        var (segments, lost) = (0L, 0L);
        try
        {
            using var from = Connect(aside, SqliteOpenMode.ReadWrite);
            // With it, SQLite opens a file that is shorter than its header says.
            from.Execute("PRAGMA writable_schema = ON");
            foreach (var table in new[] { "template", "field", "counter", "batch_key" }) lost += Rows(from, into, table, "rowid");
            lost += Rows(from, into, "recent", "first_sequence");
            lost += Rows(from, into, "segment", "id");
            lost += Rows(from, into, "segment_column", "key");
            using var connection = into.Read();
            segments = connection.ExecuteScalar<long>("SELECT COUNT(*) FROM segment");
        }
        catch (SqliteException e) when (IsDamage(e)) { lost++; }
        return (segments, lost);
    }

    /// <summary>Copies row after row; behind one that cannot be read it goes on from the other end, until both meet damage.</summary>
    private static long Rows(SqliteConnection from, Database into, string table, string key)
    {
        var lost = 0L;
        var seen = new HashSet<string>(StringComparer.Ordinal);
        foreach (var direction in new[] { "", " DESC" })
        {
            try
            {
                var keyed = table is "field" or "counter" or "batch_key" ? "" : $" ORDER BY {key}{direction}";
                foreach (var row in from.Query($"SELECT * FROM {table}{keyed}", buffered: false))
                {
                    var columns = (IDictionary<string, object?>)row;
                    if (!seen.Add(Convert.ToString(columns.First().Value, CultureInfo.InvariantCulture) + "|" + (columns.Count > 1 ? columns.ElementAt(1).Value?.GetHashCode() : 0))) break;
                    into.Writer.Write(c => c.Execute($"INSERT OR REPLACE INTO {table} ({string.Join(", ", columns.Keys)}) VALUES ({string.Join(", ", columns.Keys.Select(k => "@" + k))})", new DynamicParameters(columns))).GetAwaiter().GetResult();
                }
                return lost;
            }
            catch (SqliteException e) when (IsDamage(e)) { lost++; }
        }
        return lost;
    }
}
