using Dapper;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Rules;

/// <summary>Objectives that people keep.</summary>
public sealed class ObjectiveStore(AppDatabase database, TimeProvider clock)
{
    private const string Columns =
        "id AS Id, name AS Name, good AS Good, total AS \"All\", target AS Target, days AS Days, note AS Note, team AS Team, zone AS Zone, author AS Author, created AS Created";

    // Dapper fills records by their properties alone where there is a plain constructor.
    public IReadOnlyList<Objective> All()
    {
        using var connection = database.Database.Read();
        return
        [
            .. connection.Query<Objective>(
                $"SELECT {Columns} FROM objective WHERE removed IS NULL ORDER BY name COLLATE NOCASE, id"
            ),
        ];
    }

    public Objective? Find(long id)
    {
        using var connection = database.Database.Read();
        return connection.QuerySingleOrDefault<Objective>(
            $"SELECT {Columns} FROM objective WHERE id = @id AND removed IS NULL",
            new { id }
        );
    }

    public Task<long> Add(Objective objective) =>
        database.Database.Writer.Write(connection =>
            connection.ExecuteScalar<long>(
                "INSERT INTO objective (name, good, total, target, days, note, team, zone, author, created) VALUES (@Name, @Good, @All, @Target, @Days, @Note, @Team, @Zone, @Author, @now) RETURNING id",
                new
                {
                    objective.Name,
                    objective.Good,
                    objective.All,
                    objective.Target,
                    objective.Days,
                    objective.Note,
                    objective.Team,
                    objective.Zone,
                    objective.Author,
                    now = Now(),
                }
            )
        );

    public Task<int> Change(Objective objective) =>
        database.Database.Writer.Write(connection =>
            connection.Execute(
                "UPDATE objective SET name = @Name, good = @Good, total = @All, target = @Target, days = @Days, note = @Note, team = @Team, zone = @Zone WHERE id = @Id",
                objective
            )
        );

    public Task<int> Remove(long id, bool removed) =>
        database.Database.Writer.Write(connection =>
            connection.Execute(
                "UPDATE objective SET removed = @at WHERE id = @id",
                new { id, at = removed ? Now() : (long?)null }
            )
        );

    private long Now() => Instants.FromDateTime(clock.GetUtcNow());
}
