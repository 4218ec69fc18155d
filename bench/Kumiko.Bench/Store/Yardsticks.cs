using System.Diagnostics;
using System.Globalization;
using System.Text;
using Dapper;
using DuckDB.NET.Data;
using Kumiko.Core.Intake;
using Kumiko.Core.Records;
using Microsoft.Data.Sqlite;

namespace Kumiko.Bench.Store;

/// <summary>The same records as text for ripgrep, as a table of DuckDB, and as rows with FTS5: what the store's answers are
/// compared with.</summary>
internal sealed class Yardsticks : IDisposable
{
    /// <summary>Rows with FTS5 take long to make, so there are fewer, and their times are scaled.</summary>
    private const int MostRows = 500_000;

    private readonly string _text;
    private readonly DuckDBConnection _duck;
    private readonly SqliteConnection _rows;
    private readonly double _scale;

    private Yardsticks(string text, DuckDBConnection duck, SqliteConnection rows, double scale) =>
        (_text, _duck, _rows, _scale) = (text, duck, rows, scale);

    public long TextBytes => new FileInfo(_text).Length;

    /// <summary>Those that an earlier run made and kept.</summary>
    public static Yardsticks Kept(string folder, long records)
    {
        var duck = new DuckDBConnection("Data Source=" + Path.Combine(folder, "records.duck"));
        duck.Open();
        duck.Execute("SET threads = 2");
        var rows = new SqliteConnection("Data Source=" + Path.Combine(folder, "rows.db") + ";Pooling=False");
        rows.Open();
        rows.Execute("PRAGMA cache_size = -262144");
        return new Yardsticks(Path.Combine(folder, "records.log"), duck, rows, records / (double)Math.Min(records, MostRows));
    }

    public static Yardsticks Make(string folder, FerryLog log, long records)
    {
        var text = Path.Combine(folder, "records.log");
        var duck = new DuckDBConnection("Data Source=" + Path.Combine(folder, "records.duck"));
        duck.Open();
        duck.Execute("SET threads = 2");
        duck.Execute(
            "CREATE TABLE record (time TIMESTAMP_NS, level UTINYINT, service VARCHAR, host VARCHAR, body VARCHAR, terminal VARCHAR, wait_ms BIGINT, trace VARCHAR, span VARCHAR)"
        );
        var rows = new SqliteConnection("Data Source=" + Path.Combine(folder, "rows.db") + ";Pooling=False");
        rows.Open();
        rows.Execute(
            """
            PRAGMA journal_mode = WAL; PRAGMA cache_size = -262144;
            CREATE TABLE record (id INTEGER PRIMARY KEY, time INTEGER, severity INTEGER, body TEXT);
            CREATE VIRTUAL TABLE words USING fts5 (body, content = 'record', content_rowid = 'id');
            """
        );
        var reader = new Lines();
        using (var file = new StreamWriter(text, false, new UTF8Encoding(false), 1 << 20))
        using (var appender = duck.CreateAppender("record"))
        using (var transaction = rows.BeginTransaction())
        {
            var count = 0L;
            foreach (var (lines, _) in log.Batches(records))
            foreach (var r in reader.Read(lines).Records.Take((int)Math.Min(int.MaxValue, records - count)))
            {
                var (terminal, wait) = (r.Attributes.Get("terminal").ToText(), r.Attributes.Get("wait_ms").AsLong);
                file.Write(
                    string.Create(
                        CultureInfo.InvariantCulture,
                        $"{Instants.Format(r.Time)} {Severity.Name(r.SeverityNumber)} {r.Resource.Service.ToText()} {r.Resource.Host.ToText()} {r.Body} terminal={terminal} wait_ms={wait}{(r.TraceId is null ? "" : $" {r.TraceId} {r.SpanId}")}\n"
                    )
                );
                appender
                    .CreateRow()
                    .AppendValue(Instants.ToDateTime(r.Time).UtcDateTime)
                    .AppendValue((byte)r.SeverityNumber)
                    .AppendValue(r.Resource.Service.ToText())
                    .AppendValue(r.Resource.Host.ToText())
                    .AppendValue(r.Body)
                    .AppendValue(terminal)
                    .AppendValue(wait)
                    .AppendValue(r.TraceId)
                    .AppendValue(r.SpanId)
                    .EndRow();
                if (count++ >= MostRows)
                    continue;
                rows.Execute(
                    "INSERT INTO record VALUES (@count, @Time, @SeverityNumber, @Body)",
                    new
                    {
                        count,
                        r.Time,
                        r.SeverityNumber,
                        r.Body,
                    },
                    transaction
                );
            }
            transaction.Commit();
        }
        rows.Execute("INSERT INTO words (words) VALUES ('rebuild')");
        duck.Execute("CHECKPOINT");
        return new Yardsticks(text, duck, rows, records / (double)Math.Min(records, MostRows));
    }

    /// <summary>Milliseconds of ripgrep with these arguments, and the number of lines it counts.</summary>
    public async Task<(double Milliseconds, long Count)> Text(params string[] arguments)
    {
        var count = 0L;
        var times = await Repeated.Milliseconds(5, async () =>
        {
            using var process = Process.Start(
                new ProcessStartInfo("rg", ["-c", "--no-config", .. arguments, _text]) { RedirectStandardOutput = true }
            )!;
            var told = await process.StandardOutput.ReadToEndAsync();
            await process.WaitForExitAsync();
            count = told.Length == 0 ? 0 : long.Parse(told, CultureInfo.InvariantCulture);
        });
        return (times.Median, count);
    }

    /// <summary>Milliseconds of a DuckDB query, and the sum of a column of its answer.</summary>
    public async Task<(double Milliseconds, double Sum)> Table(string sql)
    {
        var sum = 0.0;
        var times = await Repeated.Milliseconds(5, () =>
        {
            using var command = _duck.CreateCommand();
            command.CommandText = sql;
            using var reader = command.ExecuteReader();
            sum = 0;
            while (reader.Read())
                sum += Convert.ToDouble(reader.GetValue(reader.FieldCount - 1), CultureInfo.InvariantCulture);
            return Task.CompletedTask;
        });
        return (times.Median, sum);
    }

    /// <summary>Milliseconds of a query of the rows with FTS5, scaled to all records.</summary>
    public async Task<double> Rows(string sql) => (await Repeated.Milliseconds(3, () =>
            {
                _rows.Query(sql).AsList();
                return Task.CompletedTask;
            })).Median * _scale;

    public void Dispose()
    {
        _duck.Dispose();
        _rows.Dispose();
    }
}
