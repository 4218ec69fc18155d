using System.Text.Json;
using Dapper;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Microsoft.Data.Sqlite;

namespace Kumiko.Core.Delivery;

/// <summary>Routes, the calendars that they ask, and quiet times.</summary>
public sealed class RouteStore(AppDatabase database, ChannelStore channels, TimeProvider clock)
{
    /// <summary>All that decides who is told, as it is now.</summary>
    public RouteBook Book()
    {
        using var connection = database.Database.Read();
        return new RouteBook(Routes(connection), Calendars(connection), channels.All(), QuietTimes(connection));
    }

    private static IReadOnlyList<Route> Routes(SqliteConnection connection) =>
        [
            .. connection
                .Query<(long Id, string Name, string Definition, bool Paused)>(
                    "SELECT id, name, definition, paused FROM route WHERE removed IS NULL ORDER BY name COLLATE NOCASE, id"
                )
                .Select(r => new Route(r.Id, r.Name, JsonSerializer.Deserialize<RouteDefinition>(r.Definition)!, r.Paused)),
        ];

    private static IReadOnlyList<NamedCalendar> Calendars(SqliteConnection connection) =>
        [
            .. connection
                .Query<(long Id, string Name, string Definition)>(
                    "SELECT id, name, definition FROM calendar WHERE removed IS NULL ORDER BY name COLLATE NOCASE, id"
                )
                .Select(r => new NamedCalendar(r.Id, r.Name, JsonSerializer.Deserialize<DutyCalendar>(r.Definition)!)),
        ];

    private static IReadOnlyList<QuietTime> QuietTimes(SqliteConnection connection) =>
        [
            .. connection
                .Query<(long Id, string Definition, string Person, long Created)>(
                    "SELECT id, definition, person, created FROM quiet_time WHERE removed IS NULL ORDER BY id DESC"
                )
                .Select(r => new QuietTime(
                    r.Id,
                    JsonSerializer.Deserialize<QuietDefinition>(r.Definition)!,
                    r.Person,
                    r.Created
                )),
        ];

    public Task<long> AddRoute(string name, RouteDefinition definition) =>
        Write<long>(
            "INSERT INTO route (name, definition) VALUES (@name, @json) RETURNING id",
            new { name, json = JsonSerializer.Serialize(definition) }
        );

    public Task<long> ChangeRoute(long id, string name, RouteDefinition definition) =>
        Write<long>(
            "UPDATE route SET name = @name, definition = @json WHERE id = @id RETURNING id",
            new
            {
                id,
                name,
                json = JsonSerializer.Serialize(definition),
            }
        );

    public Task<long> PauseRoute(long id, bool paused) =>
        Write<long>("UPDATE route SET paused = @paused WHERE id = @id RETURNING id", new { id, paused });

    public Task<long> RemoveRoute(long id, bool removed) => Remove("route", id, removed);

    public Task<long> AddCalendar(string name, DutyCalendar calendar) =>
        Write<long>(
            "INSERT INTO calendar (name, definition) VALUES (@name, @json) RETURNING id",
            new { name, json = JsonSerializer.Serialize(calendar) }
        );

    public Task<long> ChangeCalendar(long id, string name, DutyCalendar calendar) =>
        Write<long>(
            "UPDATE calendar SET name = @name, definition = @json WHERE id = @id RETURNING id",
            new
            {
                id,
                name,
                json = JsonSerializer.Serialize(calendar),
            }
        );

    public Task<long> RemoveCalendar(long id, bool removed) => Remove("calendar", id, removed);

    public Task<long> AddQuiet(QuietDefinition definition, string person) =>
        Write<long>(
            "INSERT INTO quiet_time (definition, person, created) VALUES (@json, @person, @now) RETURNING id",
            new
            {
                json = JsonSerializer.Serialize(definition),
                person,
                now = Now(),
            }
        );

    public Task<long> RemoveQuiet(long id, bool removed) => Remove("quiet_time", id, removed);

    // The table's name is one of those above.
    private Task<long> Remove(string table, long id, bool removed) =>
        Write<long>(
            $"UPDATE {table} SET removed = @at WHERE id = @id RETURNING id",
            new { id, at = removed ? Now() : (long?)null }
        );

    private Task<T> Write<T>(string sql, object values) =>
        database.Database.Writer.Write(connection => connection.ExecuteScalar<T>(sql, values)!);

    private long Now() => Instants.FromDateTime(clock.GetUtcNow());
}
