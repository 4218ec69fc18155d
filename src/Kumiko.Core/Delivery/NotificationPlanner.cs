using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using Kumiko.Core.Rules.Briefs;

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
    DeliveryPlanStore plans,
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
        await plans.Write(
            plan =>
            {
                // Once, even where two look at the same time.
                foreach (var notification in waiting)
                    if (plan.Claim(notification.Id, Now()))
                        Plan(plan, notification, RuleOf(notification.Rule), book);
                return waiting.Count;
            },
            cancel
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

    private void Plan(DeliveryPlanStore.Plan plan, Notification notification, Rule? rule, RouteBook book)
    {
        if (rule is null)
            return;
        if (notification.Kind == NotificationKind.Result)
        {
            foreach (var channel in book.Among(rule.OnwardChannels))
            foreach (var recipient in channel.Settings.Recipients)
            {
                var delivery = plan.AddDelivery(channel.Id, recipient, "result", Now());
                plan.AddItem(notification, channel.Id, recipient, "", null, Hold.None, delivery);
            }
            return;
        }
        var alert = notification.Alert is { } id ? plan.Alert(id) : null;
        if (notification.Alert is not null && alert is null)
            return;
        var facts = alert is null ? AlertFacts.Of(rule, notification.Level) : AlertFacts.Of(alert, notification.Level);
        var hold = HoldOf(facts, alert, book);
        if (notification.Kind == NotificationKind.Ended)
        {
            End(plan, notification, alert!, book, hold);
            return;
        }
        var hits = book.For(facts, Now());
        var told = new HashSet<(long?, string)>();
        foreach (var address in rule.Recipients)
            if (told.Add((null, address.ToLowerInvariant())))
                plan.AddItem(notification, null, address, BundleOf(facts, rule, ChannelQuiet.Default), null, hold);
        foreach (var hit in hits)
        {
            foreach (var channel in hit.Channels)
                Add(plan, notification, channel, hit.Route.Id, facts, rule, hold, told);
            if (notification.Kind != NotificationKind.Started || alert is null)
                continue;
            var steps = hit.Route.Definition.Steps;
            for (var step = 0; step < steps.Count; step++)
                plan.AddEscalation(
                    new Escalation(alert.Id, hit.Route.Id, step),
                    Math.Max(Now(), hold.Until ?? 0) + steps[step].After
                );
        }
    }

    /// <param name="told">Who is told already: mail addresses, whatever leads to them, and recipients of other channels.</param>
    private static void Add(
        DeliveryPlanStore.Plan plan,
        Notification notification,
        Channel channel,
        long route,
        AlertFacts facts,
        Rule rule,
        Hold hold,
        HashSet<(long?, string)> told
    )
    {
        foreach (var recipient in channel.Settings.Recipients)
            if (told.Add((channel.Settings is MailSettings ? null : channel.Id, recipient.ToLowerInvariant())))
                plan.AddItem(notification, channel.Id, recipient, BundleOf(facts, rule, channel.Quiet), route, hold);
    }

    /// <summary>The end goes to those who were told of the alert, or wait to be.</summary>
    private static void End(DeliveryPlanStore.Plan plan, Notification notification, Alert alert, RouteBook book, Hold hold)
    {
        foreach (var to in plan.ToldOf(alert.Id))
        {
            if (to.Route is { } route && book.Route(route) is { Definition.TellsEnd: false })
                continue;
            // What it ends is held still: they go, or stay away, together.
            var of = to.Hold.Until is { } earlier && !(hold.Until > earlier) ? to.Hold : hold;
            plan.AddItem(notification, to.Channel, to.Recipient, to.Bundle, to.Route, of);
        }
    }

    /// <summary>Until when nobody is told, and why.</summary>
    private Hold HoldOf(AlertFacts facts, Alert? alert, RouteBook book)
    {
        var now = Now();
        var hold = book.QuietFor(facts, now) is { } quiet
            ? new Hold(quiet.Until, quiet.Quiet.Id, $"quiet: {quiet.Quiet.Definition.Reason}")
            : Hold.None;
        return alert?.Snoozed is { } snoozed && snoozed > now && !(hold.Until > snoozed)
            ? new Hold(snoozed, null, "snoozed")
            : hold;
    }

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
        if (!plans.HasEscalations(now))
            return 0;
        var book = routes.Book();
        return await plans.Write(plan => plan.Escalations(now, AtOnce).Count(due => Escalate(plan, due, book, now)));
    }

    /// <returns>False where it has to wait.</returns>
    private bool Escalate(DeliveryPlanStore.Plan plan, Escalation due, RouteBook book, long now)
    {
        if (
            plan.Alert(due.Alert) is { IsOpen: true, Acknowledged: null } alert
            && book.Route(due.Route) is { IsPaused: false } route
            && due.Step < route.Definition.Steps.Count
            && rules.FindAny(alert.Rule) is { } rule
        )
        {
            var facts = AlertFacts.Of(alert, alert.Level);
            if (HoldOf(facts, alert, book).Until is { } until)
            {
                plan.Postpone(due, until);
                return false;
            }
            var notification = new Notification
            {
                Id = plan.AddEscalated(alert, now),
                Kind = NotificationKind.Escalated,
                Rule = rule.Id,
                Alert = due.Alert,
                At = now,
                Level = alert.Level,
            };
            var told = new HashSet<(long?, string)>();
            foreach (var channel in book.Among(route.Definition.Steps[due.Step].Channels))
                Add(plan, notification, channel, due.Route, facts, rule, Hold.None, told);
        }
        plan.Done(due, now);
        return true;
    }

    /// <summary>Makes messages of what waits, as far as the channels' limits let them.</summary>
    private async Task<int> Release()
    {
        var now = Now();
        if (!plans.HasItems(now))
            return 0;
        var book = routes.Book();
        return await plans.Write(plan =>
        {
            plan.ReleaseHeld(now);
            var made = 0;
            foreach (var target in plan.Waiting().GroupBy(w => (w.Channel, w.Recipient)))
            {
                var (channel, recipient) = target.Key;
                var of = book.Channel(channel);
                if (channel is not null && of is null or { IsPaused: true })
                    plan.Drop(channel, recipient, of is null ? "the channel was removed" : "the channel is paused");
                else
                    made += Release(plan, of?.Quiet ?? ChannelQuiet.Default, channel, recipient, [.. target], now);
            }
            return made;
        });
    }

    private static int Release(
        DeliveryPlanStore.Plan plan,
        ChannelQuiet quiet,
        long? channel,
        string recipient,
        List<WaitingItems> waiting,
        long now
    )
    {
        var recent = plan.Made(channel, recipient, now - quiet.Per);
        // What turns critical does not wait behind the warning that was told before it.
        var bundles = waiting.ConvertAll(w => new WaitingBundle(
            w.Bundle,
            w.Since,
            quiet.Gather == 0 ? null : plan.LastMade(w, now - quiet.Gather),
            w.IsCritical
        ));
        var messages = QuietPlan.Decide(quiet, recent, bundles, now);
        foreach (var message in messages)
            plan.Make(channel, recipient, message, now);
        var full = QuietPlan.FullUntil(quiet, recent.Concat(messages.Select(_ => now)).ToList(), now);
        var why = full is null ? "gathered with what follows the first message" : "the channel's limit is reached";
        plan.Explain(channel, recipient, quiet.Digest > 0 ? "waits for the digest" : why);
        return messages.Count;
    }

    /// <summary>Takes away what is old.</summary>
    private Task<int> Prune()
    {
        _pruned = Now();
        return plans.Prune(_pruned - KeptFor, _pruned - ResultsKeptFor);
    }

    private long Now() => Instants.FromDateTime(clock.GetUtcNow());
}
