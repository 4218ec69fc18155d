using System.Net;
using System.Text;
using Kumiko.Core.Accounts;
using Kumiko.Core.Delivery;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using Kumiko.Demo.StandIns;
using Kumiko.Web.Delivery;
using Kumiko.Web.Delivery.Channels;
using Kumiko.Web.Hosting;

namespace Kumiko.Web.Tests.Notifications;

public sealed class NotificationPageTests : IAsyncLifetime
{
    private RunningServer _server = null!;
    private HookInbox _chat = null!;

    public async ValueTask InitializeAsync()
    {
        _server = await RunningServer.Start(null, IPNetwork.Parse("127.0.0.0/8"));
        _chat = new HookInbox(_server.Path, "chat");
        _chat.Map(_server.App, TimeProvider.System);
    }

    public ValueTask DisposeAsync() => _server.DisposeAsync();

    private static readonly (string, string)[] Hook =
    [
        ("Kind", "webhook"),
        ("Name", "Chat room"),
        ("Secret", HookInbox.Secret),
        ("Headers", "X-Pass: open sesame"),
        ("Most", "6"),
        ("Per", "10m"),
        ("By", "Rule"),
        ("Gather", "1m"),
        ("Digest", "0s"),
    ];

    private (string, string)[] HookTo(string path) => [.. Hook, ("Url", _server.Address + path)];

    private async Task<Alert> Alert()
    {
        var person = await _server
            .Get<PeopleStore>()
            .Add("Tomas Verrall", $"{Guid.NewGuid():N}@skerryline.example", Role.Analyst, null);
        await _server
            .Get<RuleStore>()
            .Add(
                new Rule
                {
                    Name = "refusals",
                    Definition = new RuleDefinition
                    {
                        Quantity = new CountOf("refused"),
                        Condition = new Beyond(false, 1, null),
                        InTheLast = Instants.Hour,
                        CheckedEvery = Instants.Minute,
                    },
                    Runbook = "1. Ring the quay",
                    Author = person!.Id,
                }
            );
        using var intake = await _server.Program(TokenPurpose.Intake);
        await intake.PostAsync(
            "/intake/records",
            new StringContent(string.Concat(Enumerable.Repeat("{\"body\":\"ticket refused <b>\"}\n", 12)), Encoding.UTF8)
        );
        await _server.Get<RuleChecker>().CheckDue(Instants.FromDateTime(_server.Clock.GetUtcNow().AddMinutes(2)), default);
        return Assert.Single(_server.Get<RuleStore>().Alerts.All(9));
    }

    private async Task Dispatch()
    {
        await _server.Get<NotificationPlanner>().TellWaiting(default);
        await Task.WhenAll(_server.Get<Dispatcher>().Start(default));
    }

    [Fact]
    public async Task A_channel_is_made_tried_and_keeps_its_secret()
    {
        using var client = await _server.Person(Role.Administrator);
        var made = await RunningServer.Post(client, "/alerts/channels/new", HookTo(_chat.Address));
        var path = made.Headers.Location!.ToString();
        var channel = Assert.Single(_server.Get<ChannelStore>().All());
        Assert.DoesNotContain(HookInbox.Secret, channel.Secret);
        var page = await client.GetStringAsync(path);
        Assert.DoesNotContain(HookInbox.Secret, page);
        Assert.DoesNotContain("open sesame", page);
        Assert.Contains("X-Pass: kept", page);
        var tested = await (await RunningServer.Post(client, path + "?handler=Test")).Content.ReadAsStringAsync();
        Assert.Contains("It was taken.", tested);
        Assert.Contains("Idempotency-Key", tested);
        Assert.DoesNotContain("open sesame", tested);
        Assert.Contains("Nothing is wrong", Assert.Single(_chat.Messages).Body);
        Assert.Contains("Test of Chat room", await client.GetStringAsync("/alerts/sent"));
        // Saved again without typing them, both are kept; led elsewhere, they are not taken along.
        await RunningServer.Post(client, path, [.. HookTo(_chat.Address).Where(f => f.Item1 is not ("Secret" or "Headers"))]);
        var kept = WebhookSecret.Of(_server.Get<SecretKeeper>().Open(_server.Get<ChannelStore>().Find(channel.Id)!.Secret));
        Assert.Equal((HookInbox.Secret, "X-Pass: open sesame"), (kept.Key, Assert.Single(kept.Headers)));
        var moved = await (
            await RunningServer.Post(
                client,
                path,
                [.. Hook.Where(f => f.Item1 is not ("Secret" or "Headers")), ("Url", "https://elsewhere.example/x")]
            )
        ).Content.ReadAsStringAsync();
        Assert.Contains("leads elsewhere now", moved);
    }

    [Theory]
    [InlineData("webhook", "Url", "javascript:alert(1)", "Give an address")]
    [InlineData("webhook", "Headers", "Host: x", "set by Kumiko itself")]
    [InlineData("mail", "To", "nobody", "no mail address")]
    [InlineData("mail", "Most", "0", "1 to 1000 messages")]
    [InlineData("mail", "Per", "soon", "counted over")]
    [InlineData("syslog", "Facility", "99", "0 to 23")]
    [InlineData("trap", "Port", "99999", "1 to 65535")]
    [InlineData("script", "File", "../x", "script of the folder")]
    public async Task What_is_wrong_with_a_channel_is_said(string kind, string field, string value, string words)
    {
        using var client = await _server.Person(Role.Administrator);
        (string, string)[] good =
        [
            ("Kind", kind),
            ("Name", "x"),
            ("Url", "https://x.example"),
            ("To", "a@skerryline.example"),
            ("Host", "x.example"),
            ("File", "a.sh"),
            ("Seconds", "5"),
            ("Facility", "16"),
            ("Most", "6"),
            ("Per", "10m"),
            ("Gather", "1m"),
            ("Digest", "0s"),
        ];
        var page = await (
            await RunningServer.Post(client, "/alerts/channels/new", [.. good.Where(f => f.Item1 != field), (field, value)])
        ).Content.ReadAsStringAsync();
        Assert.Contains(words, WebUtility.HtmlDecode(page));
        Assert.Empty(_server.Get<ChannelStore>().All());
    }

    [Fact]
    public async Task A_preview_shows_the_template_on_a_real_alert_and_what_is_broken()
    {
        await Alert();
        using var client = await _server.Person(Role.Administrator);
        async Task<string> Preview(string template) =>
            WebUtility.HtmlDecode(
                await (
                    await RunningServer.Post(
                        client,
                        "/alerts/channels/new?handler=Preview",
                        ("Kind", "mail"),
                        ("Name", "x"),
                        ("To", "a@skerryline.example"),
                        ("Template", template)
                    )
                ).Content.ReadAsStringAsync()
            );
        Assert.Contains("warning of refusals", await Preview("{{ level }} of {{ rule }}"));
        Assert.Contains("The template is broken", await Preview("{{ level"));
    }

    [Fact]
    public async Task From_a_route_to_the_chat_and_what_was_sent_is_sent_again()
    {
        using var client = await _server.Person(Role.Administrator);
        await RunningServer.Post(client, "/alerts/channels/new", HookTo(_chat.Address));
        var channel = _server.Get<ChannelStore>().All()[0].Id;
        await RunningServer.Post(
            client,
            "/alerts/routes/new",
            ("Name", "All"),
            ("Channels", channel.ToString(System.Globalization.CultureInfo.InvariantCulture)),
            ("Side", "Any"),
            ("TellsEnd", "true")
        );
        var alert = await Alert();
        await Dispatch();
        Assert.Contains("refusals", Assert.Single(_chat.Messages).Text("sentence"));
        var sent = Assert.Single(_server.Get<SendingStore>().All(new SendingFilter("sent"), 9));
        var page = await client.GetStringAsync($"/alerts/sent/{sent.Id}");
        Assert.Contains(sent.Key, page);
        Assert.DoesNotMatch("/brief/[A-Za-z0-9_-]{20,}", page);
        Assert.Contains("taken", page);
        await RunningServer.Post(client, $"/alerts/sent/{sent.Id}?handler=Again");
        await Dispatch();
        Assert.Equal(2, _chat.Messages.Count);
        var told = WebUtility.HtmlDecode(await client.GetStringAsync($"/alerts/{alert.Id}"));
        Assert.Contains("by the route All", told);
    }

    [Fact]
    public async Task A_secret_that_cannot_be_read_makes_messages_wait_and_is_told()
    {
        using var client = await _server.Person(Role.Administrator);
        await RunningServer.Post(client, "/alerts/channels/new", HookTo(_chat.Address));
        await RunningServer.Post(client, "/alerts/routes/new", [("Name", "All"), ("Side", "Any"), ("Channels", "1")]);
        var database = _server.Get<Kumiko.Core.Storage.AppDatabase>();
        var locked = await database.Database.Writer.Write(c =>
            Dapper.SqlMapper.ExecuteScalar<string>(c, "SELECT secret FROM channel")
        );
        await database.Database.Writer.Write(c =>
            Dapper.SqlMapper.Execute(c, "UPDATE channel SET secret = 'locked with a key that is gone'")
        );
        await Alert();
        await Dispatch();
        var waiting = Assert.Single(_server.Get<SendingStore>().All(new SendingFilter("waiting"), 9));
        Assert.Equal((0, true), (waiting.Attempts, waiting.Problem!.Contains("secret cannot be read", StringComparison.Ordinal)));
        Assert.Contains("Its secret cannot be read any more", await client.GetStringAsync("/alerts/channels"));
        await database.Database.Writer.Write(c =>
            Dapper.SqlMapper.Execute(c, "UPDATE channel SET secret = @locked", new { locked })
        );
        _server.Clock.Advance(TimeSpan.FromMinutes(2));
        await Dispatch();
        Assert.Single(_chat.Messages);
    }

    [Fact]
    public async Task A_dead_channel_holds_up_no_other_and_is_tried_again()
    {
        using var client = await _server.Person(Role.Administrator);
        await RunningServer.Post(client, "/alerts/channels/new", HookTo(_chat.Address));
        await RunningServer.Post(
            client,
            "/alerts/channels/new",
            [.. Hook.Where(f => f.Item1 != "Name"), ("Name", "Dead"), ("Url", "http://127.0.0.1:1/x")]
        );
        await RunningServer.Post(
            client,
            "/alerts/routes/new",
            [
                ("Name", "All"),
                ("Side", "Any"),
                .. _server
                    .Get<ChannelStore>()
                    .All()
                    .Select(c => ("Channels", c.Id.ToString(System.Globalization.CultureInfo.InvariantCulture))),
            ]
        );
        await Alert();
        await Dispatch();
        Assert.Single(_chat.Messages);
        var dead = Assert.Single(_server.Get<SendingStore>().All(new SendingFilter("waiting"), 9));
        Assert.Equal((1, "Dead"), (dead.Attempts, dead.ChannelName));
        Assert.Contains("trying again", await client.GetStringAsync("/alerts/sent"));
    }

    [Fact]
    public async Task A_signed_link_acknowledges_once_and_opening_it_changes_nothing()
    {
        var alert = await Alert();
        await _server.Get<NotificationPlanner>().TellWaiting(default);
        await _server.Get<PeopleStore>().Add("Mirek Dane", "mirek@skerryline.example", Role.Administrator, null);
        var link = _server.Get<SignedLinks>().Make(alert.Id, "mirek@skerryline.example");
        using var stranger = _server.Stranger();
        var page = await stranger.GetStringAsync(link);
        Assert.Contains("Ring the quay", page);
        Assert.Contains("as Mirek Dane", page);
        await stranger.GetAsync(link);
        Assert.Null(_server.Get<RuleStore>().Alerts.Find(alert.Id)!.Acknowledged);
        var path = new Uri(link).PathAndQuery;
        Assert.Contains("Acknowledged.", await (await RunningServer.Post(stranger, path)).Content.ReadAsStringAsync());
        Assert.Equal("Mirek Dane", _server.Get<RuleStore>().Alerts.Find(alert.Id)!.Acknowledger);
        Assert.False(await _server.Get<SignedLinks>().Acknowledge(_server.Get<SignedLinks>().Read(path.Split('/')[^1])!));
        Assert.Contains("no-store", (await stranger.GetAsync(link)).Headers.CacheControl!.ToString());
    }

    [Theory]
    [InlineData("nonsense")]
    [InlineData("CfDJ8AAAA")]
    public async Task A_link_that_was_not_made_here_opens_nothing(string token)
    {
        using var stranger = _server.Stranger();
        var answer = await stranger.GetAsync("/brief/" + token);
        Assert.Equal(HttpStatusCode.Gone, answer.StatusCode);
        Assert.Contains("not good any more", await answer.Content.ReadAsStringAsync());
        Assert.Equal(HttpStatusCode.NotFound, (await stranger.GetAsync($"/brief/{token}?handler=Since")).StatusCode);
    }

    [Fact]
    public async Task Who_would_be_told_is_answered_for_any_time()
    {
        using var client = await _server.Person(Role.Administrator);
        await RunningServer.Post(client, "/alerts/channels/new", HookTo(_chat.Address));
        var channel = _server.Get<ChannelStore>().All()[0].Id.ToString(System.Globalization.CultureInfo.InvariantCulture);
        var made = await RunningServer.Post(
            client,
            "/alerts/calendars/new",
            ("Name", "Sailings"),
            ("TimeZone", "UTC"),
            ("Days0", "1"),
            ("Days0", "2"),
            ("From0", "05:30"),
            ("To0", "20:40")
        );
        var calendar = made.Headers.Location!.ToString().Split('/')[^1];
        await RunningServer.Post(client, $"/alerts/calendars/{calendar}?handler=Add", ("date", "2026-12-02"), ("mark", "storm"));
        await RunningServer.Post(
            client,
            "/alerts/routes/new",
            ("Name", "Quay"),
            ("Channels", channel),
            ("Calendar", calendar),
            ("Side", "Inside"),
            ("AlsoOn", "storm"),
            ("Teams", "Quayside"),
            ("After1", "10m"),
            ("Step1", channel)
        );
        async Task<string> Who(string moment, string team = "Quayside") =>
            WebUtility.HtmlDecode(
                await client.GetStringAsync($"/alerts/routes?ask=1&level=critical&team={team}&moment={moment}&zone=UTC")
            );
        Assert.Contains("by the route Quay", await Who("2026-11-30T12:00"));
        Assert.Contains("after 10 min unacknowledged", await Who("2026-11-30T12:00"));
        Assert.Contains("Nobody. No route", await Who("2026-11-30T22:00"));
        Assert.Contains("by the route Quay", await Who("2026-12-02T23:00"));
        Assert.Contains("Nobody. No route", await Who("2026-11-30T12:00", "Fleet"));
    }

    [Fact]
    public async Task A_quiet_time_is_planned_ended_and_brought_back()
    {
        using var client = await _server.Person(Role.Administrator);
        var tomorrow = _server
            .Clock.GetUtcNow()
            .AddDays(1)
            .ToString("yyyy-MM-dd'T'HH:mm", System.Globalization.CultureInfo.InvariantCulture);
        var wrong = await (
            await RunningServer.Post(client, "/alerts/quiet", ("End", tomorrow), ("Reason", ""))
        ).Content.ReadAsStringAsync();
        Assert.Contains("Say why", wrong);
        await RunningServer.Post(client, "/alerts/quiet", ("End", tomorrow), ("Reason", "new gates"), ("Labels", "gates"));
        var quiet = Assert.Single(_server.Get<RouteStore>().Book().QuietTimes);
        Assert.Equal(["gates"], quiet.Definition.Match.Labels);
        Assert.Contains("alerts labelled gates", await client.GetStringAsync("/alerts/quiet"));
        await RunningServer.Post(
            client,
            "/alerts/quiet?handler=End",
            ("id", quiet.Id.ToString(System.Globalization.CultureInfo.InvariantCulture))
        );
        Assert.Empty(_server.Get<RouteStore>().Book().QuietTimes);
        await RunningServer.Post(
            client,
            "/alerts/quiet?handler=Restore",
            ("id", quiet.Id.ToString(System.Globalization.CultureInfo.InvariantCulture))
        );
        Assert.Single(_server.Get<RouteStore>().Book().QuietTimes);
    }

    [Fact]
    public async Task A_viewer_sees_and_changes_nothing()
    {
        using var viewer = await _server.Person(Role.Viewer);
        foreach (var path in new[] { "/alerts/channels", "/alerts/routes", "/alerts/quiet", "/alerts/sent" })
            Assert.Equal(HttpStatusCode.OK, (await viewer.GetAsync(path)).StatusCode);
        foreach (var path in new[] { "/alerts/channels/new", "/alerts/routes/new", "/alerts/calendars/new" })
            Assert.Equal(HttpStatusCode.Forbidden, (await viewer.GetAsync(path)).StatusCode);
        foreach (
            var path in new[]
            {
                "/alerts/channels?handler=Remove",
                "/alerts/routes?handler=Pause",
                "/alerts/quiet",
                "/alerts/sent/1?handler=Again",
                "/alerts/1?handler=Acknowledge",
            }
        )
            Assert.Equal(HttpStatusCode.Forbidden, (await RunningServer.Post(viewer, path, ("id", "1"))).StatusCode);
    }

    [Fact]
    public async Task The_mib_is_there_to_take()
    {
        using var client = await _server.Person(Role.Administrator);
        Assert.StartsWith("KUMIKO-MIB DEFINITIONS ::= BEGIN", await client.GetStringAsync("/alerts/channels/mib"));
    }

    [Fact]
    public async Task The_alerts_page_shows_figures_records_and_how_it_went_on()
    {
        var alert = await Alert();
        await _server.Get<NotificationPlanner>().TellWaiting(default);
        using var client = await _server.Person(Role.Administrator);
        var page = WebUtility.HtmlDecode(await client.GetStringAsync($"/alerts/{alert.Id}"));
        Assert.Contains("refusals: 12 in 1 h; a warning above 1, since", page);
        Assert.Contains("There is no route yet: make one that leads this alert to a channel.", page);
        Assert.Contains("<svg", await client.GetStringAsync($"/alerts/{alert.Id}?handler=Figures"));
        Assert.Contains("ticket refused &lt;b&gt;", await client.GetStringAsync($"/alerts/{alert.Id}?handler=Records"));
        Assert.Contains("since then", await client.GetStringAsync($"/alerts/{alert.Id}?handler=Since"));
        Assert.Equal(HttpStatusCode.NotFound, (await client.GetAsync("/alerts/999")).StatusCode);
    }
}
