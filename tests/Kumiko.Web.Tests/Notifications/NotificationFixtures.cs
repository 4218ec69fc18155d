using System.Net;
using Kumiko.Core.Delivery;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using Kumiko.Core.Rules.Briefs;
using Kumiko.Web.Delivery.Channels;
using Kumiko.Web.Delivery.Messages;

namespace Kumiko.Web.Tests.Notifications;

/// <summary>An alert with its brief, and fields of messages about it.</summary>
internal static class NotificationFixtures
{
    public const string Markup = "<img src=x onerror=alert(1)>\u202e";

    /// <summary>Lets what a test sends reach this machine.</summary>
    public static readonly NetworkGuard ThisMachine = new([IPNetwork.Parse("127.0.0.0/8")]);

    public static readonly long At = Instants.FromDateTime(new DateTimeOffset(2026, 11, 23, 17, 54, 0, TimeSpan.Zero));

    public static readonly Rule Refusals = new()
    {
        Id = 3,
        Name = "Refusals at the gates",
        Definition = new RuleDefinition
        {
            Quantity = new CountOf("refused"),
            Condition = new Beyond(false, 14, 30),
            InTheLast = 10 * Instants.Minute,
            Keys = ["terminal"],
            Zone = "Europe/Dublin",
        },
        Runbook = "## First\n1. Ring the quay\n2. Wait",
        Labels = "gates, passengers",
        Team = "Quayside",
    };

    public static Alert AlertOf(string where = "Tarnhead", AlertLevel level = AlertLevel.Critical) =>
        new()
        {
            Id = 7,
            Rule = 3,
            Name = Refusals.Name,
            Key = where,
            Keys = [where],
            Definition = Refusals.Definition,
            Started = At,
            Level = level,
            Value = 47,
            Worst = 61,
            Labels = Refusals.Labels,
            Team = Refusals.Team,
            Brief = (where == "Tarnhead" ? BriefOf() : BriefOf(where)).ToJson(),
        };

    public static Brief BriefOf(string value = "7.3") =>
        new()
        {
            At = At + Instants.Second,
            Focus = new Window(At - (10 * Instants.Minute), At),
            Level = AlertLevel.Critical,
            Value = 47,
            Figures = new AlertValues(
                [.. Enumerable.Range(1, 60).Select(i => At + ((i - 60) * Instants.Minute))],
                [.. Enumerable.Range(1, 60).Select(i => (double?)(i < 50 ? 3 : i))],
                new double?[60],
                "",
                true,
                2
            ),
            Differences = new BriefDifferences(
                [new BriefDifference("firmware", value, value, 43, 1, 43.0 / 47, 1.0 / 90, 0.8, ["build = b"])],
                "refused",
                "2 Mondays, same time",
                "",
                ["holds an alert"],
                47,
                90,
                null
            ),
            Changes =
            [
                new Core.Changes.Change(
                    "k",
                    At - (20 * Instants.Minute),
                    "gate firmware " + value,
                    "Tarnhead",
                    "7.2",
                    "7.3",
                    "Oluchi Brandt"
                ),
            ],
            FollowUp = new FollowUpAnswer(
                ["reason", "refusals"],
                [
                    ["seat already claimed " + value, "43"],
                ],
                false,
                null
            ),
            Runbook = Refusals.Runbook,
        };

    public static MessageFields Fields(string text = "Tarnhead") =>
        new()
        {
            Event = "started",
            Level = "critical",
            Subject = "Critical: Refusals at the gates",
            Sentence = $"Refusals at the gates, {text}: 47 in 10 min; critical above 30.",
            Rule = "Refusals at the gates",
            Where = text,
            Keys = new Dictionary<string, string> { ["terminal"] = text },
            Labels = ["gates"],
            Link = "http://127.0.0.1:1/alerts/7",
        };

    public static NotificationOf Told(
        NotificationKind kind,
        AlertLevel level = AlertLevel.Critical,
        double? value = 47,
        string where = "Tarnhead"
    ) =>
        new(
            new Core.Rules.Notification
            {
                Id = 1,
                Kind = kind,
                Rule = 3,
                Alert = 7,
                At = kind == NotificationKind.Started ? At : At + (20 * Instants.Minute),
                Level = level,
                Value = value,
            },
            Refusals,
            AlertOf(where)
        );
}
