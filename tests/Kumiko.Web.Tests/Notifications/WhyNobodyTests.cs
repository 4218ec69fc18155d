using Kumiko.Core.Delivery;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using Kumiko.Web.Rendering.Notifications;
using NodaTime;

namespace Kumiko.Web.Tests.Notifications;

/// <summary>Why nobody was told, in sentences that say what to change.</summary>
public sealed class WhyNobodyTests
{
    private static readonly Channel Chat = new()
    {
        Id = 1,
        Name = "Chat room",
        Settings = new WebhookSettings("https://chat.example/x", []),
    };

    private static WhyNobody Why(
        RouteDefinition? route,
        bool isPaused = false,
        bool isChannelPaused = false,
        Rule? rule = null,
        AlertLevel level = AlertLevel.Critical
    ) =>
        WhyNobody.Of(
            NotificationFixtures.AlertOf(level: level),
            rule ?? NotificationFixtures.Refusals,
            new RouteBook(
                route is null ? [] : [new Route(4, "Night shift", route, isPaused)],
                [],
                [Chat with { IsPaused = isChannelPaused }],
                []
            ),
            isWaiting: false,
            DateTimeZone.Utc
        );

    public static TheoryData<RouteDefinition, string> Misfits =>
        new()
        {
            {
                new()
                {
                    Channels = [1],
                    Match = new() { Teams = ["Sales"] },
                },
                "is for the team Sales; this alert is for Quayside."
            },
            {
                new()
                {
                    Channels = [1],
                    Match = new() { Labels = ["money"] },
                },
                "is for the label money, which the rule does not have."
            },
            {
                new()
                {
                    Channels = [1],
                    Match = new() { Sources = ["payments"] },
                },
                "is for payments, of which this alert does not speak."
            },
            {
                new()
                {
                    Channels = [1],
                    Match = new() { Rules = ["Slow bookings"] },
                },
                "is for other rules."
            },
            {
                new()
                {
                    Channels = [1],
                    Times = new() { Hours = new CheckHours([1, 2, 3, 4, 5], 8 * 60, 9 * 60) },
                },
                "does not hold at Mon 23 Nov 2026 17:54: it has other hours or days."
            },
            {
                new() { Channels = [1] },
                "would tell it today; it was made or changed after this alert began."
            },
            {
                new() { Channels = [] },
                "is for it, but its channels are paused or removed."
            },
        };

    [Theory]
    [MemberData(nameof(Misfits))]
    public void Of_each_route_the_first_thing_that_does_not_fit_is_told(RouteDefinition route, string told) =>
        Assert.Contains("The route “Night shift” " + told, string.Join('\n', Why(route).Sentences));

    [Fact]
    public void A_paused_route_or_channel_and_a_level_too_low_are_told()
    {
        Assert.Contains("The route “Night shift” is paused.", Why(new() { Channels = [1] }, isPaused: true).Sentences);
        Assert.Contains(
            "The route “Night shift” is for it, but its channels are paused or removed.",
            Why(new() { Channels = [1] }, isChannelPaused: true).Sentences
        );
        var least = new RouteDefinition
        {
            Channels = [1],
            Match = new() { Least = AlertLevel.Critical },
        };
        Assert.Contains(
            "The route “Night shift” takes critical alerts only, and this one was a warning.",
            Why(least, level: AlertLevel.Warning).Sentences
        );
    }

    [Fact]
    public void A_route_that_is_for_it_is_there_to_be_opened_and_one_for_others_is_not()
    {
        Assert.Equal(4, Assert.Single(Why(new() { Channels = [1] }, isPaused: true).Routes).Id);
        Assert.Empty(
            Why(
                new()
                {
                    Channels = [1],
                    Match = new() { Teams = ["Sales"] },
                }
            ).Routes
        );
    }

    [Fact]
    public void What_the_rule_could_do_is_told_first()
    {
        Assert.Equal(
            [
                "The rule names no address of its own: write one under “Mail to”.",
                "There is no route yet: make one that leads this alert to a channel.",
            ],
            Why(null).Sentences
        );
        var mailed = new Rule
        {
            Name = "refusals",
            Definition = NotificationFixtures.Refusals.Definition,
            MailTo = "quay@skerryline.example",
        };
        Assert.Equal(
            "The rule has mail sent to quay@skerryline.example now, and did not when this alert began.",
            Why(null, rule: mailed).Sentences[0]
        );
        var removed = WhyNobody.Of(NotificationFixtures.AlertOf(), null, new RouteBook([], [], [], []), false, DateTimeZone.Utc);
        Assert.Equal("Its rule was removed.", removed.Sentences[0]);
        Assert.Equal(
            ["It is being told just now."],
            WhyNobody.Of(NotificationFixtures.AlertOf(), null, new RouteBook([], [], [], []), true, DateTimeZone.Utc).Sentences
        );
    }
}
