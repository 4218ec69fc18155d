using Dapper;
using Microsoft.Data.Sqlite;

namespace Kumiko.Core.Storage.Upkeep;

/// <summary>Looks at a file of what people keep, without changing it: SQLite's own structure, every row, and what rows point
/// to.</summary>
public static class AppDatabaseCheck
{
    private const int MostProblems = 20;

    /// <summary>Sentences on what is damaged; none for a sound file.</summary>
    public static IReadOnlyList<string> Run(string path)
    {
        try
        {
            using var connection = DatabaseRescue.Connect(path, SqliteOpenMode.ReadWrite);
            connection.Execute("PRAGMA query_only = 1");
            return Problems(connection);
        }
        catch (SqliteException e) when (DatabaseRescue.IsDamage(e))
        {
            return ["What is kept cannot be read. SQLite: " + e.Message];
        }
    }

    /// <inheritdoc cref="Run(string)"/>
    public static IReadOnlyList<string> Run(AppDatabase database)
    {
        try
        {
            using var connection = database.Database.Read();
            return Problems(connection);
        }
        catch (SqliteException e) when (DatabaseRescue.IsDamage(e))
        {
            return ["What is kept cannot be read. SQLite: " + e.Message];
        }
    }

    internal static IEnumerable<string> Tables(SqliteConnection connection) =>
        connection.Query<string>(
            "SELECT name FROM sqlite_schema WHERE type = 'table' AND name NOT LIKE 'sqlite_%' ORDER BY rowid"
        );

    private static List<string> Problems(SqliteConnection connection)
    {
        var problems = connection
            .Query<string>("PRAGMA quick_check")
            .Where(l => l != "ok")
            .Take(MostProblems)
            .Select(l => "What is kept: SQLite: " + l)
            .ToList();
        foreach (var table in Tables(connection).ToList())
        {
            try
            {
                DatabaseRescue.ReadAll(connection, table);
            }
            catch (Exception e) when (e is SqliteException || DatabaseRescue.IsDamagedValue(e))
            {
                problems.Add($"What is kept: the table {table} cannot be read: {e.Message}");
            }
        }
        return problems;
    }
}
