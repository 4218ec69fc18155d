using Dapper;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Microsoft.Data.Sqlite;

namespace Kumiko.Core.Delivery;

/// <summary>A mail that waits to be sent.</summary>
/// <param name="Key">Tells it from every other, for ever: the same cause never makes two.</param>
public sealed record Message(string Key, string Recipient, string Subject, string Text, string Html, long Created);

/// <summary>A message with its place in the outbox.</summary>
public sealed class Waiting
{
    public long Id { get; init; }
    public string Key { get; init; } = "";
    public string Recipient { get; init; } = "";
    public string Subject { get; init; } = "";
    public string Text { get; init; } = "";
    public string Html { get; init; } = "";
    public long Created { get; init; }
    public int Attempts { get; init; }
    public long? Sent { get; init; }
    public string? Problem { get; init; }
}

/// <summary>Effects outside, written in the transaction of their cause and done afterwards, again and again until they work.</summary>
public sealed class OutboxStore(KeptDatabase kept)
{
    private const string Columns =
        "id AS Id, key AS Key, recipient AS Recipient, subject AS Subject, text AS Text, html AS Html, created AS Created, attempts AS Attempts, sent AS Sent, problem AS Problem";

    /// <summary>Adds a message to the running transaction.</summary>
    public static void Add(SqliteConnection connection, Message message) => connection.Execute(
        "INSERT OR IGNORE INTO outbox (key, recipient, subject, text, html, created, due) VALUES (@Key, @Recipient, @Subject, @Text, @Html, @Created, @Created)", message);

    public IReadOnlyList<Waiting> Due(long now, int most)
    {
        using var connection = kept.Database.Read();
        return [.. connection.Query<Waiting>($"SELECT {Columns} FROM outbox WHERE sent IS NULL AND due <= @now ORDER BY id LIMIT @most", new { now, most })];
    }

    public IReadOnlyList<Waiting> All()
    {
        using var connection = kept.Database.Read();
        return [.. connection.Query<Waiting>($"SELECT {Columns} FROM outbox ORDER BY id")];
    }

    public Task<int> Sent(long id, long at) => kept.Database.Writer.Write(connection =>
        connection.Execute("UPDATE outbox SET sent = @at, problem = NULL, attempts = attempts + 1 WHERE id = @id", new { id, at }));

    /// <summary>Puts a message off: 10 s after the first failure, twice as long after each, at most an hour.</summary>
    public Task<int> Failed(Waiting message, string problem, long now)
    {
        var wait = Math.Min(Instants.Hour, 10 * Instants.Second * (1L << Math.Min(message.Attempts, 12)));
        return kept.Database.Writer.Write(connection => connection.Execute(
            "UPDATE outbox SET attempts = attempts + 1, due = @due, problem = @problem WHERE id = @Id", new { message.Id, due = now + wait, problem }));
    }
}
