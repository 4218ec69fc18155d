using System.Diagnostics;
using Dapper;
using Kumiko.Core.Intake;
using Kumiko.Core.Records;
using Microsoft.Data.Sqlite;

namespace Kumiko.Bench;

/// <summary>Records a second through the real intake, beside a plain row for each record in SQLite.</summary>
internal static class Intake
{
    public static async Task Measure(World world)
    {
        var rows = Rows(world);
        var started = Stopwatch.GetTimestamp();
        foreach (var batch in world.Batches)
        {
            using var answer = await world.Sender.PostAsync("/intake/records", new ByteArrayContent(batch));
            answer.EnsureSuccessStatusCode();
        }
        var one = world.Records / Stopwatch.GetElapsedTime(started).TotalSeconds;
        Console.WriteLine("| intake, durable, batches of 5 000 | records/s | ratio |\n|---|---|---|");
        Console.WriteLine($"| a row each in SQLite, same batches, parse included | {rows:0} | 1 |");
        Console.WriteLine($"| POST /intake/records, one sender | {one:0} | {one / rows:0.0} |\n");
    }

    private static double Rows(World world)
    {
        var path = Path.Combine(Path.GetTempPath(), $"kumiko-rows-{Guid.NewGuid():N}.db");
        using var connection = new SqliteConnection("Data Source=" + path + ";Pooling=False");
        connection.Open();
        connection.Execute(
            "PRAGMA journal_mode = WAL; PRAGMA synchronous = FULL; CREATE TABLE record (time INTEGER, severity INTEGER, service TEXT, host TEXT, body TEXT, attributes TEXT, trace TEXT)"
        );
        var reader = new Lines();
        var started = Stopwatch.GetTimestamp();
        var count = 0;
        // A part is enough for a rate, and keeps the whole run short.
        foreach (var batch in world.Batches.Take(20))
        {
            using var transaction = connection.BeginTransaction();
            foreach (var r in reader.Read(batch).Records)
            {
                connection.Execute(
                    "INSERT INTO record VALUES (@Time, @SeverityNumber, @service, @host, @Body, @attributes, @TraceId)",
                    new
                    {
                        r.Time,
                        r.SeverityNumber,
                        service = r.Resource.Service.ToText(),
                        host = r.Resource.Host.ToText(),
                        r.Body,
                        attributes = Value.Of(r.Attributes).ToJson(),
                        r.TraceId,
                    },
                    transaction
                );
                count++;
            }
            transaction.Commit();
        }
        var rate = count / Stopwatch.GetElapsedTime(started).TotalSeconds;
        connection.Close();
        File.Delete(path);
        return rate;
    }
}
