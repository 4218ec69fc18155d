using Dapper;
using Kumiko.Core.Frames;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Changes;

/// <summary>What was done to what runs here.</summary>
public sealed class ChangeStore(AppDatabase database)
{
    private const string Columns =
        "key AS Key, at AS At, kind AS Kind, what AS What, place AS Place, \"from\" AS \"From\", \"to\" AS \"To\", who AS Who, source AS Source, event_id AS EventId, event_source AS EventSource";

    /// <summary>Adds a change; one with a key that is known already is left as it was.</summary>
    public Task<int> Add(Change change) =>
        database.Database.Writer.Write(connection =>
            connection.Execute(
                "INSERT INTO change (key, at, kind, what, place, \"from\", \"to\", who, source, event_id, event_source) VALUES (@Key, @At, @Kind, @What, @Place, @From, @To, @Who, @Source, @EventId, @EventSource) ON CONFLICT (key) DO NOTHING",
                change
            )
        );

    /// <summary>Takes back a change that a person wrote down.</summary>
    /// <returns>Rows removed: none where it came from elsewhere.</returns>
    public Task<int> Remove(string key) =>
        database.Database.Writer.Write(connection =>
            connection.Execute("DELETE FROM change WHERE key = @key AND source = @ByPeople", new { key, Change.ByPeople })
        );

    /// <summary>The latest changes, the newest first.</summary>
    public IReadOnlyList<Change> Latest(int most)
    {
        using var connection = database.Database.Read();
        return
        [
            .. connection
                .Query<Row>($"SELECT {Columns} FROM change ORDER BY at DESC, id DESC LIMIT @most", new { most })
                .Select(r => r.Change()),
        ];
    }

    /// <summary>Changes in a window, in order of time.</summary>
    /// <param name="most">The latest of them; null for all.</param>
    public IReadOnlyList<Change> In(Window window, int? most = null)
    {
        using var connection = database.Database.Read();
        return
        [
            .. connection
                .Query<Row>(
                    $"SELECT {Columns} FROM change WHERE at >= @From AND at < @To ORDER BY at DESC, id DESC LIMIT @most",
                    new
                    {
                        window.From,
                        window.To,
                        most = most ?? -1,
                    }
                )
                .Reverse()
                .Select(r => r.Change()),
        ];
    }

    private sealed class Row
    {
        public string Key { get; init; } = "";
        public long At { get; init; }
        public string What { get; init; } = "";
        public string Place { get; init; } = "";
        public string From { get; init; } = "";
        public string To { get; init; } = "";
        public string Who { get; init; } = "";
        public string Kind { get; init; } = "";
        public string Source { get; init; } = "";
        public string EventId { get; init; } = "";
        public string EventSource { get; init; } = "";

        public Change Change() =>
            new(Key, At, What, Place, From, To, Who)
            {
                Kind = Kind,
                Source = Source,
                EventId = EventId,
                EventSource = EventSource,
            };
    }
}
