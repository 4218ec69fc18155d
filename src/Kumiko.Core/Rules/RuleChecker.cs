using Dapper;
using Kumiko.Core.Delivery;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Storage;
using Microsoft.Data.Sqlite;

namespace Kumiko.Core.Rules;

/// <summary>Writes the message about a turn of an alert.</summary>
public interface IAlertWriter
{
    Message Write(Rule rule, Alert alert, Turn turn, string recipient);
}

/// <summary>
/// Checks rules when they are due. What a check finds, the alert's turn and the mail about it are one transaction,
/// so a restart neither loses nor repeats; checks missed while the process was down are made up for.
/// </summary>
public sealed class RuleChecker(RuleStore rules, RecordStore records, IAlertWriter writer)
{
    /// <summary>How many missed checks of a rule are made up for.</summary>
    public const int MostMissed = 2_000;

    /// <summary>Makes all checks that are due; returns the number of rules checked.</summary>
    public async Task<int> CheckDue(long now, CancellationToken cancel)
    {
        var done = 0;
        foreach (var rule in rules.Rules().Where(r => !r.Paused && r.Due <= now))
        {
            cancel.ThrowIfCancellationRequested();
            await Check(rule, now);
            done++;
        }
        return done;
    }

    private async Task Check(Rule rule, long now)
    {
        var missed = (now - rule.Due) / rule.Interval;
        var first = rule.Due + (Math.Max(0, missed - MostMissed) * rule.Interval);
        var checks = new List<long>();
        for (var at = first; at <= now; at += rule.Interval) checks.Add(at);
        try
        {
            var values = await RuleCounts.At(rule, checks, records.Current);
            await rules.Write(connection => Save(connection, rule, checks, values));
        }
        catch (QueryRefusedException e)
        {
            await rules.Write(connection => connection.Execute(
                "UPDATE rule SET checked = @at, problem = @Message WHERE id = @Id", new { at = checks[^1], e.Message, rule.Id }));
        }
    }

    private int Save(SqliteConnection connection, Rule rule, List<long> checks, long[] values)
    {
        var highest = 0L;
        var saved = connection.Execute(
            "UPDATE rule SET checked = @at, value = @value, problem = NULL WHERE id = @Id AND removed IS NULL AND paused = 0 AND checked IS @Checked AND created = @Created",
            new { at = checks[^1], value = values[^1], rule.Id, rule.Checked, rule.Created });
        // Somebody changed the rule while it was being checked: the next check sees the new one.
        if (saved == 0) return 0;
        var open = RuleStore.OpenAlert(connection, rule.Id);
        var episode = new Episode(rule, open?.Level ?? AlertLevel.None, open?.Highest ?? 0);
        for (var i = 0; i < checks.Count; i++)
        {
            var turn = episode.Judge(checks[i], values[i]);
            highest = episode.Highest;
            if (turn is null || RuleStore.Apply(connection, rule, turn) is not { } alert) continue;
            foreach (var recipient in rule.MailTo.Split(',', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries))
                OutboxStore.Add(connection, writer.Write(rule, alert, turn, recipient));
        }
        if (episode.Level != AlertLevel.None)
            connection.Execute("UPDATE alert SET value = @value, highest = MAX(highest, @highest) WHERE rule = @Id AND ended IS NULL", new { value = values[^1], highest, rule.Id });
        return saved;
    }
}
