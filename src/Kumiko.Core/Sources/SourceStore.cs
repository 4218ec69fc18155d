using Dapper;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Sources;

/// <summary>Keeps what is counted of sources.</summary>
internal sealed class SourceStore(AppDatabase database)
{
    public IReadOnlyList<SourceCounts> All()
    {
        using var connection = database.Database.Read();
        return
        [
            .. connection.Query<SourceCounts>(
                """
                SELECT name AS Name, first_seen AS FirstSeen, last_seen AS LastSeen, newest AS Newest, records AS Records,
                  samples AS Samples, spans AS Spans, changes AS Changes, refused AS Refused, protocol AS Protocol,
                  recognised AS Recognised
                FROM source
                """
            ),
        ];
    }

    public Task Save(IReadOnlyList<SourceState> changed) =>
        database.Database.Writer.Write(connection =>
            connection.Execute(
                """
                INSERT OR REPLACE INTO source (name, first_seen, last_seen, newest, records, samples, spans, changes, refused,
                  protocol, recognised)
                VALUES (@Name, @FirstSeen, @LastSeen, @Newest, @Records, @Samples, @Spans, @Changes, @Refused, @Protocol,
                  @Recognised)
                """,
                changed.Select(s => new
                {
                    s.Name,
                    s.FirstSeen,
                    s.LastSeen,
                    s.Newest,
                    s.Records,
                    s.Samples,
                    s.Spans,
                    s.Changes,
                    s.Refused,
                    s.Protocol,
                    s.Recognised,
                })
            )
        );
}
