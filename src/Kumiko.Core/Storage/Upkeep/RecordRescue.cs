using System.Globalization;
using Dapper;
using Kumiko.Core.Storage.Metrics;
using Kumiko.Core.Storage.Segments;
using Microsoft.Data.Sqlite;

namespace Kumiko.Core.Storage.Upkeep;

/// <summary>
/// Opens <c>records.db</c>, and where SQLite cannot read it any more, moves it aside and copies what can be read
/// into a new one. Nothing is deleted.
/// </summary>
internal static class RecordRescue
{
    private const int Corrupt = 11, NotADatabase = 26, ReadError = 10, Constraint = 19, NoSuchTable = 1;
    private const long CopiedAtOnce = 4 << 20;

    private static readonly string[] Tables = ["recent", "batch_key", "segment", "template", "field", "counter"];

    public static Database Open(string path, TimeProvider clock, NoticeList notices)
    {
        return !File.Exists(path) || IsReadable(path) ? new Database(path, "records") : Replace(path, clock, notices);
    }

    /// <summary>Moves the file aside and copies what can be read of it into a new one.</summary>
    public static Database Replace(string path, TimeProvider clock, NoticeList notices)
    {
        var aside = $"{path}.damaged-{clock.GetUtcNow().ToString("yyyyMMddTHHmmss", CultureInfo.InvariantCulture)}";
        foreach (var suffix in new[] { "", "-wal", "-shm" })
            if (File.Exists(path + suffix)) File.Move(path + suffix, aside + suffix);
        var database = new Database(path, "records");
        var (segments, lost) = Copy(aside, database);
        notices.Add($"The file of records was damaged. What could be read of it, {segments} segments and the newest records, was copied into a new file{(lost > 0 ? "; reading stopped at damage " + lost + " times" : "")}. The old file was kept as {Path.GetFileName(aside)}.");
        return database;
    }

    /// <summary>Whether all can be read that is read at start; columns of segments are checked when they are asked for.</summary>
    private static bool IsReadable(string path)
    {
        try
        {
            using var connection = Connect(path, SqliteOpenMode.ReadWrite);
            foreach (var table in Tables)
            {
                if (connection.ExecuteScalar<long>("SELECT COUNT(*) FROM sqlite_schema WHERE name = @table", new { table }) == 0) continue;
                using var reader = connection.ExecuteReader($"SELECT * FROM {table}");
                var values = new object[reader.FieldCount];
                while (reader.Read()) reader.GetValues(values);
            }
            if (connection.ExecuteScalar<long>("SELECT COUNT(*) FROM sqlite_schema WHERE name = 'segment'") > 0)
            {
                SegmentTable.Live(connection);
                SegmentTable.Damaged(connection);
                SegmentTable.Templates(connection);
                SegmentTable.Fields(connection);
                SegmentTable.Strays(connection);
            }
            return true;
        }
        catch (SqliteException e) when (IsDamage(e)) { return false; }
        // A flipped byte can make a number of a text.
        catch (Exception e) when (e is System.Data.DataException or InvalidCastException or FormatException or OverflowException) { return false; }
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
        var lost = 0L;
        try
        {
            using var from = Connect(aside, SqliteOpenMode.ReadWrite);
            // With it, SQLite opens a file that is shorter than its header says.
            from.Execute("PRAGMA writable_schema = ON");
            lost += Rows(from, into, "template", "id") + Rows(from, into, "pattern_name", "id");
            foreach (var table in new[] { "field", "counter", "batch_key" }) lost += Rows(from, into, table, null);
            lost += Rows(from, into, "recent", "first_sequence") + Rows(from, into, "signal", "id");
            foreach (var table in new[] { "series", "metric_recent", "metric_segment", "metric_part", "exemplar" }) lost += Rows(from, into, table, "id");
            lost += Rows(from, into, "metric_arrival", null);
            lost += Rows(from, into, "segment", "id");
            lost += Rows(from, into, "segment_column", "key");
        }
        catch (SqliteException e) when (IsDamage(e)) { lost++; }
        SetAsideIncomplete(into);
        into.Writer.Write(c => c.Execute("INSERT OR REPLACE INTO counter VALUES ('batches', (SELECT COUNT(*) FROM recent))")).GetAwaiter().GetResult();
        using var connection = into.Read();
        return (connection.ExecuteScalar<long>("SELECT COUNT(*) FROM segment WHERE state = 'live'"), lost);
    }

    /// <summary>Copies row after row; behind one that cannot be read it goes on from the other end, until both meet damage.</summary>
    /// <returns>How often reading had to stop.</returns>
    private static long Rows(SqliteConnection from, Database into, string table, string? key)
    {
        var lost = 0L;
        // A file from before this table has none.
        if (from.ExecuteScalar<long>("SELECT COUNT(*) FROM sqlite_schema WHERE name = @table", new { table }) == 0) return 0;
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
                    if (bytes < CopiedAtOnce) continue;
                    Insert(into, table, rows);
                    rows.Clear();
                    bytes = 0;
                }
                Insert(into, table, rows);
                return lost;
            }
            // A table that this file does not have yet is no damage.
            catch (SqliteException e) when (e.SqliteErrorCode == NoSuchTable) { return 0; }
            catch (SqliteException e) when (IsDamage(e))
            {
                Insert(into, table, rows);
                lost++;
            }
        }
        return lost;
    }

    private static void Insert(Database into, string table, IReadOnlyList<IDictionary<string, object?>> rows) => into.Writer.Write(connection =>
    {
        foreach (var row in rows)
        {
            try { connection.Execute($"INSERT OR REPLACE INTO {table} ({string.Join(", ", row.Keys)}) VALUES ({string.Join(", ", row.Keys.Select(k => "@" + k))})", new DynamicParameters(row)); }
            // A value that its column cannot hold is damage; the row is left behind.
            catch (SqliteException e) when (e.SqliteErrorCode == Constraint) { }
        }
        return rows.Count;
    }).GetAwaiter().GetResult();

    /// <summary>Segments of which columns are missing would seem to lack fields; they are set aside instead.</summary>
    private static int SetAsideIncomplete(Database into) => into.Writer.Write(connection => MetricTable.SetAsideIncomplete(connection) + connection.Execute($"""
        UPDATE segment SET state = 'damaged', damage = 'Columns were lost with the damaged file.'
        WHERE state = 'live' AND columns <> (SELECT COUNT(*) FROM segment_column c WHERE c.key BETWEEN segment.id << {Segment.ColumnBits} AND ((segment.id + 1) << {Segment.ColumnBits}) - 1)
        """)).GetAwaiter().GetResult();
}
