using Dapper;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using Kumiko.Core.Storage;
using Microsoft.Data.Sqlite;

namespace Kumiko.Core.Delivery;

/// <summary>Messages that are sent, were sent, or could not be.</summary>
public sealed class SendingStore(AppDatabase database, TimeProvider clock)
{
    private const int MostTellings = 20;
    private const int LongestAnswer = 4_000;

    /// <summary>For so long a message is tried; a result, which soon is old news, for a shorter time.</summary>
    public const long TriedFor = Instants.Day;
    public const long ResultTriedFor = 15 * Instants.Minute;

    private const string Columns =
        "d.id AS Id, d.key AS Key, d.channel AS Channel, d.recipient AS Recipient, d.kind AS Kind, d.subject AS Subject, d.payload AS Payload, d.created AS Created, d.due AS Due, d.attempts AS Attempts, d.sent AS Sent, d.given_up AS GivenUp, d.answer AS Answer, d.problem AS Problem, d.remark AS Remark, d.again_of AS AgainOf, d.person AS Person, c.name AS ChannelName, (SELECT COUNT(*) FROM delivery_item i WHERE i.delivery = d.id) AS Tellings";

    private const string Tables = "delivery d LEFT JOIN channel c ON c.id = d.channel";

    /// <summary>Messages whose time has come, in order.</summary>
    /// <param name="most">Of each channel, so that one with very many holds up no other.</param>
    public IReadOnlyList<Sending> Due(long now, int most)
    {
        using var connection = database.Database.Read();
        return
        [
            .. connection.Query<Sending>(
                $"""
                WITH due AS (SELECT id, ROW_NUMBER() OVER (PARTITION BY channel ORDER BY id) AS place FROM delivery WHERE sent IS NULL AND given_up IS NULL AND due <= @now)
                SELECT {Columns} FROM {Tables} JOIN due ON due.id = d.id WHERE due.place <= @most ORDER BY d.id
                """,
                new { now, most }
            ),
        ];
    }

    public Sending? Find(long id)
    {
        using var connection = database.Database.Read();
        return connection.QuerySingleOrDefault<Sending>($"SELECT {Columns} FROM {Tables} WHERE d.id = @id", new { id });
    }

    /// <summary>The newest messages first.</summary>
    public IReadOnlyList<Sending> All(SendingFilter filter, int most)
    {
        using var connection = database.Database.Read();
        return
        [
            .. connection.Query<Sending>(
                $"""
                SELECT {Columns} FROM {Tables}
                WHERE (@State = '' OR (@State = 'sent' AND d.sent IS NOT NULL) OR (@State = 'failed' AND d.given_up IS NOT NULL) OR (@State = 'waiting' AND d.sent IS NULL AND d.given_up IS NULL))
                  AND (@Channel IS NULL OR d.channel = @Channel)
                  AND (@Text = '' OR instr(lower(d.subject || ' ' || d.recipient), lower(@Text)) > 0)
                ORDER BY d.id DESC LIMIT @most
                """,
                new
                {
                    filter.State,
                    filter.Channel,
                    filter.Text,
                    most,
                }
            ),
        ];
    }

    /// <summary>What a message is about. One that is sent again is about what the first was.</summary>
    public SendingContent Content(Sending sending, RuleStore rules)
    {
        var of = sending.AgainOf ?? sending.Id;
        using var connection = database.Database.Read();
        var notifications = connection
            .Query<Notification>(
                $"SELECT {NotificationStore.Columns} FROM delivery_item i JOIN telling t ON t.id = i.telling WHERE i.delivery = @of ORDER BY t.level = 'critical' DESC, t.kind = 'ended', t.id LIMIT @MostTellings",
                new { of, MostTellings }
            )
            .ToList();
        var counts = connection.Query<(long Rule, string Name, string Kind, string Level, long Count, long First, long Last)>(
            "SELECT t.rule, r.name, t.kind, t.level, COUNT(*), MIN(t.at), MAX(t.at) FROM delivery_item i JOIN telling t ON t.id = i.telling JOIN rule r ON r.id = t.rule WHERE i.delivery = @of GROUP BY t.rule, t.kind, t.level ORDER BY t.level = 'critical' DESC, COUNT(*) DESC, r.name",
            new { of }
        );
        return new SendingContent(
            [
                .. notifications.Select(t => new NotificationOf(
                    t,
                    rules.FindAny(t.Rule),
                    t.Alert is { } alert ? rules.Alerts.Find(alert) : null
                )),
            ],
            [
                .. counts.Select(c => new NotificationCount(
                    c.Rule,
                    c.Name,
                    Enum.Parse<NotificationKind>(c.Kind, true),
                    Enum.Parse<AlertLevel>(c.Level, true),
                    c.Count,
                    c.First,
                    c.Last
                )),
            ]
        );
    }

    /// <summary>When messages went to where one goes, up to it.</summary>
    public IReadOnlyList<long> Recent(Sending sending, long since)
    {
        using var connection = database.Database.Read();
        return
        [
            .. connection.Query<long>(
                "SELECT created FROM delivery WHERE channel IS @Channel AND recipient = @Recipient AND kind IN ('alert', 'digest') AND created > @since AND id <= @Id",
                new
                {
                    sending.Channel,
                    sending.Recipient,
                    sending.Id,
                    since,
                }
            ),
        ];
    }

    /// <summary>Whether it is not settled yet who is told of an alert.</summary>
    public bool IsWaiting(long alert)
    {
        using var connection = database.Database.Read();
        return connection.ExecuteScalar<bool>(
            "SELECT EXISTS (SELECT 1 FROM telling WHERE alert = @alert AND planned IS NULL)",
            new { alert }
        );
    }

    /// <summary>Who was told of an alert, in order.</summary>
    public IReadOnlyList<ToldWhom> Of(long alert)
    {
        using var connection = database.Database.Read();
        return
        [
            .. connection.Query<ToldWhom>(
                """
                SELECT t.kind AS Kind, i.channel AS Channel, c.name AS ChannelName, i.recipient AS Recipient, r.name AS Route, i.since AS Since, i.hold AS Hold, i.why AS Why, i.dropped AS Dropped,
                    i.delivery AS Delivery, d.sent AS Sent, d.given_up AS GivenUp, d.problem AS Problem
                FROM telling t JOIN delivery_item i ON i.telling = t.id LEFT JOIN channel c ON c.id = i.channel LEFT JOIN route r ON r.id = i.route LEFT JOIN delivery d ON d.id = i.delivery
                WHERE t.alert = @alert ORDER BY i.id LIMIT 200
                """,
                new { alert }
            ),
        ];
    }

    /// <summary>Tellings that wait to be part of a message, by where they wait for.</summary>
    public IReadOnlyList<(string Channel, long Count, string Why)> WaitingByChannel()
    {
        using var connection = database.Database.Read();
        return
        [
            .. connection.Query<(string, long, string)>(
                "SELECT COALESCE(c.name, i.recipient), COUNT(*), MAX(i.why) FROM delivery_item i LEFT JOIN channel c ON c.id = i.channel WHERE i.delivery IS NULL AND i.dropped IS NULL GROUP BY 1 ORDER BY 1"
            ),
        ];
    }

    /// <summary>Keeps what is to be sent, so that every try sends the same.</summary>
    /// <param name="remark">What is wrong with the template; empty where nothing is.</param>
    public Task<int> Composed(long id, string subject, string payload, string remark) =>
        database.Database.Writer.Write(connection =>
            connection.Execute(
                "UPDATE delivery SET subject = @subject, payload = @payload, remark = @remark WHERE id = @id",
                new
                {
                    id,
                    subject,
                    payload,
                    remark,
                }
            )
        );

    public Task<int> Sent(long id, long at, string answer) =>
        database.Database.Writer.Write(connection =>
            connection.Execute(
                "UPDATE delivery SET sent = @at, problem = NULL, answer = @answer, attempts = attempts + 1 WHERE id = @id",
                new
                {
                    id,
                    at,
                    answer = Short(answer),
                }
            )
        );

    /// <summary>Puts a message off: 10 s after the first failure, twice as long after each, at most an hour. After a day it is
    /// given up, at once where trying again cannot help.</summary>
    public Task<int> Failed(Sending message, string problem, string answer, bool isFinal, long now)
    {
        var wait = Math.Min(Instants.Hour, 10 * Instants.Second * (1L << Math.Min(message.Attempts, 12)));
        var triedFor = message.Kind == "result" ? ResultTriedFor : TriedFor;
        var givenUp = isFinal || now + wait - message.Created > triedFor ? now : (long?)null;
        return database.Database.Writer.Write(connection =>
            connection.Execute(
                "UPDATE delivery SET attempts = attempts + 1, due = @due, problem = @problem, answer = @answer, given_up = @givenUp WHERE id = @Id",
                new
                {
                    message.Id,
                    due = now + wait,
                    problem = Short(problem),
                    answer = Short(answer),
                    givenUp,
                }
            )
        );
    }

    /// <summary>Puts off what cannot be tried now, without counting a try.</summary>
    public Task<int> PutOff(long id, long due, string problem) =>
        database.Database.Writer.Write(connection =>
            connection.Execute(
                "UPDATE delivery SET due = @due, problem = @problem WHERE id = @id",
                new
                {
                    id,
                    due,
                    problem,
                }
            )
        );

    /// <summary>Sends a message again, as it was: a new one that says which it repeats. Null where it was never
    /// composed.</summary>
    public Task<long?> Again(long id, string person) =>
        database.Database.Writer.Write(connection =>
            connection.ExecuteScalar<long?>(
                "INSERT INTO delivery (key, channel, recipient, kind, subject, payload, created, due, remark, again_of, person) SELECT @key, channel, recipient, 'again', subject, payload, @now, @now, remark, COALESCE(again_of, id), @person FROM delivery WHERE id = @id AND payload IS NOT NULL RETURNING id",
                new
                {
                    id,
                    key = NewKey(),
                    now = Now(),
                    person,
                }
            )
        );

    /// <summary>Notes a test that was sent at once.</summary>
    public Task<long> Tested(
        long channel,
        string recipient,
        string subject,
        string payload,
        string answer,
        string? problem,
        string person
    ) =>
        database.Database.Writer.Write(connection =>
            connection.ExecuteScalar<long>(
                "INSERT INTO delivery (key, channel, recipient, kind, subject, payload, created, due, attempts, sent, given_up, answer, problem, person) VALUES (@key, @channel, @recipient, 'test', @subject, @payload, @now, @now, 1, @sent, @givenUp, @answer, @problem, @person) RETURNING id",
                new
                {
                    key = NewKey(),
                    channel,
                    recipient,
                    subject,
                    payload,
                    now = Now(),
                    sent = problem is null ? Now() : (long?)null,
                    givenUp = problem is null ? null : (long?)Now(),
                    answer = Short(answer),
                    problem,
                    person,
                }
            )
        );

    /// <summary>Uses a signed link up; false where it was used before.</summary>
    public Task<bool> Use(string link) =>
        database.Database.Writer.Write(connection =>
            connection.Execute("INSERT OR IGNORE INTO link_used (link, at) VALUES (@link, @now)", new { link, now = Now() }) > 0
        );

    public bool IsUsed(string link)
    {
        using var connection = database.Database.Read();
        return connection.ExecuteScalar<long>("SELECT COUNT(*) FROM link_used WHERE link = @link", new { link }) > 0;
    }

    /// <summary>Adds a message to the running transaction.</summary>
    internal static long Add(SqliteConnection connection, long? channel, string recipient, string kind, long now) =>
        connection.ExecuteScalar<long>(
            "INSERT INTO delivery (key, channel, recipient, kind, created, due) VALUES (@key, @channel, @recipient, @kind, @now, @now) RETURNING id",
            new
            {
                key = NewKey(),
                channel,
                recipient,
                kind,
                now,
            }
        );

    private static string NewKey() => Guid.CreateVersion7().ToString("N");

    private static string Short(string text) => text.Length <= LongestAnswer ? text : text[..LongestAnswer] + "…";

    private long Now() => Instants.FromDateTime(clock.GetUtcNow());
}
