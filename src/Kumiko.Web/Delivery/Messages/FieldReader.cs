using System.Text.Json;
using Kumiko.Charts;
using Kumiko.Core.Delivery;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using Kumiko.Core.Rules.Briefs;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering.Rules;
using NodaTime;

namespace Kumiko.Web.Delivery.Messages;

/// <summary>Makes the fields of messages from what they are about.</summary>
public sealed class FieldReader(ServerOptions options, RuleWords words, SignedLinks links)
{
    private const int MostRows = 8;

    public MessageFields Of(SendingContent content, string recipient) =>
        content.Total == 1 && content.Notifications is [var only] ? Of(only, recipient) : Digest(content);

    /// <summary>The fields of one telling.</summary>
    public MessageFields Of(NotificationOf notice, string recipient)
    {
        var (notification, rule, alert) = (notice.Notification, notice.Rule, notice.Alert);
        var zone = rule?.Definition.TimeZone ?? DateTimeZone.Utc;
        var common = new MessageFields
        {
            Event = Event(notification.Kind),
            Level = Level(notification.Kind == NotificationKind.Ended ? AlertLevel.None : notification.Level),
            Rule = rule?.Name ?? alert?.Name ?? "",
            Labels = rule?.LabelList ?? [],
            Team = rule?.Team ?? "",
            Owner = alert?.Owner ?? "",
            Note = rule?.Note ?? "",
            RuleSentence = rule is null ? "" : words.Sentence(rule.Definition, rule.Unit),
        };
        if (notification.Kind == NotificationKind.Result)
            return Result(common, notification, rule);
        if (alert is null)
            return Failed(common, notification, zone);
        var brief = Brief.FromJson(alert.Brief);
        var unit = RuleWords.UnitOf(alert.Definition, alert.Unit);
        var names = AlertRecords.KeyNames(alert.Definition);
        return common with
        {
            Subject = PlainText.Line(
                $"{BriefWords.Headline(notification.Kind, notification.Level)}: {BriefWords.Title(alert)}",
                200
            ),
            Sentence = Sentence(notification, alert, zone),
            Where = BriefWords.Short(alert.Of),
            Keys = names
                .Zip(alert.Keys)
                .Where(k => k.Second.Length > 0)
                .DistinctBy(k => k.First)
                .ToDictionary(k => k.First, k => BriefWords.Short(k.Second), StringComparer.Ordinal),
            Since = Instants.Format(alert.Started),
            SinceText = $"{Format.Moment(alert.Started, zone)} ({zone.Id})",
            Ended = alert.Ended is { } ended ? Instants.Format(ended) : null,
            Reason = notification.Text.Length > 0 ? notification.Text : null,
            Figure = notification.Value,
            FigureText = RuleWords.TextOf(notification.Value, unit),
            LimitText = BriefWords.Limit(alert, notification.Level),
            FirstStep = brief is null ? "" : BriefWords.FirstStep(brief),
            Differences = brief is null
                ? []
                :
                [
                    .. brief.Differences.Items.Select(d => new DifferenceFields(
                        d.Field,
                        d.Text,
                        d.Now,
                        brief.Differences.Now,
                        d.Then,
                        brief.Differences.Then,
                        BriefWords.Difference(d, brief.Differences)
                    )),
                ],
            DifferencesText = brief is null ? "" : brief.Differences.Problem ?? BriefWords.Against(brief.Differences),
            Changes = brief is null ? [] : [.. brief.Changes.Select(c => $"{Format.Clock(c.At, zone)} {c.InWords}")],
            FollowUp = brief?.FollowUp is { } follow
                ? new FollowUpFields(follow.Columns, [.. follow.Rows.Take(MostRows)], follow.Problem)
                : null,
            Link = Link($"/alerts/{alert.Id}"),
            Search = AlertLinks.Search(
                alert,
                alert.Started,
                notification.Kind == NotificationKind.Ended ? notification.At : alert.Started
            )
                is { } search
                ? Link(search.Url())
                : "",
            Acknowledge = notification.Kind == NotificationKind.Ended ? "" : links.Make(alert.Id, recipient),
        };
    }

    private static string Sentence(Notification notification, Alert alert, DateTimeZone zone)
    {
        if (notification.Kind != NotificationKind.Ended)
        {
            var sentence = BriefWords.Sentence(alert, notification.Level, notification.Value, notification.Compared, zone);
            if (notification.Kind == NotificationKind.Escalated)
                return $"Nobody has acknowledged this for {Format.Duration(notification.At - alert.Started)}. {sentence}";
            return notification.IsFlapping
                ? sentence + " It comes and goes, so it stays open until it has been quiet for a while."
                : sentence;
        }
        var unit = RuleWords.UnitOf(alert.Definition, alert.Unit);
        string why;
        if (notification.Text.Length > 0)
            why = notification.Text;
        else if (notification.Value is { } value && alert.Definition.Quantity.IsFigure)
            why = $"{RuleWords.TextOf(value, unit)}, which is within the limits again";
        else
            why = "it has ended";
        return $"{BriefWords.Title(alert)}: {why}. It lasted {Format.Duration(notification.At - alert.Started)}, from {Format.Moment(alert.Started, zone)}{(alert.Worst is { } worst && alert.Definition.Quantity.IsFigure ? $"; the worst was {RuleWords.TextOf(worst, unit)}" : "")}.";
    }

    private MessageFields Failed(MessageFields common, Notification notification, DateTimeZone zone) =>
        common with
        {
            Subject = PlainText.Line($"Cannot be checked: {common.Rule}", 200),
            Sentence = $"“{common.Rule}” could not be checked since {Format.Moment(notification.At, zone)}: {notification.Text}",
            Since = Instants.Format(notification.At),
            SinceText = $"{Format.Moment(notification.At, zone)} ({zone.Id})",
            Reason = notification.Text,
            Link = Link($"/rules/{notification.Rule}"),
        };

    private MessageFields Result(MessageFields common, Notification notification, Rule? rule)
    {
        var results = JsonSerializer.Deserialize<CheckResult[]>(notification.Text) ?? [];
        var worst = results.Where(r => r.Level != "none").Select(r => r.Key.Length > 0 ? r.Key : "it").ToList();
        return common with
        {
            Subject = PlainText.Line($"Checked: {common.Rule}", 200),
            Sentence =
                $"{common.Rule}: {(worst.Count == 0 ? "all is well" : $"{Format.Count(worst.Count, "key is", "keys are")} wrong")}.",
            Since = Instants.Format(notification.At),
            Results = [.. results.Select(r => new ResultFields(BriefWords.Short(r.Key), r.Value, r.Level))],
            Link = rule is null ? "" : Link($"/rules/{rule.Id}"),
        };
    }

    private MessageFields Digest(SendingContent content)
    {
        long Of(Func<NotificationCount, bool> of) => content.Counts.Where(of).Sum(c => c.Count);
        var parts = new[]
        {
            (Of(c => c.Kind is NotificationKind.Started or NotificationKind.Rose && c.Level == AlertLevel.Critical), "critical"),
            (Of(c => c.Kind is NotificationKind.Started or NotificationKind.Rose && c.Level == AlertLevel.Warning), "warning"),
            (Of(c => c.Kind == NotificationKind.Escalated), "not acknowledged"),
            (Of(c => c.Kind == NotificationKind.Ended), "ended"),
            (Of(c => c.Kind == NotificationKind.Failed), "not checked"),
        }
            .Where(p => p.Item1 > 0)
            .Select(p => $"{Format.Number(p.Item1)} {p.Item2}{(p is { Item1: > 1, Item2: "warning" } ? "s" : "")}")
            .ToList();
        var rules = content.Counts.Select(c => c.Rule).Distinct().Count();
        var of = rules == 1 ? content.Counts[0].Name : Format.Count(rules, "rule", "rules");
        var zone = content
            .Notifications.Select(t => t.Rule?.Definition.TimeZone)
            .OfType<DateTimeZone>()
            .FirstOrDefault(DateTimeZone.Utc);
        var since = content.Counts.Count == 0 ? 0 : content.Counts.Min(c => c.First);
        return new MessageFields
        {
            Event = "digest",
            Level = Level(
                content
                    .Counts.Where(c => c.Kind != NotificationKind.Ended)
                    .Select(c => c.Level)
                    .DefaultIfEmpty(AlertLevel.None)
                    .Max()
            ),
            Subject = PlainText.Line($"{string.Join(", ", parts)}: {of}", 200),
            Sentence =
                $"{Format.Count(content.Total, "message", "messages")} of {of} since {Format.Moment(since, zone)}: {string.Join(", ", parts)}.",
            Rule = rules == 1 ? content.Counts[0].Name : "",
            Since = Instants.Format(since),
            SinceText = $"{Format.Moment(since, zone)} ({zone.Id})",
            Count = content.Total,
            Rules = [.. content.Counts.Select(c => new RuleFields(c.Name, Event(c.Kind), Level(c.Level), c.Count))],
            Alerts =
            [
                .. content.Notifications.Select(t => new ItemFields(
                    Event(t.Notification.Kind),
                    Level(t.Notification.Level),
                    t.Alert is { } alert ? Sentence(t.Notification, alert, zone) : $"{t.Rule?.Name}: {t.Notification.Text}",
                    Link(t.Alert is null ? $"/rules/{t.Notification.Rule}" : $"/alerts/{t.Alert.Id}")
                )),
            ],
            Link = Link("/alerts"),
        };
    }

    /// <summary>Fields for a test without any alert.</summary>
    public MessageFields Test(string channel, string person) =>
        new()
        {
            Event = "test",
            Subject = PlainText.Line($"Test of {channel}", 200),
            Sentence = $"{person} tries the channel “{channel}”. Nothing is wrong.",
            Since = "",
            Link = Link("/alerts/channels"),
        };

    private string Link(FormattableString path) => Link(FormattableString.Invariant(path));

    private string Link(string path) => (options.PublicAddress ?? "") + path;

    private static string Event(NotificationKind kind) => kind.ToString().ToLowerInvariant();

    private static string Level(AlertLevel level) => level.ToString().ToLowerInvariant();
}
