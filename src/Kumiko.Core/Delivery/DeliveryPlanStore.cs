using System.Text.Json;
using Dapper;
using Kumiko.Core.Rules;
using Kumiko.Core.Storage;
using Microsoft.Data.Sqlite;

namespace Kumiko.Core.Delivery;

/// <summary>What waits to be told to whom: items of notifications, escalations that are due, and the messages made of
/// them.</summary>
public sealed class DeliveryPlanStore(AppDatabase database)
{
    /// <summary>Plans in one transaction.</summary>
    internal Task<int> Write(Func<Plan, int> plan, CancellationToken cancel = default) =>
        database.Database.Writer.Write(connection => plan(new Plan(connection)), cancel: cancel);

    internal bool HasEscalations(long now) =>
        Any("SELECT EXISTS (SELECT 1 FROM escalation WHERE done IS NULL AND due <= @now)", now);

    internal bool HasItems(long now) =>
        Any("SELECT EXISTS (SELECT 1 FROM delivery_item WHERE delivery IS NULL AND dropped IS NULL)", now);

    private bool Any(string sql, long now)
    {
        using var connection = database.Database.Read();
        return connection.ExecuteScalar<long>(sql, new { now }) != 0;
    }

    /// <summary>Takes away what is older than some instants.</summary>
    internal Task<int> Prune(long old, long oldResults) =>
        database.Database.Writer.Write(connection =>
            connection.Execute(
                """
                CREATE TEMP TABLE old_delivery AS SELECT id FROM delivery
                  WHERE created < @old OR (kind = 'result' AND created < @oldResults);
                DELETE FROM delivery_item
                  WHERE delivery IN (SELECT id FROM old_delivery) OR (dropped IS NOT NULL AND since < @old);
                UPDATE delivery SET again_of = NULL WHERE again_of IN (SELECT id FROM old_delivery);
                DELETE FROM delivery WHERE id IN (SELECT id FROM old_delivery);
                DROP TABLE old_delivery;
                DELETE FROM telling
                  WHERE planned IS NOT NULL AND (at < @old OR (kind = 'result' AND at < @oldResults))
                    AND NOT EXISTS (SELECT 1 FROM delivery_item i WHERE i.telling = telling.id);
                DELETE FROM link_used WHERE at < @old;
                """,
                new { old, oldResults }
            )
        );

    /// <summary>One transaction of the plan.</summary>
    internal sealed class Plan(SqliteConnection connection)
    {
        /// <summary>Takes a notification to be planned; false where somebody else did.</summary>
        public bool Claim(long notification, long now) =>
            connection.Execute(
                "UPDATE telling SET planned = @now WHERE id = @notification AND planned IS NULL",
                new { notification, now }
            ) > 0;

        public Alert? Alert(long id) => AlertStore.Find(connection, id);

        public long AddDelivery(long? channel, string recipient, string kind, long now) =>
            SendingStore.Add(connection, channel, recipient, kind, now);

        /// <param name="delivery">The message that it goes with; null where it waits.</param>
        public void AddItem(
            Notification notification,
            long? channel,
            string recipient,
            string bundle,
            long? route,
            Hold hold,
            long? delivery = null
        ) =>
            connection.Execute(
                """
                INSERT INTO delivery_item (telling, channel, recipient, bundle, level, route, since, hold, quiet, why, delivery)
                VALUES (@Id, @channel, @recipient, @bundle, @level, @route, @since, @Until, @Quiet, @Why, @delivery)
                """,
                new
                {
                    notification.Id,
                    channel,
                    recipient,
                    bundle,
                    level = notification.Kind == NotificationKind.Ended
                        ? "none"
                        : notification.Level.ToString().ToLowerInvariant(),
                    route,
                    since = notification.At,
                    hold.Until,
                    hold.Quiet,
                    hold.Why,
                    delivery,
                }
            );

        /// <summary>Who was told of an alert, or waits to be, and what still holds it.</summary>
        public IReadOnlyList<ToldOf> ToldOf(long alert) =>
            connection
                .Query<(long? Channel, string Recipient, string Bundle, long? Route, long? Hold, long? Quiet, string Why)>(
                    """
                    SELECT i.channel, i.recipient, i.bundle, i.route, MAX(CASE WHEN i.delivery IS NULL THEN i.hold END),
                      MAX(CASE WHEN i.delivery IS NULL THEN i.quiet END),
                      MAX(CASE WHEN i.delivery IS NULL THEN i.why ELSE '' END)
                    FROM telling t JOIN delivery_item i ON i.telling = t.id
                    WHERE t.alert = @alert AND i.dropped IS NULL GROUP BY i.channel, i.recipient
                    """,
                    new { alert }
                )
                .Select(t => new ToldOf(t.Channel, t.Recipient, t.Bundle, t.Route, new Hold(t.Hold, t.Quiet, t.Why)))
                .ToList();

        public void AddEscalation(Escalation of, long due) =>
            connection.Execute(
                "INSERT OR IGNORE INTO escalation (alert, route, step, due) VALUES (@Alert, @Route, @Step, @due)",
                Parameters(of, due)
            );

        public IReadOnlyList<Escalation> Escalations(long now, int most) =>
            connection
                .Query<(long Alert, long Route, int Step)>(
                    """
                    SELECT alert, route, step FROM escalation WHERE done IS NULL AND due <= @now
                    ORDER BY due, alert, step LIMIT @most
                    """,
                    new { now, most }
                )
                .Select(e => new Escalation(e.Alert, e.Route, e.Step))
                .ToList();

        public void Postpone(Escalation of, long due) =>
            connection.Execute(
                "UPDATE escalation SET due = @due WHERE alert = @Alert AND route = @Route AND step = @Step",
                Parameters(of, due)
            );

        public void Done(Escalation of, long now) =>
            connection.Execute(
                "UPDATE escalation SET done = @due WHERE alert = @Alert AND route = @Route AND step = @Step",
                Parameters(of, now)
            );

        private static object Parameters(Escalation of, long due) =>
            new
            {
                of.Alert,
                of.Route,
                of.Step,
                due,
            };

        /// <summary>Adds that nobody acknowledged an alert in time, as planned.</summary>
        public long AddEscalated(Alert alert, long now)
        {
            var id = NotificationStore.AddEscalated(connection, alert, now);
            Claim(id, now);
            return id;
        }

        /// <summary>Drops what was held and is no longer worth telling, once its time is over; a quiet time that was ended
        /// early, or somebody who woke an alert, ends it at once.</summary>
        public void ReleaseHeld(long now) => connection.Execute(DropHeld, new { now });

        /// <summary>What waits and is held by nothing, by who is to be told.</summary>
        public IReadOnlyList<WaitingItems> Waiting() =>
            connection
                .Query<(long? Channel, string Recipient, string Bundle, long Since, long Critical)>(
                    """
                    SELECT channel, recipient, bundle, MIN(since), MAX(level = 'critical') FROM delivery_item
                    WHERE delivery IS NULL AND dropped IS NULL AND hold IS NULL
                    GROUP BY channel, recipient, bundle ORDER BY MIN(id)
                    """
                )
                .Select(w => new WaitingItems(w.Channel, w.Recipient, w.Bundle, w.Since, w.Critical != 0))
                .ToList();

        public void Drop(long? channel, string recipient, string why) =>
            connection.Execute(
                """
                UPDATE delivery_item SET dropped = @why WHERE channel = @channel AND recipient = @recipient
                  AND delivery IS NULL AND dropped IS NULL AND hold IS NULL
                """,
                new
                {
                    channel,
                    recipient,
                    why,
                }
            );

        /// <summary>When messages of alerts were made since an instant.</summary>
        public IReadOnlyList<long> Made(long? channel, string recipient, long since) =>
            connection
                .Query<long>(
                    """
                    SELECT created FROM delivery WHERE channel IS @channel AND recipient = @recipient
                      AND kind IN ('alert', 'digest') AND created > @since
                    """,
                    new
                    {
                        channel,
                        recipient,
                        since,
                    }
                )
                .ToList();

        /// <summary>When the last message of a bundle was made since an instant; of what is critical, the last that was.</summary>
        public long? LastMade(WaitingItems of, long since) =>
            connection.ExecuteScalar<long?>(
                """
                SELECT MAX(d.created) FROM delivery_item i JOIN delivery d ON d.id = i.delivery
                WHERE i.channel IS @Channel AND i.recipient = @Recipient AND i.bundle = @Bundle
                  AND (@IsCritical = 0 OR i.level = 'critical') AND i.delivery IS NOT NULL AND d.created > @since
                """,
                new
                {
                    of.Channel,
                    of.Recipient,
                    of.Bundle,
                    of.IsCritical,
                    since,
                }
            );

        /// <summary>Makes one message of all that waits in some bundles.</summary>
        public void Make(long? channel, string recipient, IReadOnlyList<string> bundles, long now)
        {
            const string Of = """
                WHERE channel IS @channel AND recipient = @recipient AND bundle IN (SELECT value FROM json_each(@names))
                  AND delivery IS NULL AND dropped IS NULL AND hold IS NULL
                """;
            var names = JsonSerializer.Serialize(bundles);
            var items = connection.ExecuteScalar<long>(
                "SELECT COUNT(*) FROM delivery_item " + Of,
                new
                {
                    channel,
                    recipient,
                    names,
                }
            );
            var delivery = AddDelivery(channel, recipient, items == 1 ? "alert" : "digest", now);
            connection.Execute(
                "UPDATE delivery_item SET delivery = @delivery " + Of,
                new
                {
                    delivery,
                    channel,
                    recipient,
                    names,
                }
            );
        }

        /// <summary>Says why what waits still does.</summary>
        public void Explain(long? channel, string recipient, string why) =>
            connection.Execute(
                """
                UPDATE delivery_item SET why = @why WHERE channel IS @channel AND recipient = @recipient
                  AND delivery IS NULL AND dropped IS NULL AND hold IS NULL AND why <> @why
                """,
                new
                {
                    channel,
                    recipient,
                    why,
                }
            );

        private const string DropHeld = """
            UPDATE delivery_item SET hold = @now WHERE delivery IS NULL AND dropped IS NULL AND hold > @now
              AND (EXISTS (SELECT 1 FROM quiet_time q WHERE q.id = delivery_item.quiet AND q.removed IS NOT NULL)
                OR (quiet IS NULL AND EXISTS (SELECT 1 FROM telling t JOIN alert a ON a.id = t.alert
                    WHERE t.id = delivery_item.telling AND (a.snoozed IS NULL OR a.snoozed <= @now))));
            UPDATE delivery_item SET dropped = CASE
                WHEN EXISTS (SELECT 1 FROM telling t JOIN alert a ON a.id = t.alert
                    WHERE t.id = delivery_item.telling AND a.ended IS NOT NULL) THEN 'it ended meanwhile'
                ELSE 'it was seen meanwhile' END
            WHERE delivery IS NULL AND dropped IS NULL AND hold <= @now
              AND EXISTS (SELECT 1 FROM telling t JOIN alert a ON a.id = t.alert WHERE t.id = delivery_item.telling
                  AND (a.ended IS NOT NULL OR (a.acknowledged IS NOT NULL AND t.kind <> 'ended')))
              AND NOT EXISTS (SELECT 1 FROM telling e JOIN telling t ON t.alert = e.alert
                  JOIN delivery_item i ON i.telling = t.id
                  WHERE e.id = delivery_item.telling AND e.kind = 'ended' AND i.channel IS delivery_item.channel
                    AND i.recipient = delivery_item.recipient AND i.delivery IS NOT NULL);
            UPDATE delivery_item SET hold = NULL, quiet = NULL, why = ''
            WHERE delivery IS NULL AND dropped IS NULL AND hold <= @now;
            """;
    }
}

/// <summary>What holds an item.</summary>
/// <param name="Until">Null where nothing does.</param>
/// <param name="Quiet">The quiet time that does; null for a snooze.</param>
internal readonly record struct Hold(long? Until, long? Quiet, string Why)
{
    public static readonly Hold None = new(null, null, "");
}

/// <summary>Somebody who was told of an alert, or waits to be.</summary>
internal sealed record ToldOf(long? Channel, string Recipient, string Bundle, long? Route, Hold Hold);

/// <summary>A step of a route for an alert that nobody acknowledged.</summary>
internal sealed record Escalation(long Alert, long Route, int Step);

/// <summary>What waits for one recipient in one bundle.</summary>
internal sealed record WaitingItems(long? Channel, string Recipient, string Bundle, long Since, bool IsCritical);
