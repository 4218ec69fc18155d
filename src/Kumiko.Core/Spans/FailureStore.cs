using Dapper;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Spans;

/// <summary>What counts as failed for a service.</summary>
/// <param name="Condition">As in <c>from spans</c>.</param>
/// <param name="Changed">UTC nanoseconds.</param>
public sealed record FailureRule(string Service, string Condition, string Author, long Changed);

/// <summary>Keeps what counts as failed.</summary>
public sealed class FailureStore(AppDatabase database, TimeProvider clock)
{
    private sealed class Row
    {
        public string Service { get; init; } = "";
        public string Condition { get; init; } = "";
        public string Author { get; init; } = "";
        public long Changed { get; init; }
    }

    /// <summary>By service.</summary>
    public IReadOnlyList<FailureRule> All()
    {
        using var connection = database.Database.Read();
        return
        [
            .. connection
                .Query<Row>(
                    "SELECT service AS Service, condition AS Condition, author AS Author, changed AS Changed FROM service_failure ORDER BY service"
                )
                .Select(r => new FailureRule(r.Service, r.Condition, r.Author, r.Changed)),
        ];
    }

    /// <param name="condition">Empty takes it away.</param>
    public Task<int> Set(string service, string condition, string author) =>
        database.Database.Writer.Write(connection =>
            condition.Length == 0
                ? connection.Execute("DELETE FROM service_failure WHERE service = @service", new { service })
                : connection.Execute(
                    "INSERT OR REPLACE INTO service_failure (service, condition, author, changed) VALUES (@service, @condition, @author, @now)",
                    new
                    {
                        service,
                        condition,
                        author,
                        now = Instants.FromDateTime(clock.GetUtcNow()),
                    }
                )
        );
}
