using Dapper;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Sources;

/// <summary>The places that metrics are fetched from.</summary>
public sealed class ScrapeStore(AppDatabase database, TimeProvider clock)
{
    private long Now => Instants.FromDateTime(clock.GetUtcNow());

    /// <summary>Adds a target; one that is there already is left as it is.</summary>
    public Task<int> Add(ScrapeTarget target) =>
        database.Database.Writer.Write(c =>
            c.Execute(
                "INSERT INTO scrape_target (source, address, interval, author, created) VALUES (@Source, @Address, @Interval, @Author, @Now) ON CONFLICT DO NOTHING",
                new
                {
                    target.Source,
                    target.Address,
                    target.Interval,
                    target.Author,
                    Now,
                }
            )
        );

    public Task<int> Remove(long id) =>
        database.Database.Writer.Write(c =>
            c.Execute("UPDATE scrape_target SET removed = @Now WHERE id = @id AND removed IS NULL", new { id, Now })
        );

    /// <summary>Brings back one that was removed.</summary>
    public Task<int> Restore(long id) =>
        database.Database.Writer.Write(c =>
            c.Execute("UPDATE OR IGNORE scrape_target SET removed = NULL WHERE id = @id", new { id })
        );

    public IReadOnlyList<ScrapeTarget> All()
    {
        using var connection = database.Database.Read();
        return
        [
            .. connection
                .Query<Row>(
                    "SELECT id AS Id, source AS Source, address AS Address, interval AS Interval, author AS Author FROM scrape_target WHERE removed IS NULL ORDER BY source, address"
                )
                .Select(r => new ScrapeTarget(r.Id, r.Source, r.Address, r.Interval, r.Author)),
        ];
    }

    private sealed class Row
    {
        public long Id { get; init; }
        public string Source { get; init; } = "";
        public string Address { get; init; } = "";
        public long Interval { get; init; }
        public string Author { get; init; } = "";
    }
}
