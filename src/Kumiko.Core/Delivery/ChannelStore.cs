using System.Text.Json;
using Dapper;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Delivery;

/// <summary>Channels that people made.</summary>
public sealed class ChannelStore(AppDatabase database, TimeProvider clock)
{
    private sealed class Row
    {
        public long Id { get; init; }
        public string Name { get; init; } = "";
        public string Settings { get; init; } = "";
        public string Secret { get; init; } = "";
        public string Template { get; init; } = "";
        public string Quiet { get; init; } = "";
        public bool IsPaused { get; init; }
        public long Author { get; init; }

        public Channel Channel() =>
            new()
            {
                Id = Id,
                Name = Name,
                Settings = JsonSerializer.Deserialize<ChannelSettings>(Settings)!,
                Secret = Secret,
                Template = Template,
                Quiet = JsonSerializer.Deserialize<ChannelQuiet>(Quiet)!,
                IsPaused = IsPaused,
                Author = Author,
            };
    }

    private const string Columns =
        "id AS Id, name AS Name, settings AS Settings, secret AS Secret, template AS Template, quiet AS Quiet, paused AS IsPaused, author AS Author";

    public IReadOnlyList<Channel> All()
    {
        using var connection = database.Database.Read();
        return
        [
            .. connection
                .Query<Row>($"SELECT {Columns} FROM channel WHERE removed IS NULL ORDER BY name COLLATE NOCASE, id")
                .Select(r => r.Channel()),
        ];
    }

    public Channel? Find(long id)
    {
        using var connection = database.Database.Read();
        return connection
            .QuerySingleOrDefault<Row>($"SELECT {Columns} FROM channel WHERE id = @id AND removed IS NULL", new { id })
            ?.Channel();
    }

    public Task<long> Add(Channel channel) =>
        database.Database.Writer.Write(connection =>
            connection.ExecuteScalar<long>(
                "INSERT INTO channel (name, settings, secret, template, quiet, author, created) VALUES (@Name, @settings, @Secret, @Template, @quiet, @Author, @now) RETURNING id",
                Written(channel)
            )
        );

    public Task<int> Change(Channel channel) =>
        database.Database.Writer.Write(connection =>
            connection.Execute(
                "UPDATE channel SET name = @Name, settings = @settings, secret = @Secret, template = @Template, quiet = @quiet WHERE id = @Id",
                Written(channel)
            )
        );

    public Task<int> Pause(long id, bool paused) =>
        database.Database.Writer.Write(connection =>
            connection.Execute("UPDATE channel SET paused = @paused WHERE id = @id", new { id, paused })
        );

    /// <summary>Takes a channel away, or brings it back. What it sent stays in the history.</summary>
    public Task<int> Remove(long id, bool removed) =>
        database.Database.Writer.Write(connection =>
            connection.Execute("UPDATE channel SET removed = @at WHERE id = @id", new { id, at = removed ? Now() : (long?)null })
        );

    private object Written(Channel channel) =>
        new
        {
            channel.Id,
            channel.Name,
            settings = JsonSerializer.Serialize(channel.Settings),
            channel.Secret,
            channel.Template,
            quiet = JsonSerializer.Serialize(channel.Quiet),
            channel.Author,
            now = Now(),
        };

    private long Now() => Instants.FromDateTime(clock.GetUtcNow());
}
