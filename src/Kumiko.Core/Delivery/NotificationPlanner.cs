using System.Text.Json;
using Dapper;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using Kumiko.Core.Rules.Briefs;
using Kumiko.Core.Storage;
using Microsoft.Data.Sqlite;

namespace Kumiko.Core.Delivery;

/// <summary>Takes the results of checks that are to become samples.</summary>
public interface IResultSink
{
    Task Write(Rule rule, Notification result, CancellationToken cancel);
}

/// <summary>
/// Settles who is told of what waits: routes, escalation, quiet times, and which tellings share a message. Each step is one
/// transaction, so a restart neither loses nor repeats.
/// </summary>
public sealed class NotificationPlanner(
    AppDatabase database,
    NotificationStore notifications,
    RuleStore rules,
    RouteStore routes,
    BriefReader briefs,
    IResultSink results,
    TimeProvider clock
)
{
    private const int AtOnce = 500;

    /// <summary>So many briefs are computed in a minute; in a flood the others are computed when somebody looks.</summary>
    public const int MostBriefs = 30;

    /// <summary>So long messages wait for briefs; those of further alerts come behind them.</summary>
    private static readonly TimeSpan BriefsFirst = TimeSpan.FromSeconds(2);

    private const long KeptFor = 90 * Instants.Day;
    private const long ResultsKeptFor = Instants.Day;

    private readonly Queue<long> _briefs = new();
    private long _pruned;
    private long _released;

    /// <summary>Plans what waits, escalates, and makes messages of what may go now; returns how many messages it made.</summary>
    public async Task<int> TellWaiting(CancellationToken cancel)
    {
        var planned = 0;
        for (var more = AtOnce; more == AtOnce; planned += more)
        {
            cancel.ThrowIfCancellationRequested();
            more = await PlanWaiting(cancel);
        }
        planned += await Escalate();
        // What waits for a limit or a quiet time is looked at now and then; what is new at once.
        if (planned == 0 && Now() - _released is >= 0 and < Instants.Second)
            return 0;
        _released = Now();
        var made = await Release();
        if (Now() - _pruned > Instants.Hour)
            await Prune();
        return made;
    }

    private async Task<int> PlanWaiting(CancellationToken cancel)
    {
        var waiting = notifications.Waiting(AtOnce);
        if (waiting.Count == 0)
            return 0;
        var book = routes.Book();
        var known = new Dictionary<long, Rule?>();
        Rule? RuleOf(long id) => known.TryGetValue(id, out var rule) ? rule : known[id] = rules.FindAny(id);
        var began = clock.GetTimestamp();
        var late = new List<Notification>();
        foreach (var notification in waiting)
        {
            if (notification.Kind == NotificationKind.Started && clock.GetElapsedTime(began) > BriefsFirst)
                late.Add(notification);
            else if (notification.Kind == NotificationKind.Started)
                await BriefOf(notification, RuleOf(notification.Rule), cancel);
            if (notification.Kind == NotificationKind.Result && RuleOf(notification.Rule) is { IsMetric: true } rule)
                await Sample(rule, notification, cancel);
        }
        await database.Database.Writer.Write(
            connection =>
            {
                foreach (var notification in waiting)
                {
                    // Once, even where two look at the same time.
                    if (
                        connection.Execute(
                            "UPDATE telling SET planned = @now WHERE id = @Id AND planned IS NULL",
                            new { notification.Id, now = Now() }
                        ) > 0
                    )
                        Plan(connection, notification, RuleOf(notification.Rule), book);
                }
                return waiting.Count;
            },
            cancel: cancel
        );
        if (late.Count > 0)
            await Release();
        foreach (var notification in late)
            await BriefOf(notification, RuleOf(notification.Rule), cancel);
        return waiting.Count;
    }

    /// <summary>The brief of an alert that starts, before anybody is told of it.</summary>
    private async Task BriefOf(Notification notification, Rule? rule, CancellationToken cancel)
    {
        var now = Now();
        while (_briefs.TryPeek(out var first) && first <= now - Instants.Minute)
            _briefs.Dequeue();
        if (_briefs.Count >= MostBriefs || notification.Alert is not { } id || rules.Alerts.Find(id) is not { Brief: null } alert)
            return;
        _briefs.Enqueue(now);
        try
        {
            await rules.Alerts.Briefed(
                id,
                await briefs.Read(
                    alert,
                    rule,
                    new AlertEvent { Level = notification.Level.ToString().ToLowerInvariant(), Value = notification.Value },
                    cancel
                )
            );
        }
        // People are told without it rather than not at all; who opens the alert has it computed.
        catch (Exception) when (!cancel.IsCancellationRequested) { }
    }

    private async Task Sample(Rule rule, Notification result, CancellationToken cancel)
    {
        try
        {
            await results.Write(rule, result, cancel);
        }
        // A full disk costs a sample, and not what others are to be told.
        catch (Exception) when (!cancel.IsCancellationRequested) { }
    }

    private void Plan(SqliteConnection connection, Notification notification, Rule? rule, RouteBook book)
    {
        if (rule is null)
            return;
        if (notification.Kind == NotificationKind.Result)
        {
            foreach (var channel in book.Among(rule.OnwardChannels))
            foreach (var recipient in channel.Settings.Recipients)
                Item(
                    connection,
                    notification,
                    channel.Id,
                    recipient,
                    "",
                    null,
                    Pause.None,
                    SendingStore.Add(connection, channel.Id, recipient, "result", Now())
                );
            return;
        }
        var alert = notification.Alert is { } id ? AlertStore.Find(connection, id) : null;
        if (notification.Alert is not null && alert is null)
            return;
        var facts = alert is null ? AlertFacts.Of(rule, notification.Level) : AlertFacts.Of(alert, notification.Level);
        var pause = PauseOf(facts, alert, book);
        if (notification.Kind == NotificationKind.Ended)
        {
            End(connection, notification, alert!, book, pause);
            return;
        }
        var hits = book.For(facts, Now());
        var told = new HashSet<(long?, string)>();
        foreach (var address in rule.Recipients)
            if (told.Add((null, address.ToLowerInvariant())))
                Item(connection, notification, null, address, BundleOf(facts, rule, ChannelQuiet.Default), null, pause);
        foreach (var hit in hits)
        {
            foreach (var channel in hit.Channels)
                Add(connection, notification, channel, hit.Route.Id, facts, rule, pause, told);
            if (notification.Kind != NotificationKind.Started || alert is null)
                continue;
            for (var step = 0; step < hit.Route.Definition.Steps.Count; step++)
                connection.Execute(
                    "INSERT OR IGNORE INTO escalation (alert, route, step, due) VALUES (@Id, @route, @step, @due)",
                    new
                    {
                        alert.Id,
                        route = hit.Route.Id,
                        step,
                        due = Math.Max(Now(), pause.Until ?? 0) + hit.Route.Definition.Steps[step].After,
                    }
                );
        }
    }

    /// <param name="told">Who is told already: mail addresses, whatever leads to them, and recipients of other channels.</param>
    private static void Add(
        SqliteConnection connection,
        Notification notification,
        Channel channel,
        long route,
        AlertFacts facts,
        Rule rule,
        Pause pause,
        HashSet<(long?, string)> told
    )
    {
        foreach (var recipient in channel.Settings.Recipients)
            if (told.Add((channel.Settings is MailSettings ? null : channel.Id, recipient.ToLowerInvariant())))
                Item(connection, notification, channel.Id, recipient, BundleOf(facts, rule, channel.Quiet), route, pause);
    }

    /// <summary>The end goes to those who were told of the alert, or wait to be.</summary>
    private static void End(SqliteConnection connection, Notification notification, Alert alert, RouteBook book, Pause pause)
    {
        var before = connection
            .Query<(long? Channel, string Recipient, string Bundle, long? Route, long? Hold, long? Quiet, string Why)>(
                "SELECT i.channel, i.recipient, i.bundle, i.route, MAX(CASE WHEN i.delivery IS NULL THEN i.hold END), MAX(CASE WHEN i.delivery IS NULL THEN i.quiet END), MAX(CASE WHEN i.delivery IS NULL THEN i.why ELSE '' END) FROM telling t JOIN delivery_item i ON i.telling = t.id WHERE t.alert = @Id AND i.dropped IS NULL GROUP BY i.channel, i.recipient",
                new { alert.Id }
            )
            .ToList();
        foreach (var to in before)
        {
            if (to.Route is { } route && book.Route(route) is { Definition.TellsEnd: false })
                continue;
            // What it ends is held still: they go, or stay away, together.
            Item(
                connection,
                notification,
                to.Channel,
                to.Recipient,
                to.Bundle,
                to.Route,
                to.Hold is { } earlier && !(pause.Until > earlier) ? new Pause(earlier, to.Quiet, to.Why) : pause
            );
        }
    }

    /// <summary>Until when nobody is told, and why.</summary>
    private Pause PauseOf(AlertFacts facts, Alert? alert, RouteBook book)
    {
        var now = Now();
        var pause = book.QuietFor(facts, now) is { } quiet
            ? new Pause(quiet.Until, quiet.Quiet.Id, $"quiet: {quiet.Quiet.Definition.Reason}")
            : Pause.None;
        return alert?.Snoozed is { } snoozed && snoozed > now && !(pause.Until > snoozed)
            ? new Pause(snoozed, null, "snoozed")
            : pause;
    }

    /// <param name="Until">Null where nothing holds it.</param>
    /// <param name="Quiet">The quiet time that does; null for a snooze.</param>
    private readonly record struct Pause(long? Until, long? Quiet, string Why)
    {
        public static readonly Pause None = new(null, null, "");
    }

    private static void Item(
        SqliteConnection connection,
        Notification notification,
        long? channel,
        string recipient,
        string bundle,
        long? route,
        Pause pause,
        long? delivery = null
    ) =>
        connection.Execute(
            "INSERT INTO delivery_item (telling, channel, recipient, bundle, level, route, since, hold, quiet, why, delivery) VALUES (@Id, @channel, @recipient, @bundle, @level, @route, @since, @Until, @Quiet, @Why, @delivery)",
            new
            {
                notification.Id,
                channel,
                recipient,
                bundle,
                level = notification.Kind == NotificationKind.Ended ? "none" : notification.Level.ToString().ToLowerInvariant(),
                route,
                since = notification.At,
                pause.Until,
                pause.Quiet,
                pause.Why,
                delivery,
            }
        );

    private static string BundleOf(AlertFacts facts, Rule rule, ChannelQuiet quiet) =>
        quiet.By switch
        {
            Bundling.Rule => FormattableString.Invariant($"rule {rule.Id}"),
            Bundling.Label => "label " + (facts.Labels.Count > 0 ? facts.Labels[0] : ""),
            Bundling.Team => "team " + facts.Team,
            _ => "all",
        };

    /// <summary>Tells the next ones of alerts that nobody acknowledged.</summary>
    private async Task<int> Escalate()
    {
        var now = Now();
        using (var connection = database.Database.Read())
            if (
                connection.ExecuteScalar<long>(
                    "SELECT EXISTS (SELECT 1 FROM escalation WHERE done IS NULL AND due <= @now)",
                    new { now }
                ) == 0
            )
                return 0;
        var book = routes.Book();
        return await database.Database.Writer.Write(
            (Func<SqliteConnection, int>)(
                connection =>
                {
                    var escalated = 0;
                    foreach (
                        var (id, routeId, step) in connection
                            .Query<(long Alert, long Route, int Step)>(
                                "SELECT alert, route, step FROM escalation WHERE done IS NULL AND due <= @now ORDER BY due, alert, step LIMIT @AtOnce",
                                new { now, AtOnce }
                            )
                            .ToList()
                    )
                    {
                        var alert = AlertStore.Find(connection, id);
                        if (
                            alert is { IsOpen: true, Acknowledged: null }
                            && book.Route(routeId) is { IsPaused: false } route
                            && step < route.Definition.Steps.Count
                            && rules.FindAny(alert.Rule) is { } rule
                        )
                        {
                            var facts = AlertFacts.Of(alert, alert.Level);
                            if (PauseOf(facts, alert, book).Until is { } until)
                            {
                                connection.Execute(
                                    "UPDATE escalation SET due = @until WHERE alert = @id AND route = @routeId AND step = @step",
                                    new
                                    {
                                        id,
                                        routeId,
                                        step,
                                        until,
                                    }
                                );
                                continue;
                            }
                            var notification = new Notification
                            {
                                Id = NotificationStore.AddEscalated(connection, alert, now),
                                Kind = NotificationKind.Escalated,
                                Rule = rule.Id,
                                Alert = id,
                                At = now,
                                Level = alert.Level,
                            };
                            connection.Execute("UPDATE telling SET planned = @now WHERE id = @Id", new { notification.Id, now });
                            var told = new HashSet<(long?, string)>();
                            foreach (var channel in book.Among(route.Definition.Steps[step].Channels))
                                Add(connection, notification, channel, routeId, facts, rule, Pause.None, told);
                        }
                        connection.Execute(
                            "UPDATE escalation SET done = @now WHERE alert = @id AND route = @routeId AND step = @step",
                            new
                            {
                                now,
                                id,
                                routeId,
                                step,
                            }
                        );
                        escalated++;
                    }
                    return escalated;
                }
            )
        );
    }

    /// <summary>What was held and is no longer worth telling, once its time is over; a quiet time that was ended early, or
    /// somebody who woke an alert, ends it at once.</summary>
    private const string DropHeld = """
        UPDATE delivery_item SET hold = @now WHERE delivery IS NULL AND dropped IS NULL AND hold > @now
          AND (EXISTS (SELECT 1 FROM quiet_time q WHERE q.id = delivery_item.quiet AND q.removed IS NOT NULL)
            OR (quiet IS NULL AND EXISTS (SELECT 1 FROM telling t JOIN alert a ON a.id = t.alert WHERE t.id = delivery_item.telling AND (a.snoozed IS NULL OR a.snoozed <= @now))));
        UPDATE delivery_item SET dropped = CASE WHEN EXISTS (SELECT 1 FROM telling t JOIN alert a ON a.id = t.alert WHERE t.id = delivery_item.telling AND a.ended IS NOT NULL) THEN 'it ended meanwhile' ELSE 'it was seen meanwhile' END
        WHERE delivery IS NULL AND dropped IS NULL AND hold <= @now
          AND EXISTS (SELECT 1 FROM telling t JOIN alert a ON a.id = t.alert WHERE t.id = delivery_item.telling AND (a.ended IS NOT NULL OR (a.acknowledged IS NOT NULL AND t.kind <> 'ended')))
          AND NOT EXISTS (SELECT 1 FROM telling e JOIN telling t ON t.alert = e.alert JOIN delivery_item i ON i.telling = t.id
              WHERE e.id = delivery_item.telling AND e.kind = 'ended' AND i.channel IS delivery_item.channel AND i.recipient = delivery_item.recipient AND i.delivery IS NOT NULL);
        UPDATE delivery_item SET hold = NULL, quiet = NULL, why = '' WHERE delivery IS NULL AND dropped IS NULL AND hold <= @now;
        """;

    private sealed record Waiting(long? Channel, string Recipient, string Bundle, long Since, bool IsCritical);

    /// <summary>Makes messages of what waits, as far as the channels' limits let them.</summary>
    private async Task<int> Release()
    {
        var now = Now();
        using (var connection = database.Database.Read())
            if (
                connection.ExecuteScalar<long>(
                    "SELECT EXISTS (SELECT 1 FROM delivery_item WHERE delivery IS NULL AND dropped IS NULL)",
                    new { now }
                ) == 0
            )
                return 0;
        var book = routes.Book();
        return await database.Database.Writer.Write(connection =>
        {
            connection.Execute(DropHeld, new { now });
            var waiting = connection
                .Query<(long? Channel, string Recipient, string Bundle, long Since, long Critical)>(
                    "SELECT channel, recipient, bundle, MIN(since), MAX(level = 'critical') FROM delivery_item WHERE delivery IS NULL AND dropped IS NULL AND hold IS NULL GROUP BY channel, recipient, bundle ORDER BY MIN(id)"
                )
                .Select(w => new Waiting(w.Channel, w.Recipient, w.Bundle, w.Since, w.Critical != 0))
                .ToList();
            var made = 0;
            foreach (var target in waiting.GroupBy(w => (w.Channel, w.Recipient)))
            {
                var (channel, recipient) = target.Key;
                var of = book.Channel(channel);
                if (channel is not null && of is null or { IsPaused: true })
                {
                    connection.Execute(
                        "UPDATE delivery_item SET dropped = @why WHERE channel = @channel AND recipient = @recipient AND delivery IS NULL AND dropped IS NULL AND hold IS NULL",
                        new
                        {
                            channel,
                            recipient,
                            why = of is null ? "the channel was removed" : "the channel is paused",
                        }
                    );
                    continue;
                }
                made += Release(connection, of?.Quiet ?? ChannelQuiet.Default, channel, recipient, [.. target], now);
            }
            return made;
        });
    }

    private static int Release(
        SqliteConnection connection,
        ChannelQuiet quiet,
        long? channel,
        string recipient,
        List<Waiting> waiting,
        long now
    )
    {
        var recent = connection
            .Query<long>(
                "SELECT created FROM delivery WHERE channel IS @channel AND recipient = @recipient AND kind IN ('alert', 'digest') AND created > @since",
                new
                {
                    channel,
                    recipient,
                    since = now - quiet.Per,
                }
            )
            .ToList();
        // What turns critical does not wait behind the warning that was told before it.
        var bundles = waiting.ConvertAll(w => new WaitingBundle(
            w.Bundle,
            w.Since,
            quiet.Gather == 0
                ? null
                : connection.ExecuteScalar<long?>(
                    "SELECT MAX(d.created) FROM delivery_item i JOIN delivery d ON d.id = i.delivery WHERE i.channel IS @channel AND i.recipient = @recipient AND i.bundle = @Bundle AND (@IsCritical = 0 OR i.level = 'critical') AND i.delivery IS NOT NULL AND d.created > @since",
                    new
                    {
                        channel,
                        recipient,
                        w.Bundle,
                        w.IsCritical,
                        since = now - quiet.Gather,
                    }
                ),
            w.IsCritical
        ));
        var messages = QuietPlan.Decide(quiet, recent, bundles, now);
        foreach (var message in messages)
        {
            var names = JsonSerializer.Serialize(message);
            var items = connection.ExecuteScalar<long>(
                "SELECT COUNT(*) FROM delivery_item WHERE channel IS @channel AND recipient = @recipient AND bundle IN (SELECT value FROM json_each(@names)) AND delivery IS NULL AND dropped IS NULL AND hold IS NULL",
                new
                {
                    channel,
                    recipient,
                    names,
                }
            );
            var delivery = SendingStore.Add(connection, channel, recipient, items == 1 ? "alert" : "digest", now);
            connection.Execute(
                "UPDATE delivery_item SET delivery = @delivery WHERE channel IS @channel AND recipient = @recipient AND bundle IN (SELECT value FROM json_each(@names)) AND delivery IS NULL AND dropped IS NULL AND hold IS NULL",
                new
                {
                    delivery,
                    channel,
                    recipient,
                    names,
                }
            );
        }
        var sent = recent.Concat(messages.Select(_ => now)).ToList();
        var full = QuietPlan.FullUntil(quiet, sent, now);
        connection.Execute(
            "UPDATE delivery_item SET why = @why WHERE channel IS @channel AND recipient = @recipient AND delivery IS NULL AND dropped IS NULL AND hold IS NULL AND why <> @why",
            new
            {
                channel,
                recipient,
                why = full switch
                {
                    _ when quiet.Digest > 0 => "waits for the digest",
                    not null => "the channel's limit is reached",
                    null => "gathered with what follows the first message",
                },
            }
        );
        return messages.Count;
    }

    /// <summary>Takes away what is old.</summary>
    private async Task Prune()
    {
        var now = _pruned = Now();
        await database.Database.Writer.Write(connection =>
            connection.Execute(
                """
                CREATE TEMP TABLE old_delivery AS SELECT id FROM delivery WHERE created < @old OR (kind = 'result' AND created < @oldResults);
                DELETE FROM delivery_item WHERE delivery IN (SELECT id FROM old_delivery) OR (dropped IS NOT NULL AND since < @old);
                UPDATE delivery SET again_of = NULL WHERE again_of IN (SELECT id FROM old_delivery);
                DELETE FROM delivery WHERE id IN (SELECT id FROM old_delivery);
                DROP TABLE old_delivery;
                DELETE FROM telling WHERE planned IS NOT NULL AND (at < @old OR (kind = 'result' AND at < @oldResults)) AND NOT EXISTS (SELECT 1 FROM delivery_item i WHERE i.telling = telling.id);
                DELETE FROM link_used WHERE at < @old;
                """,
                new { old = now - KeptFor, oldResults = now - ResultsKeptFor }
            )
        );
    }

    private long Now() => Instants.FromDateTime(clock.GetUtcNow());
}
