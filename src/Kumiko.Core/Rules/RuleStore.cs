using Dapper;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Microsoft.Data.Sqlite;

namespace Kumiko.Core.Rules;

/// <summary>Rules, and what their checks have come to.</summary>
public sealed class RuleStore(AppDatabase database, TimeProvider clock)
{
    private const string Columns =
        "id AS Id, name AS Name, definition AS Definition, note AS Note, runbook AS Runbook, labels AS Labels, owner AS Owner, team AS Team, follow_up AS FollowUp, mail_to AS MailTo, onward AS Onward, author AS Author, created AS Created, paused AS Paused, checked AS Checked, level AS Level, figure AS Figure, unit AS Unit, no_data AS HasNoData, outside AS IsOutside, keys AS KeyCount, left_out AS LeftOut, took AS Took, skipped AS Skipped, problem AS Problem, problem_since AS ProblemSince";

    /// <summary>What is set back when a rule begins anew.</summary>
    private const string Anew =
        "created = @now, checked = NULL, level = 'none', figure = NULL, no_data = 0, outside = 0, keys = 0, left_out = 0, took = 0, skipped = 0, problem = NULL, problem_since = NULL, state = ''";

    public AlertStore Alerts { get; } = new(database, clock);

    static RuleStore() => RuleColumns.Know();

    public IReadOnlyList<Rule> Rules()
    {
        using var connection = database.Database.Read();
        return [.. connection.Query<Rule>($"SELECT {Columns} FROM rule WHERE removed IS NULL ORDER BY name COLLATE NOCASE, id")];
    }

    public Rule? Find(long id)
    {
        using var connection = database.Database.Read();
        return connection.QuerySingleOrDefault<Rule>(
            $"SELECT {Columns} FROM rule WHERE id = @id AND removed IS NULL",
            new { id }
        );
    }

    /// <summary>A rule, even one that was removed.</summary>
    public Rule? FindAny(long id)
    {
        using var connection = database.Database.Read();
        return connection.QuerySingleOrDefault<Rule>($"SELECT {Columns} FROM rule WHERE id = @id", new { id });
    }

    /// <param name="since">Checked from then on, so that checks up to now are made up for; null for from now on.</param>
    public Task<long> Add(Rule rule, long? since = null) =>
        database.Database.Writer.Write(connection =>
            connection.ExecuteScalar<long>(
                "INSERT INTO rule (name, definition, note, runbook, labels, owner, team, follow_up, mail_to, onward, author, paused, created) VALUES (@Name, @definition, @Note, @Runbook, @Labels, @Owner, @Team, @FollowUp, @MailTo, @Onward, @Author, @Paused, @since) RETURNING id",
                Written(rule, since)
            )
        );

    /// <summary>Changes what a rule says. It counts as not checked yet; open alerts go on and are judged anew, unless its
    /// sentence is another.</summary>
    public Task<int> Change(Rule rule) =>
        database.Database.Writer.Write(connection =>
        {
            var state =
                connection.ExecuteScalar<string>("SELECT definition FROM rule WHERE id = @Id", new { rule.Id }) is { } before
                && RuleDefinition.FromJson(before) == rule.Definition
                    ? connection.ExecuteScalar<string>("SELECT state FROM rule WHERE id = @Id", new { rule.Id })
                    : null;
            // What the old sentence started, the new one must find again.
            if (state is null)
                Alerts.EndAll(connection, rule.Id, "the rule was changed");
            return connection.Execute(
                $"UPDATE rule SET name = @Name, definition = @definition, note = @Note, runbook = @Runbook, labels = @Labels, owner = @Owner, team = @Team, follow_up = @FollowUp, mail_to = @MailTo, onward = @Onward{(state is null ? ", " + Anew : "")} WHERE id = @Id",
                Written(rule, null)
            );
        });

    private object Written(Rule rule, long? since) =>
        new
        {
            rule.Id,
            rule.Name,
            definition = rule.Definition.ToJson(),
            rule.Note,
            rule.Runbook,
            rule.Labels,
            rule.Owner,
            rule.Team,
            rule.FollowUp,
            rule.MailTo,
            rule.Onward,
            rule.Author,
            rule.Paused,
            now = Now(),
            since = since ?? Now(),
        };

    /// <summary>Pauses or resumes. Pausing ends open alerts and says by whom; resuming starts with a check.</summary>
    public Task<int> Pause(long id, bool paused, string by) =>
        database.Database.Writer.Write(connection =>
        {
            if (paused)
                Alerts.EndAll(connection, id, "paused by " + by);
            return connection.Execute(
                $"UPDATE rule SET paused = @paused, {Anew} WHERE id = @id",
                new
                {
                    id,
                    paused,
                    now = Now(),
                }
            );
        });

    /// <summary>Takes a rule away, or brings it back.</summary>
    public Task<int> Remove(long id, bool removed, string by) =>
        database.Database.Writer.Write(connection =>
        {
            if (removed)
                Alerts.EndAll(connection, id, "rule removed by " + by);
            return connection.Execute(
                $"UPDATE rule SET removed = @at, {Anew} WHERE id = @id",
                new
                {
                    id,
                    at = removed ? Now() : (long?)null,
                    now = Now(),
                }
            );
        });

    /// <summary>What the checks of a rule have come to.</summary>
    internal EvaluationState StateOf(long id)
    {
        using var connection = database.Database.Read();
        return EvaluationState.FromJson(connection.ExecuteScalar<string?>("SELECT state FROM rule WHERE id = @id", new { id }));
    }

    /// <summary>The same within a transaction; null where the rule was changed, paused or removed since it was read.</summary>
    internal static EvaluationState? StateOf(SqliteConnection connection, Rule rule) =>
        connection.ExecuteScalar<string?>(
            "SELECT state FROM rule WHERE id = @Id AND removed IS NULL AND paused = 0 AND created = @Created",
            new { rule.Id, rule.Created }
        )
            is { } json
            ? EvaluationState.FromJson(json)
            : null;

    /// <summary>Writes what happened between checks.</summary>
    internal static void Happened(SqliteConnection connection, Rule rule, EvaluationState state)
    {
        var worst = state.Keys.Values.MaxBy(k => k.Level);
        connection.Execute(
            "UPDATE rule SET state = @json, level = @level, figure = @figure, keys = @keys, left_out = @LeftOut WHERE id = @Id",
            new
            {
                rule.Id,
                json = state.ToJson(),
                level = Shown(worst),
                figure = worst is { } w && double.IsFinite(w.Value) ? w.Value : (double?)null,
                keys = state.Keys.Count,
                state.LeftOut,
            }
        );
    }

    /// <summary>The keys of a rule and what they are now, worst first.</summary>
    public IReadOnlyList<KeyState> KeysOf(long id) =>
        [
            .. StateOf(id)
                .Keys.Values.OrderByDescending(k => k.Level)
                .ThenByDescending(k => k.Now)
                .ThenBy(k => k.Name, StringComparer.Ordinal),
        ];

    internal Task<T> Write<T>(Func<SqliteConnection, T> write) => database.Database.Writer.Write(write);

    /// <summary>Writes what a check came to; false where somebody changed the rule meanwhile, so that the next check sees the new
    /// one.</summary>
    internal static bool Checked(
        SqliteConnection connection,
        Rule rule,
        long at,
        EvaluationState state,
        string unit,
        long took,
        long skipped
    )
    {
        var worst = state
            .Keys.Values.OrderByDescending(k => k.Level)
            .ThenByDescending(k => k.Now)
            .ThenBy(k => k.HasNoData)
            .ThenBy(k => k.Name, StringComparer.Ordinal)
            .FirstOrDefault();
        return connection.Execute(
                "UPDATE rule SET checked = @at, level = @level, figure = @figure, unit = @unit, no_data = @noData, outside = @IsOutside, keys = @keys, left_out = @LeftOut, took = @took, skipped = skipped + @skipped, problem = NULL, problem_since = NULL, state = @json WHERE id = @Id AND removed IS NULL AND paused = 0 AND checked IS @Checked AND created = @Created",
                new
                {
                    at,
                    level = Shown(worst),
                    figure = worst is { } w && double.IsFinite(w.Value) ? w.Value : (double?)null,
                    unit,
                    noData = state.Keys.Count > 0 && state.Keys.Values.All(k => k.HasNoData),
                    state.IsOutside,
                    keys = state.Keys.Count,
                    state.LeftOut,
                    took,
                    skipped,
                    json = state.ToJson(),
                    rule.Id,
                    rule.Checked,
                    rule.Created,
                }
            ) > 0;
    }

    /// <summary>What an open alert is at present; one that is calm for a moment is still what it was.</summary>
    private static string Shown(KeyState? key)
    {
        var level = key switch
        {
            null or { Level: AlertLevel.None } => AlertLevel.None,
            { Now: AlertLevel.None } => key.Level,
            _ => key.Now,
        };
        return level.ToString().ToLowerInvariant();
    }

    /// <summary>Writes that a check could not be made; the time since when it could not.</summary>
    internal static long? Failed(SqliteConnection connection, Rule rule, long at, string problem, long took, long skipped) =>
        connection.ExecuteScalar<long?>(
            "UPDATE rule SET checked = @at, problem = @problem, problem_since = COALESCE(problem_since, @at), took = @took, skipped = skipped + @skipped WHERE id = @Id AND removed IS NULL AND paused = 0 AND checked IS @Checked AND created = @Created RETURNING problem_since",
            new
            {
                at,
                problem,
                took,
                skipped,
                rule.Id,
                rule.Checked,
                rule.Created,
            }
        );

    /// <summary>Sets a rule back that was checked in what is the future now.</summary>
    internal static int TurnBack(SqliteConnection connection, Rule rule, long now) =>
        connection.Execute(
            "UPDATE rule SET checked = @now WHERE id = @Id AND checked IS @Checked",
            new
            {
                rule.Id,
                rule.Checked,
                now,
            }
        );

    /// <summary>The sequence of the last record that was shown to rules on every record; null before the first.</summary>
    internal long? Position()
    {
        using var connection = database.Database.Read();
        return connection.ExecuteScalar<long?>("SELECT sequence FROM rule_position");
    }

    internal static void SetPosition(SqliteConnection connection, long sequence) =>
        connection.Execute(
            "INSERT INTO rule_position (id, sequence) VALUES (1, @sequence) ON CONFLICT (id) DO UPDATE SET sequence = MAX(sequence, excluded.sequence)",
            new { sequence }
        );

    /// <summary>Whole seconds, so that checks stand at times that people can read.</summary>
    private long Now() => Instants.FromDateTime(clock.GetUtcNow()) / Instants.Second * Instants.Second;
}
