using Dapper;
using Kumiko.Core.Frames;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Changes;

/// <summary>What was done to what runs here.</summary>
public sealed class ChangeStore(AppDatabase database)
{
    private const string Columns =
        "key AS Key, at AS At, kind AS Kind, what AS What, place AS Place, \"from\" AS \"From\", \"to\" AS \"To\", who AS Who, source AS Source, event_id AS EventId, event_source AS EventSource, services AS Services, hosts AS Hosts, instances AS Instances, places AS Places, roll_out AS RollOut, share AS Share";

    /// <summary>Adds a change; one with a key that is known already is left as it was.</summary>
    public Task<int> Add(Change change) =>
        database.Database.Writer.Write(connection =>
            connection.Execute(
                "INSERT INTO change (key, at, kind, what, place, \"from\", \"to\", who, source, event_id, event_source, services, hosts, instances, places, roll_out, share) VALUES (@Key, @At, @Kind, @What, @Place, @From, @To, @Who, @Source, @EventId, @EventSource, @services, @hosts, @instances, @places, @RollOut, @Share) ON CONFLICT (key) DO NOTHING",
                Parameters(change)
            )
        );

    private static DynamicParameters Parameters(Change change)
    {
        var parameters = new DynamicParameters(change);
        Add(parameters, change.Scope);
        return parameters;
    }

    private static void Add(DynamicParameters parameters, ChangeScope? scope)
    {
        parameters.Add("services", Lines(scope?.Services));
        parameters.Add("hosts", Lines(scope?.Hosts));
        parameters.Add("instances", Lines(scope?.Instances));
        parameters.Add("places", Lines(scope?.Places));
    }

    private static string? Lines(IReadOnlyList<string>? names) => names is null ? null : string.Join('\n', names);

    /// <summary>Tells of changes whose place is told in words alone what stands there.</summary>
    /// <param name="known">What runs here.</param>
    /// <returns>How many were filled.</returns>
    public async Task<int> Fill(Func<string, EntityKind?> known)
    {
        const int AtOnce = 500;
        List<(string Key, string Place)> open;
        using (var connection = database.Database.Read())
            open =
            [
                .. connection.Query<(string, string)>(
                    "SELECT key, place FROM change WHERE services IS NULL ORDER BY id LIMIT @AtOnce",
                    new { AtOnce }
                ),
            ];
        if (open.Count == 0)
            return 0;
        return await database.Database.Writer.Write(connection =>
        {
            foreach (var (key, place) in open)
            {
                var parameters = new DynamicParameters(new { key });
                Add(parameters, ChangeScope.Of(place, known));
                connection.Execute(
                    "UPDATE change SET services = @services, hosts = @hosts, instances = @instances, places = @places WHERE key = @key",
                    parameters
                );
            }
            return open.Count;
        });
    }

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
        public string? Services { get; init; }
        public string? Hosts { get; init; }
        public string? Instances { get; init; }
        public string? Places { get; init; }
        public string RollOut { get; init; } = "";
        public double? Share { get; init; }

        private static string[] Names(string? lines) => lines?.Split('\n', StringSplitOptions.RemoveEmptyEntries) ?? [];

        public Change Change() =>
            new(Key, At, What, Place, From, To, Who)
            {
                Kind = Kind,
                Source = Source,
                EventId = EventId,
                EventSource = EventSource,
                Scope = Services is null ? null : new ChangeScope(Names(Services), Names(Hosts), Names(Instances), Names(Places)),
                RollOut = RollOut,
                Share = Share,
            };
    }
}
