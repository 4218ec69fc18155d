using System.Text.Json;
using Dapper;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Microsoft.Data.Sqlite;

namespace Kumiko.Core.Rules;

/// <summary>Alerts, their turns, and what people do with them.</summary>
public sealed class AlertStore(AppDatabase database, TimeProvider clock)
{
    private const int MostIn = 500;

    private const string Columns =
        "a.id AS Id, a.rule AS Rule, a.name AS Name, a.key AS Key, a.keys AS Keys, a.definition AS Definition, a.unit AS Unit, a.started AS Started, a.level AS Level, a.value AS Value, a.compared AS Compared, a.worst AS Worst, a.flapping AS IsFlapping, a.ended AS Ended, a.ended_by AS EndedBy, a.acknowledged AS Acknowledged, a.acknowledger AS Acknowledger, a.snoozed AS Snoozed, a.brief AS Brief, r.labels AS Labels, p.name AS Owner, r.team AS Team";

    private const string Tables = "alert a JOIN rule r ON r.id = a.rule LEFT JOIN person p ON p.id = r.owner";

    static AlertStore() => RuleColumns.Know();

    private static IReadOnlyList<Alert> Read(SqliteConnection connection, string where, object values) =>
        [.. connection.Query<Alert>($"SELECT {Columns} FROM {Tables} {where}", values)];

    public Alert? Find(long id)
    {
        using var connection = database.Database.Read();
        return Read(connection, "WHERE a.id = @id", new { id }).FirstOrDefault();
    }

    internal static Alert? Find(SqliteConnection connection, long id) =>
        Read(connection, "WHERE a.id = @id", new { id }).FirstOrDefault();

    /// <summary>Alerts, open ones first, then the newest.</summary>
    public IReadOnlyList<Alert> All(int most)
    {
        using var connection = database.Database.Read();
        return Read(connection, "ORDER BY a.ended IS NOT NULL, a.started DESC, a.id LIMIT @most", new { most });
    }

    public int CountOpen()
    {
        using var connection = database.Database.Read();
        return connection.ExecuteScalar<int>("SELECT COUNT(*) FROM alert WHERE ended IS NULL");
    }

    /// <summary>Alerts of one rule, the newest first.</summary>
    public IReadOnlyList<Alert> Of(long rule, int most)
    {
        using var connection = database.Database.Read();
        return Read(connection, "WHERE a.rule = @rule ORDER BY a.started DESC, a.id LIMIT @most", new { rule, most });
    }

    /// <summary>Alerts that were open at some time in a window, in order of their start.</summary>
    public IReadOnlyList<Alert> In(Window window)
    {
        using var connection = database.Database.Read();
        return Read(
            connection,
            "WHERE a.started < @To AND (a.ended IS NULL OR a.ended >= @From) ORDER BY a.started, a.id LIMIT @MostIn",
            new
            {
                window.From,
                window.To,
                MostIn,
            }
        );
    }

    /// <summary>How many alerts were open at some time in a window.</summary>
    public int CountIn(Window window)
    {
        using var connection = database.Database.Read();
        return connection.ExecuteScalar<int>(
            "SELECT COUNT(*) FROM alert WHERE started < @To AND (ended IS NULL OR ended >= @From)",
            new { window.From, window.To }
        );
    }

    /// <summary>When alerts of some rules started in a window.</summary>
    internal IReadOnlyList<RuleStart> Starts(IEnumerable<long> rules, Window window)
    {
        using var connection = database.Database.Read();
        return
        [
            .. connection
                .Query<(long Rule, long Started, string Key, string Keys)>(
                    "SELECT rule, started, key, keys FROM alert WHERE rule IN @rules AND started >= @From AND started < @To ORDER BY started, id",
                    new
                    {
                        rules,
                        window.From,
                        window.To,
                    }
                )
                .Select(s => new RuleStart(s.Rule, s.Started, s.Key, JsonSerializer.Deserialize<string[]>(s.Keys) ?? [])),
        ];
    }

    /// <summary>What became of an alert and what people did, in order.</summary>
    public IReadOnlyList<AlertEvent> Events(long alert)
    {
        using var connection = database.Database.Read();
        return
        [
            .. connection.Query<AlertEvent>(
                "SELECT kind AS Kind, at AS At, level AS Level, value AS Value, person AS Person, text AS Text FROM alert_turn WHERE alert = @alert ORDER BY id",
                new { alert }
            ),
        ];
    }

    internal static IReadOnlyList<Alert> OpenOf(SqliteConnection connection, long rule) =>
        Read(connection, "WHERE a.rule = @rule AND a.ended IS NULL", new { rule });

    /// <summary>Writes a turn into the running transaction; null where there is no such alert any more.</summary>
    internal static Alert? Apply(SqliteConnection connection, Rule rule, AlertTransition transition, string unit)
    {
        var level = transition.Level.ToString().ToLowerInvariant();
        var values = new
        {
            rule.Id,
            rule.Name,
            key = transition.Name,
            keys = JsonSerializer.Serialize(transition.Keys),
            definition = rule.Definition.ToJson(),
            unit,
            transition.At,
            level,
            value = Finite(transition.Value),
            compared = Finite(transition.Compared),
            worst = Finite(transition.Worst),
            transition.IsFlapping,
            transition.Reason,
        };
        var id = transition.Kind switch
        {
            TransitionKind.Started => connection.ExecuteScalar<long?>(
                "INSERT INTO alert (rule, name, key, keys, definition, unit, started, level, value, compared, worst, flapping) VALUES (@Id, @Name, @key, @keys, @definition, @unit, @At, @level, @value, @compared, @value, @IsFlapping) ON CONFLICT DO NOTHING RETURNING id",
                values
            ),
            TransitionKind.Rose => connection.ExecuteScalar<long?>(
                "UPDATE alert SET level = @level, value = @value, compared = @compared, worst = COALESCE(@worst, worst) WHERE rule = @Id AND key = @key AND ended IS NULL RETURNING id",
                values
            ),
            _ => connection.ExecuteScalar<long?>(
                "UPDATE alert SET ended = @At, ended_by = @Reason, value = @value, worst = COALESCE(@worst, worst) WHERE rule = @Id AND key = @key AND ended IS NULL RETURNING id",
                values
            ),
        };
        if (id is null)
            return null;
        Note(
            connection,
            id.Value,
            transition.At,
            transition.Kind.ToString().ToLowerInvariant(),
            level,
            Finite(transition.Value),
            "",
            transition.Reason ?? (transition.IsFlapping ? "comes and goes; kept open until it is quiet for a while" : "")
        );
        return Read(connection, "WHERE a.id = @id", new { id }).First();
    }

    /// <summary>The figures of an open alert after a check.</summary>
    internal static void Update(SqliteConnection connection, long rule, KeyState key) =>
        connection.Execute(
            "UPDATE alert SET value = @value, compared = @compared, worst = @worst, flapping = @IsFlapping WHERE rule = @rule AND key = @Name AND ended IS NULL",
            new
            {
                rule,
                key.Name,
                value = Finite(key.Value),
                compared = Finite(key.Compared),
                worst = Finite(key.Worst),
                key.IsFlapping,
            }
        );

    private static double? Finite(double value) => double.IsFinite(value) ? value : null;

    private static void Note(
        SqliteConnection connection,
        long alert,
        long at,
        string kind,
        string level,
        double? value,
        string person,
        string text
    ) =>
        connection.Execute(
            "INSERT INTO alert_turn (alert, at, kind, level, value, person, text) VALUES (@alert, @at, @kind, @level, @value, @person, @text)",
            new
            {
                alert,
                at,
                kind,
                level,
                value,
                person,
                text,
            }
        );

    /// <summary>Ends all open alerts of a rule within a transaction.</summary>
    internal void EndAll(SqliteConnection connection, long rule, string by)
    {
        foreach (var alert in OpenOf(connection, rule))
            End(connection, alert, by, "ended", "", by);
    }

    private void End(SqliteConnection connection, Alert alert, string by, string kind, string person, string text)
    {
        connection.Execute(
            "UPDATE alert SET ended = @now, ended_by = @by WHERE id = @Id",
            new
            {
                alert.Id,
                by,
                now = Now(),
            }
        );
        Note(connection, alert.Id, Now(), kind, alert.Level.ToString().ToLowerInvariant(), alert.Value, person, text);
        NotificationStore.AddEnded(connection, alert, Now(), text.Length > 0 && text != by ? $"{by}: {text}" : by);
    }

    /// <summary>Says that a person has seen it; false where it has ended or somebody was before.</summary>
    public Task<bool> Acknowledge(long id, string person) =>
        Change(
            id,
            person,
            "acknowledged",
            "",
            "UPDATE alert SET acknowledged = @now, acknowledger = @person WHERE id = @id AND ended IS NULL AND acknowledged IS NULL",
            0
        );

    /// <summary>Nobody is told of it until then.</summary>
    public Task<bool> Snooze(long id, string person, long until) =>
        Change(id, person, "snoozed", "", "UPDATE alert SET snoozed = @until WHERE id = @id AND ended IS NULL", until);

    /// <summary>People are told of it again.</summary>
    public Task<bool> Wake(long id, string person) =>
        Change(
            id,
            person,
            "woken",
            "",
            "UPDATE alert SET snoozed = NULL WHERE id = @id AND ended IS NULL AND snoozed IS NOT NULL",
            0
        );

    /// <summary>Adds what a person has to say of it.</summary>
    public Task<bool> Remark(long id, string person, string text) =>
        Change(id, person, "note", text, "UPDATE alert SET name = name WHERE id = @id", 0);

    private Task<bool> Change(long id, string person, string kind, string text, string sql, long until) =>
        database.Database.Writer.Write(connection =>
        {
            if (
                connection.Execute(
                    sql,
                    new
                    {
                        id,
                        person,
                        now = Now(),
                        until,
                    }
                ) == 0
            )
                return false;
            var level = connection.ExecuteScalar<string>("SELECT level FROM alert WHERE id = @id", new { id });
            Note(
                connection,
                id,
                Now(),
                kind,
                level ?? "",
                null,
                person,
                kind == "snoozed" ? until.ToString(System.Globalization.CultureInfo.InvariantCulture) : text
            );
            return true;
        });

    /// <summary>Ends it by hand, with a reason. It does not begin anew before its condition was false.</summary>
    public Task<bool> Resolve(long id, string person, string reason) =>
        database.Database.Writer.Write(connection =>
        {
            if (Read(connection, "WHERE a.id = @id AND a.ended IS NULL", new { id }).FirstOrDefault() is not { } alert)
                return false;
            End(connection, alert, "resolved by " + person, "resolved", person, reason);
            return true;
        });

    /// <summary>Keeps a brief, once: as it was first.</summary>
    public Task<int> Briefed(long id, Briefs.Brief brief) =>
        database.Database.Writer.Write(connection =>
            connection.Execute(
                "UPDATE alert SET brief = @json WHERE id = @id AND brief IS NULL",
                new { id, json = brief.ToJson() }
            )
        );

    private long Now() => Instants.FromDateTime(clock.GetUtcNow()) / Instants.Second * Instants.Second;
}
