using Dapper;
using Kumiko.Core.Accounts;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Searches;

/// <summary>Kept searches, what each person asked lately, and frozen answers.</summary>
public sealed class SearchStore(AppDatabase database, TimeProvider clock)
{
    /// <summary>So many questions of a person are remembered.</summary>
    public const int MostAsked = 200;

    private const string KeptColumns =
        "s.id AS Id, s.kind AS Kind, s.name AS Name, s.note AS Note, s.tags AS Tags, s.address AS Address, s.query AS Query, s.shared AS Shared, s.author AS Author, p.name AS AuthorName, s.created AS Created, s.changed AS Changed";

    private const string KeptFrom = "FROM kept_search s JOIN person p ON p.id = s.author";

    /// <summary>The searches that a person may see: their own, and shared ones. Their own first, then by name.</summary>
    /// <param name="kind">Of one kind alone; null for all.</param>
    public IReadOnlyList<KeptSearch> Kept(long person, string? kind = null)
    {
        using var connection = database.Database.Read();
        return
        [
            .. connection.Query<KeptSearch>(
                $"SELECT {KeptColumns} {KeptFrom} WHERE s.removed IS NULL AND (s.shared OR s.author = @person) AND (@kind IS NULL OR s.kind = @kind) ORDER BY s.author <> @person, s.name COLLATE NOCASE, s.id",
                new { person, kind }
            ),
        ];
    }

    /// <summary>One of them; null where it does not exist or is not theirs to see.</summary>
    public KeptSearch? FindKept(long id, long person)
    {
        using var connection = database.Database.Read();
        return connection.QuerySingleOrDefault<KeptSearch>(
            $"SELECT {KeptColumns} {KeptFrom} WHERE s.id = @id AND s.removed IS NULL AND (s.shared OR s.author = @person)",
            new { id, person }
        );
    }

    public Task<long> Keep(KeptSearch search) =>
        database.Database.Writer.Write(connection =>
            connection.ExecuteScalar<long>(
                "INSERT INTO kept_search (kind, name, note, tags, address, query, shared, author, created, changed) VALUES (@Kind, @Name, @Note, @Tags, @Address, @Query, @Shared, @Author, @now, @now) RETURNING id",
                new
                {
                    search.Kind,
                    search.Name,
                    search.Note,
                    search.Tags,
                    search.Address,
                    search.Query,
                    search.Shared,
                    search.Author,
                    now = Now(),
                }
            )
        );

    /// <summary>Changes one of a person's own searches; false where it is not theirs.</summary>
    public async Task<bool> Change(KeptSearch search) =>
        await database.Database.Writer.Write(connection =>
            connection.Execute(
                "UPDATE kept_search SET name = @Name, note = @Note, tags = @Tags, address = @Address, query = @Query, shared = @Shared, changed = @now WHERE id = @Id AND author = @Author AND removed IS NULL",
                new
                {
                    search.Name,
                    search.Note,
                    search.Tags,
                    search.Address,
                    search.Query,
                    search.Shared,
                    search.Id,
                    search.Author,
                    now = Now(),
                }
            )
        ) > 0;

    /// <summary>Takes a person's own search away, or brings it back; false where it is not theirs.</summary>
    public async Task<bool> Remove(long id, bool removed, long person) =>
        await database.Database.Writer.Write(connection =>
            connection.Execute(
                "UPDATE kept_search SET removed = @at WHERE id = @id AND author = @person",
                new
                {
                    id,
                    person,
                    at = removed ? Now() : (long?)null,
                }
            )
        ) > 0;

    /// <summary>Remembers a question; one asked again moves to the front. The oldest are forgotten.</summary>
    public Task<int> Remember(long person, string query, string address) =>
        database.Database.Writer.Write(connection =>
        {
            connection.Execute(
                "INSERT INTO asked_search (person, query, address, asked) VALUES (@person, @query, @address, @now) ON CONFLICT (person, query) DO UPDATE SET address = @address, asked = @now, times = times + 1",
                new
                {
                    person,
                    query,
                    address,
                    now = Now(),
                }
            );
            return connection.Execute(
                "DELETE FROM asked_search WHERE person = @person AND id NOT IN (SELECT id FROM asked_search WHERE person = @person ORDER BY asked DESC, id DESC LIMIT @MostAsked)",
                new { person, MostAsked }
            );
        });

    /// <summary>What a person asked, the latest first.</summary>
    public IReadOnlyList<AskedSearch> Asked(long person)
    {
        using var connection = database.Database.Read();
        return
        [
            .. connection.Query<AskedSearch>(
                "SELECT id AS Id, query AS Query, address AS Address, asked AS Asked, times AS Times FROM asked_search WHERE person = @person ORDER BY asked DESC, id DESC",
                new { person }
            ),
        ];
    }

    public Task<int> Forget(long person) =>
        database.Database.Writer.Write(connection =>
            connection.Execute("DELETE FROM asked_search WHERE person = @person", new { person })
        );

    /// <param name="content">The rows as they are to be read back.</param>
    /// <returns>Its id: who has the link can read it.</returns>
    public async Task<string> Freeze(FrozenResult result, byte[] content)
    {
        var id = Secrets.New()[..22];
        await database.Database.Writer.Write(connection =>
            connection.Execute(
                "INSERT INTO frozen_result (id, kind, title, address, words, rows, more, content, author, created) VALUES (@id, @Kind, @Title, @Address, @Words, @Rows, @More, @content, @Author, @now)",
                new
                {
                    id,
                    result.Kind,
                    result.Title,
                    result.Address,
                    result.Words,
                    result.Rows,
                    result.More,
                    content,
                    result.Author,
                    now = Now(),
                }
            )
        );
        return id;
    }

    private const string FrozenColumns =
        "f.id AS Id, f.kind AS Kind, f.title AS Title, f.address AS Address, f.words AS Words, f.rows AS Rows, f.more AS More, f.author AS Author, p.name AS AuthorName, f.created AS Created";

    public (FrozenResult Result, byte[] Content)? FindFrozen(string id)
    {
        using var connection = database.Database.Read();
        var result = connection.QuerySingleOrDefault<FrozenResult>(
            $"SELECT {FrozenColumns} FROM frozen_result f JOIN person p ON p.id = f.author WHERE f.id = @id AND f.removed IS NULL",
            new { id }
        );
        return result is null
            ? null
            : (result, connection.ExecuteScalar<byte[]>("SELECT content FROM frozen_result WHERE id = @id", new { id })!);
    }

    /// <summary>A person's own frozen results, the latest first.</summary>
    public IReadOnlyList<FrozenResult> Frozen(long person)
    {
        using var connection = database.Database.Read();
        return
        [
            .. connection.Query<FrozenResult>(
                $"SELECT {FrozenColumns} FROM frozen_result f JOIN person p ON p.id = f.author WHERE f.author = @person AND f.removed IS NULL ORDER BY f.created DESC",
                new { person }
            ),
        ];
    }

    public async Task<bool> RemoveFrozen(string id, bool removed, long person) =>
        await database.Database.Writer.Write(connection =>
            connection.Execute(
                "UPDATE frozen_result SET removed = @at WHERE id = @id AND author = @person",
                new
                {
                    id,
                    person,
                    at = removed ? Now() : (long?)null,
                }
            )
        ) > 0;

    private long Now() => Instants.FromDateTime(clock.GetUtcNow());
}
