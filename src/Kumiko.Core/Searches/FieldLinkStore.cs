using Dapper;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Searches;

/// <summary>Where the values of fields lead outside.</summary>
public sealed class FieldLinkStore(AppDatabase database, TimeProvider clock)
{
    /// <summary>Those that a person sees: their own, and shared ones; by field.</summary>
    public IReadOnlyList<FieldLink> For(long person)
    {
        using var connection = database.Database.Read();
        return
        [
            .. connection.Query<FieldLink>(
                "SELECT l.id AS Id, l.field AS Field, l.title AS Title, l.address AS Address, l.shared AS Shared, l.author AS Author, p.name AS AuthorName FROM field_link l JOIN person p ON p.id = l.author WHERE l.shared OR l.author = @person ORDER BY l.field, l.title COLLATE NOCASE, l.id",
                new { person }
            ),
        ];
    }

    public Task<int> Keep(FieldLink link) =>
        database.Database.Writer.Write(connection =>
            connection.Execute(
                "INSERT INTO field_link (field, title, address, shared, author, created) VALUES (@Field, @Title, @Address, @Shared, @Author, @now)",
                new
                {
                    link.Field,
                    link.Title,
                    link.Address,
                    link.Shared,
                    link.Author,
                    now = Instants.FromDateTime(clock.GetUtcNow()),
                }
            )
        );

    /// <summary>Takes one of a person's own away, or with the right to, any shared one.</summary>
    public async Task<bool> Remove(long id, long person, bool mayRemoveShared) =>
        await database.Database.Writer.Write(connection =>
            connection.Execute(
                "DELETE FROM field_link WHERE id = @id AND (author = @person OR (@mayRemoveShared AND shared))",
                new
                {
                    id,
                    person,
                    mayRemoveShared,
                }
            )
        ) > 0;
}
