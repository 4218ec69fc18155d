using System.Diagnostics;
using Dapper;
using Kumiko.Core.Intake;
using Kumiko.Core.Records;
using Microsoft.Data.Sqlite;

namespace Kumiko.Bench.Store;

/// <summary>The yardstick: a row for each record in SQLite with FTS5 over the bodies, parse included.</summary>
internal static class FullTextRows
{
    /// <returns>Records a second, and bytes on disk for each record.</returns>
    public static (double Rate, double Bytes) Measure(FerryLog log, int records)
    {
        var path = Path.Combine(Path.GetTempPath(), $"kumiko-rows-{Guid.NewGuid():N}.db");
        using var connection = new SqliteConnection("Data Source=" + path + ";Pooling=False");
        connection.Open();
        connection.Execute(
            """
            PRAGMA journal_mode = WAL; PRAGMA synchronous = FULL;
            CREATE TABLE record (id INTEGER PRIMARY KEY, time INTEGER, severity INTEGER, service TEXT, host TEXT, body TEXT, attributes TEXT, trace TEXT, span TEXT);
            CREATE VIRTUAL TABLE words USING fts5 (body, content = 'record', content_rowid = 'id');
            """
        );
        var reader = new Lines();
        var started = Stopwatch.GetTimestamp();
        var count = 0L;
        foreach (var (lines, _) in log.Batches(records))
        {
            using var transaction = connection.BeginTransaction();
            using var row = Command(
                connection,
                transaction,
                "INSERT INTO record VALUES ($id, $time, $severity, $service, $host, $body, $attributes, $trace, $span)",
                "$id",
                "$time",
                "$severity",
                "$service",
                "$host",
                "$body",
                "$attributes",
                "$trace",
                "$span"
            );
            using var words = Command(
                connection,
                transaction,
                "INSERT INTO words (rowid, body) VALUES ($id, $body)",
                "$id",
                "$body"
            );
            foreach (var r in reader.Read(lines).Records)
            {
                Set(
                    row,
                    count,
                    r.Time,
                    r.SeverityNumber,
                    r.Resource.Service.ToText(),
                    r.Resource.Host.ToText(),
                    r.Body,
                    Value.Of(r.Attributes).ToJson(),
                    r.TraceId,
                    r.SpanId
                );
                row.ExecuteNonQuery();
                Set(words, count, r.Body);
                words.ExecuteNonQuery();
                count++;
            }
            transaction.Commit();
        }
        var rate = count / Stopwatch.GetElapsedTime(started).TotalSeconds;
        connection.Execute("PRAGMA wal_checkpoint(TRUNCATE)");
        connection.Close();
        var bytes = (double)new FileInfo(path).Length / count;
        File.Delete(path);
        return (rate, bytes);
    }

    private static SqliteCommand Command(
        SqliteConnection connection,
        SqliteTransaction transaction,
        string sql,
        params string[] names
    )
    {
        var command = connection.CreateCommand();
        (command.CommandText, command.Transaction) = (sql, transaction);
        foreach (var name in names)
            command.Parameters.AddWithValue(name, DBNull.Value);
        command.Prepare();
        return command;
    }

    private static void Set(SqliteCommand command, params object?[] values)
    {
        for (var i = 0; i < values.Length; i++)
            command.Parameters[i].Value = values[i] ?? DBNull.Value;
    }
}
