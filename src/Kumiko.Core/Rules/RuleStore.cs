using Dapper;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Microsoft.Data.Sqlite;

namespace Kumiko.Core.Rules;

/// <summary>Rules, their alerts and the turns of these.</summary>
public sealed class RuleStore(KeptDatabase kept, TimeProvider clock)
{
    private const string RuleColumns =
        "id AS Id, name AS Name, query AS Query, warning AS Warning, critical AS Critical, look_back AS LookBack, interval AS Interval, mail_to AS MailTo, zone AS Zone, author AS Author, created AS Created, paused AS Paused, checked AS Checked, value AS Value, problem AS Problem";

    private const string AlertColumns =
        "id AS Id, rule AS Rule, name AS Name, query AS Query, started AS Started, level AS Level, value AS Value, highest AS Highest, ended AS Ended, ended_by AS EndedBy";

    public IReadOnlyList<Rule> Rules()
    {
        using var connection = kept.Database.Read();
        return [.. connection.Query<Rule>($"SELECT {RuleColumns} FROM rule WHERE removed IS NULL ORDER BY name, id")];
    }

    public Rule? Find(long id)
    {
        using var connection = kept.Database.Read();
        return connection.QuerySingleOrDefault<Rule>($"SELECT {RuleColumns} FROM rule WHERE id = @id AND removed IS NULL", new { id });
    }

    public Task<long> Add(Rule rule) => kept.Database.Writer.Write(connection => connection.ExecuteScalar<long>(
        "INSERT INTO rule (name, query, warning, critical, look_back, interval, mail_to, zone, author, created) VALUES (@Name, @Query, @Warning, @Critical, @LookBack, @Interval, @MailTo, @Zone, @Author, @now) RETURNING id",
        new { rule.Name, rule.Query, rule.Warning, rule.Critical, rule.LookBack, rule.Interval, rule.MailTo, rule.Zone, rule.Author, now = Now() }));

    /// <summary>Changes what a rule says. It counts as not checked yet; an open alert goes on and is judged anew.</summary>
    public Task<int> Change(Rule rule) => kept.Database.Writer.Write(connection => connection.Execute(
        "UPDATE rule SET name = @Name, query = @Query, warning = @Warning, critical = @Critical, look_back = @LookBack, interval = @Interval, mail_to = @MailTo, zone = @Zone, created = @now, checked = NULL, value = NULL, problem = NULL WHERE id = @Id",
        new { rule.Name, rule.Query, rule.Warning, rule.Critical, rule.LookBack, rule.Interval, rule.MailTo, rule.Zone, rule.Id, now = Now() }));

    /// <summary>Pauses or resumes. Pausing ends an open alert and says by whom; resuming starts with a check.</summary>
    public Task<int> Pause(long id, bool paused, string by) => kept.Database.Writer.Write(connection =>
    {
        if (paused) End(connection, id, "paused by " + by);
        return connection.Execute("UPDATE rule SET paused = @paused, checked = NULL, value = NULL, problem = NULL, created = @now WHERE id = @id", new { id, paused, now = Now() });
    });

    /// <summary>Takes a rule away, or brings it back.</summary>
    public Task<int> Remove(long id, bool removed, string by) => kept.Database.Writer.Write(connection =>
    {
        if (removed) End(connection, id, "rule removed by " + by);
        return connection.Execute("UPDATE rule SET removed = @at, checked = NULL, value = NULL, problem = NULL, created = @now WHERE id = @id", new { id, at = removed ? Now() : (long?)null, now = Now() });
    });

    private void End(SqliteConnection connection, long rule, string by)
    {
        if (OpenAlert(connection, rule) is not { } alert) return;
        connection.Execute("UPDATE alert SET ended = @now, ended_by = @by WHERE id = @Id", new { alert.Id, by, now = Now() });
        AddTurn(connection, alert.Id, new Turn(TurnKind.Ended, Now(), alert.Level, alert.Value));
    }

    internal static Alert? OpenAlert(SqliteConnection connection, long rule) =>
        connection.QuerySingleOrDefault<Alert>($"SELECT {AlertColumns} FROM alert WHERE rule = @rule AND ended IS NULL", new { rule });

    public Alert? FindAlert(long id)
    {
        using var connection = kept.Database.Read();
        return connection.QuerySingleOrDefault<Alert>($"SELECT {AlertColumns} FROM alert WHERE id = @id", new { id });
    }

    /// <summary>Alerts, open ones first, then the newest.</summary>
    public IReadOnlyList<Alert> Alerts(int most)
    {
        using var connection = kept.Database.Read();
        return [.. connection.Query<Alert>($"SELECT {AlertColumns} FROM alert ORDER BY ended IS NOT NULL, started DESC LIMIT @most", new { most })];
    }

    /// <summary>Alerts that were open at some time in a window, in order of their start.</summary>
    public IReadOnlyList<Alert> AlertsIn(Window window)
    {
        using var connection = kept.Database.Read();
        return [.. connection.Query<Alert>($"SELECT {AlertColumns} FROM alert WHERE started < @To AND (ended IS NULL OR ended >= @From) ORDER BY started LIMIT 500", new { window.From, window.To })];
    }

    public IReadOnlyList<Turn> Turns(long alert)
    {
        using var connection = kept.Database.Read();
        return [.. connection.Query<(string Kind, long At, string Level, long Value)>("SELECT kind, at, level, value FROM alert_turn WHERE alert = @alert ORDER BY id", new { alert })
            .Select(t => new Turn(Enum.Parse<TurnKind>(t.Kind, ignoreCase: true), t.At, Enum.Parse<AlertLevel>(t.Level, ignoreCase: true), t.Value))];
    }

    internal Task<T> Write<T>(Func<SqliteConnection, T> write) => kept.Database.Writer.Write(write);

    /// <summary>Writes what checks found into the running transaction; null where the rule was changed meanwhile.</summary>
    internal static Alert? Apply(SqliteConnection connection, Rule rule, Turn turn)
    {
        var level = turn.Level.ToString().ToLowerInvariant();
        var id = turn.Kind switch
        {
            TurnKind.Started => connection.ExecuteScalar<long?>(
                "INSERT INTO alert (rule, name, query, started, level, value, highest) VALUES (@Id, @Name, @Query, @At, @level, @Value, @Value) RETURNING id",
                new { rule.Id, rule.Name, rule.Query, turn.At, level, turn.Value }),
            TurnKind.Rose => connection.ExecuteScalar<long?>(
                "UPDATE alert SET level = @level, value = @Value, highest = MAX(highest, @Value) WHERE rule = @Id AND ended IS NULL RETURNING id", new { rule.Id, level, turn.Value }),
            _ => connection.ExecuteScalar<long?>(
                "UPDATE alert SET ended = @At, value = @Value WHERE rule = @Id AND ended IS NULL RETURNING id", new { rule.Id, turn.At, turn.Value }),
        };
        if (id is null) return null;
        AddTurn(connection, id.Value, turn);
        return connection.QuerySingle<Alert>($"SELECT {AlertColumns} FROM alert WHERE id = @id", new { id });
    }

    private static void AddTurn(SqliteConnection connection, long alert, Turn turn) => connection.Execute(
        "INSERT INTO alert_turn (alert, at, kind, level, value) VALUES (@alert, @At, @kind, @level, @Value)",
        new { alert, turn.At, kind = turn.Kind.ToString().ToLowerInvariant(), level = turn.Level.ToString().ToLowerInvariant(), turn.Value });

    /// <summary>Whole seconds, so that checks stand at times that people can read.</summary>
    private long Now() => Instants.FromDateTime(clock.GetUtcNow()) / Instants.Second * Instants.Second;
}
