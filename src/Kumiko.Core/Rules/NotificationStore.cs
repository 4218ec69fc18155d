using System.Text.Json;
using Dapper;
using Kumiko.Core.Storage;
using Microsoft.Data.Sqlite;

namespace Kumiko.Core.Rules;

/// <summary>What one key of a rule came to at a check.</summary>
/// <param name="Value">Null where there was no figure.</param>
public sealed record CheckResult(string Key, double? Value, string Level);

/// <summary>What waits to be told.</summary>
public sealed class NotificationStore(AppDatabase database)
{
    internal const string Columns =
        "t.id AS Id, t.kind AS Kind, t.rule AS Rule, t.alert AS Alert, t.at AS At, t.level AS Level, t.value AS Value, t.compared AS Compared, t.flapping AS IsFlapping, t.text AS Text, t.planned AS Planned";

    /// <summary>Adds a turn of an alert to the running transaction.</summary>
    internal static void Add(SqliteConnection connection, Rule rule, Alert alert, AlertTransition transition) =>
        Insert(
            connection,
            transition.Kind.ToString().ToLowerInvariant(),
            rule.Id,
            alert.Id,
            transition.At,
            transition.Level,
            Finite(transition.Value),
            Finite(transition.Compared),
            transition.IsFlapping,
            transition.Reason ?? "",
            null
        );

    /// <summary>Adds that an alert was ended by hand.</summary>
    internal static void AddEnded(SqliteConnection connection, Alert alert, long at, string reason) =>
        Insert(
            connection,
            "ended",
            alert.Rule,
            alert.Id,
            at,
            alert.Level,
            alert.Value,
            alert.Compared,
            alert.IsFlapping,
            reason,
            null
        );

    /// <summary>Adds that a rule cannot be checked; once for each failure.</summary>
    internal static void AddFailed(SqliteConnection connection, Rule rule, string problem, long since) =>
        Insert(
            connection,
            "failed",
            rule.Id,
            null,
            since,
            AlertLevel.Warning,
            null,
            null,
            false,
            problem,
            FormattableString.Invariant($"failed-{rule.Id}-{since}")
        );

    /// <summary>Adds what a check found.</summary>
    internal static void AddResult(
        SqliteConnection connection,
        Rule rule,
        long at,
        AlertLevel level,
        IEnumerable<CheckResult> results
    ) => Insert(connection, "result", rule.Id, null, at, level, null, null, false, JsonSerializer.Serialize(results), null);

    /// <summary>Adds that nobody acknowledged an alert in time.</summary>
    internal static long AddEscalated(SqliteConnection connection, Alert alert, long at) =>
        Insert(
            connection,
            "escalated",
            alert.Rule,
            alert.Id,
            at,
            alert.Level,
            alert.Value,
            alert.Compared,
            alert.IsFlapping,
            "",
            null
        )!.Value;

    private static long? Insert(
        SqliteConnection connection,
        string kind,
        long rule,
        long? alert,
        long at,
        AlertLevel level,
        double? value,
        double? compared,
        bool flapping,
        string text,
        string? once
    ) =>
        connection.ExecuteScalar<long?>(
            "INSERT INTO telling (kind, rule, alert, at, level, value, compared, flapping, text, once) VALUES (@kind, @rule, @alert, @at, @level, @value, @compared, @flapping, @text, @once) ON CONFLICT DO NOTHING RETURNING id",
            new
            {
                kind,
                rule,
                alert,
                at,
                level = level.ToString().ToLowerInvariant(),
                value,
                compared,
                flapping,
                text,
                once,
            }
        );

    /// <summary>What nobody has planned yet, in order.</summary>
    public IReadOnlyList<Notification> Waiting(int most)
    {
        using var connection = database.Database.Read();
        return
        [
            .. connection.Query<Notification>(
                $"SELECT {Columns} FROM telling t WHERE t.planned IS NULL ORDER BY t.id LIMIT @most",
                new { most }
            ),
        ];
    }

    public IReadOnlyList<Notification> All()
    {
        using var connection = database.Database.Read();
        return [.. connection.Query<Notification>($"SELECT {Columns} FROM telling t ORDER BY t.id")];
    }

    private static double? Finite(double value) => double.IsFinite(value) ? value : null;
}
