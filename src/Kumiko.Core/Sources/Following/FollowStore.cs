using Dapper;
using Kumiko.Core.Intake.Formats;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Sources.Following;

/// <summary>Which files are to be followed.</summary>
public sealed class FollowStore(AppDatabase database, TimeProvider clock)
{
    private long Now => Instants.FromDateTime(clock.GetUtcNow());

    public IReadOnlyList<FollowWish> All()
    {
        using var connection = database.Database.Read();
        return
        [
            .. connection
                .Query<Row>(
                    """
                    SELECT id AS Id, path AS Path, source AS Source, settings AS Settings, author AS Author, created AS Created
                    FROM follow WHERE removed IS NULL ORDER BY path
                    """
                )
                .Select(r => new FollowWish(r.Id, r.Path, r.Source, FormatSettings.FromJson(r.Settings), r.Author, r.Created)),
        ];
    }

    public FollowWish? Find(long id) => All().FirstOrDefault(f => f.Id == id);

    /// <summary>Adds one; the path of one that was removed goes on where it was.</summary>
    /// <returns>Its id; 0 where the path is followed already.</returns>
    public Task<long> Add(FollowWish wish) =>
        database.Database.Writer.Write(c =>
        {
            var before = c.ExecuteScalar<long?>(
                "SELECT id FROM follow WHERE path = @Path AND source = @Source AND removed IS NOT NULL ORDER BY id DESC LIMIT 1",
                wish
            );
            var settings = wish.Settings?.ToJson() ?? "";
            if (c.ExecuteScalar<long>("SELECT COUNT(*) FROM follow WHERE path = @Path AND removed IS NULL", wish) > 0)
                return 0;
            if (before is { } id)
            {
                c.Execute("UPDATE follow SET removed = NULL, settings = @settings WHERE id = @id", new { id, settings });
                return id;
            }
            return c.ExecuteScalar<long>(
                """
                INSERT INTO follow (path, source, settings, author, created)
                VALUES (@Path, @Source, @settings, @Author, @Now) RETURNING id
                """,
                new
                {
                    wish.Path,
                    wish.Source,
                    settings,
                    wish.Author,
                    Now,
                }
            );
        });

    public Task<int> Remove(long id) =>
        database.Database.Writer.Write(c =>
            c.Execute("UPDATE follow SET removed = @Now WHERE id = @id AND removed IS NULL", new { id, Now })
        );

    /// <summary>Says how its files are read from now on.</summary>
    public Task Save(long id, FormatSettings settings) =>
        database.Database.Writer.Write(c =>
            c.Execute("UPDATE follow SET settings = @json WHERE id = @id", new { id, json = settings.ToJson() })
        );

    private sealed class Row
    {
        public long Id { get; init; }
        public string Path { get; init; } = "";
        public string Source { get; init; } = "";
        public string Settings { get; init; } = "";
        public string Author { get; init; } = "";
        public long Created { get; init; }
    }
}
