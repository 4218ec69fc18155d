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
    private static readonly string[] Tables = ["recent", "batch_key", "segment", "template", "field", "counter"];

    public static Database Open(string path, TimeProvider clock, NoticeList notices)
    {
        return !File.Exists(path) || IsReadable(path) ? new Database(path, "records") : Replace(path, clock, notices);
    }

    /// <summary>Moves the file aside and copies what can be read of it into a new one.</summary>
    public static Database Replace(string path, TimeProvider clock, NoticeList notices)
    {
        var aside = DatabaseRescue.MoveAside(path, clock);
        var database = new Database(path, "records");
        var (segments, lost) = Copy(aside, database);
        notices.Add(
            $"The file of records was damaged. What could be read of it, {segments} segments and the newest records, was copied into a new file{(lost > 0 ? "; reading stopped at damage " + lost + " times" : "")}. The old file was kept as {Path.GetFileName(aside)}."
        );
        return database;
    }

    /// <summary>Whether all can be read that is read at start; columns of segments are checked when they are asked for.</summary>
    private static bool IsReadable(string path)
    {
        try
        {
            using var connection = DatabaseRescue.Connect(path, SqliteOpenMode.ReadWrite);
            foreach (var table in Tables)
                DatabaseRescue.ReadAll(connection, table);
            if (connection.ExecuteScalar<long>("SELECT COUNT(*) FROM pragma_table_info('template') WHERE name = 'gaps'") > 0)
            {
                SegmentTable.Live(connection);
                SegmentTable.Damaged(connection);
                SegmentTable.Templates(connection);
                SegmentTable.Fields(connection);
                SegmentTable.Strays(connection);
            }
            return true;
        }
        catch (SqliteException e) when (IsDamage(e))
        {
            return false;
        }
        catch (Exception e) when (DatabaseRescue.IsDamagedValue(e))
        {
            return false;
        }
    }

    public static bool IsDamage(SqliteException e) => DatabaseRescue.IsDamage(e);

    private static (long Segments, long Lost) Copy(string aside, Database into)
    {
        var lost = 0L;
        try
        {
            using var from = DatabaseRescue.Connect(aside, SqliteOpenMode.ReadWrite);
            // With it, SQLite opens a file that is shorter than its header says.
            from.Execute("PRAGMA writable_schema = ON");
            lost += DatabaseRescue.Rows(from, into, "template", "id") + DatabaseRescue.Rows(from, into, "pattern_name", "id");
            foreach (var table in new[] { "field", "counter", "batch_key" })
                lost += DatabaseRescue.Rows(from, into, table, null);
            lost += DatabaseRescue.Rows(from, into, "recent", "first_sequence") + DatabaseRescue.Rows(from, into, "signal", "id");
            foreach (
                var table in new[] { "series", "metric_recent", "metric_segment", "metric_part", "exemplar", "followed_file" }
            )
                lost += DatabaseRescue.Rows(from, into, table, "id");
            lost += DatabaseRescue.Rows(from, into, "metric_arrival", null);
            lost += DatabaseRescue.Rows(from, into, "segment", "id");
            lost += DatabaseRescue.Rows(from, into, "segment_column", "key");
        }
        catch (SqliteException e) when (IsDamage(e))
        {
            lost++;
        }
        SetAsideIncomplete(into);
        into.Writer.Write(c => c.Execute("INSERT OR REPLACE INTO counter VALUES ('batches', (SELECT COUNT(*) FROM recent))"))
            .GetAwaiter()
            .GetResult();
        using var connection = into.Read();
        return (connection.ExecuteScalar<long>("SELECT COUNT(*) FROM segment WHERE state = 'live'"), lost);
    }

    /// <summary>Segments of which columns are missing would seem to lack fields; they are set aside instead.</summary>
    private static int SetAsideIncomplete(Database into) =>
        into
            .Writer.Write(connection =>
                MetricTable.SetAsideIncomplete(connection)
                + connection.Execute(
                    $"""
                    UPDATE segment SET state = 'damaged', damage = 'Columns were lost with the damaged file.'
                    WHERE state = 'live' AND columns <> (SELECT COUNT(*) FROM segment_column c WHERE c.key BETWEEN segment.id << {Segment.ColumnBits} AND ((segment.id + 1) << {Segment.ColumnBits}) - 1)
                    """
                )
            )
            .GetAwaiter()
            .GetResult();
}
