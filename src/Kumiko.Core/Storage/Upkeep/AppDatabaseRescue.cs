using Dapper;
using Microsoft.Data.Sqlite;

namespace Kumiko.Core.Storage.Upkeep;

/// <summary>
/// Opens <c>kumiko.db</c>, and where SQLite cannot read it any more, moves it aside and copies what can be read into a
/// new one. Nothing is deleted.
/// </summary>
internal static class AppDatabaseRescue
{
    public static Database Open(string path, TimeProvider clock, NoticeList notices)
    {
        if (!File.Exists(path) || new FileInfo(path).Length == 0 || AppDatabaseCheck.Run(path).Count == 0)
            return new Database(path, "kumiko");
        var aside = DatabaseRescue.MoveAside(path, clock);
        var database = new Database(path, "kumiko");
        var lost = Copy(aside, database);
        notices.Add(
            $"The file of people, tokens, rules and all else that is kept was damaged. What could be read of it was copied into a new file{(lost > 0 ? "; reading stopped at damage " + lost + " times" : "")}. The old file was kept as {Path.GetFileName(aside)}. Restore a backup if something is missing."
        );
        return database;
    }

    private static long Copy(string aside, Database into)
    {
        List<string> tables;
        // In the order they were made, so that a row finds those it points to.
        using (var connection = into.Read())
            tables = [.. AppDatabaseCheck.Tables(connection)];
        var lost = 0L;
        try
        {
            using var from = DatabaseRescue.Connect(aside, SqliteOpenMode.ReadWrite);
            // With it, SQLite opens a file that is shorter than its header says.
            from.Execute("PRAGMA writable_schema = ON");
            foreach (var table in tables)
                lost += DatabaseRescue.Rows(from, into, table, KeyOf(into, table));
        }
        catch (SqliteException e) when (DatabaseRescue.IsDamage(e))
        {
            lost++;
        }
        return lost;
    }

    private static string? KeyOf(Database database, string table)
    {
        using var connection = database.Read();
        return connection.ExecuteScalar<string?>("SELECT name FROM pragma_table_info(@table) WHERE pk = 1", new { table });
    }
}
