using System.Net;
using System.Text;
using Kumiko.Core.Accounts;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;

namespace Kumiko.Web.Tests;

/// <summary>Pages of rules, alerts and objectives over HTTP.</summary>
public sealed class RulePageTests : IAsyncLifetime
{
    private RunningServer _server = null!;

    public async ValueTask InitializeAsync() => _server = await RunningServer.Start();

    public async ValueTask DisposeAsync() => await _server.DisposeAsync();

    private async Task Send(int times, string body)
    {
        using var intake = await _server.Program(TokenPurpose.Intake);
        await intake.PostAsync(
            "/intake/records",
            new StringContent(
                string.Concat(Enumerable.Repeat(System.Text.Json.JsonSerializer.Serialize(new { body }) + "\n", times)),
                Encoding.UTF8
            )
        );
    }

    private static readonly (string, string)[] Form =
    [
        ("Name", "gate refusals"),
        ("Quantity", "count"),
        ("Query", "refused"),
        ("Condition", "above"),
        ("Warning", "2"),
        ("Critical", "9"),
        ("InTheLast", "5m"),
        ("CheckedEvery", "1m"),
        ("On", "true"),
        ("Over", "1d"),
    ];

    private static (string, string)[] With(params (string Name, string Value)[] changed) =>
        [.. Form.Where(f => changed.All(c => c.Name != f.Item1)), .. changed];

    private static async Task<string> Posted(HttpClient client, string path, params (string, string)[] form) =>
        WebUtility.HtmlDecode(await (await RunningServer.Post(client, path, form)).Content.ReadAsStringAsync());

    [Fact]
    public async Task A_trial_says_the_sentence_the_alerts_and_the_messages()
    {
        await Send(12, "ticket refused");
        _server.Clock.Advance(TimeSpan.FromMinutes(3));
        using var client = await _server.Person();
        var trial = await Posted(client, "/rules/new?handler=Trial", Form);
        Assert.Contains("The number of records of “refused” in the last 5 min is above 2 (warning), above 9 (critical)", trial);
        Assert.Contains("1 alert", trial);
        Assert.Contains("1 message", trial);
        Assert.Contains("data-handle=\"critical\"", trial);
        Assert.DoesNotContain("<main", trial);
    }

    [Theory]
    [InlineData("Quantity", "share", "The Least number is a whole number")]
    [InlineData("Quantity", "budget", "Choose an objective")]
    [InlineData("Quantity", "order", "Choose the first rule")]
    [InlineData("Quantity", "distinct", "Say which field")]
    [InlineData("Condition", "silent", "how long something is expected")]
    [InlineData("Condition", "new", "the history")]
    [InlineData("Condition", "reach", "the stretch of the trend")]
    [InlineData("Lasting", "checks", "number of checks")]
    [InlineData("HasHours", "true", "hours of checking")]
    public async Task What_a_choice_lacks_is_told_with_the_trial(string field, string value, string says)
    {
        using var client = await _server.Person();
        Assert.Contains(
            says,
            await Posted(client, "/rules/new?handler=Trial", With((field, value))),
            StringComparison.OrdinalIgnoreCase
        );
    }

    [Fact]
    public async Task A_switched_off_rule_is_kept_and_rests()
    {
        using var client = await _server.Person();
        await RunningServer.Post(client, "/rules/new", [.. Form.Where(f => f.Item1 != "On")]);
        Assert.True(Assert.Single(_server.Get<RuleStore>().Rules()).Paused);
        Assert.Contains("paused", await client.GetStringAsync("/alerts"));
    }

    [Fact]
    public async Task Text_that_cannot_be_read_says_its_line_and_keeps_what_was_typed()
    {
        using var client = await _server.Person();
        var page = await Posted(
            client,
            "/rules/new?handler=Text",
            [.. Form, ("text", "count of\n    refused\nis louder than 3")]
        );
        Assert.Contains("Line 3: “is louder than 3” is not understood", page);
        Assert.Contains("is louder than 3</textarea>", page);
    }

    [Fact]
    public async Task Hostile_names_notes_and_keys_stay_text()
    {
        const string Markup = "<img src=x onerror=alert(1)>";
        using var client = await _server.Person();
        await RunningServer.Post(
            client,
            "/rules/new",
            With(
                ("Name", Markup),
                ("Note", Markup),
                ("Runbook", Markup + "\n\n[x](javascript:alert(1))"),
                ("Labels", Markup),
                ("Team", Markup),
                ("Keys", "body"),
                ("InTheLast", "1m"),
                ("CheckedEvery", "10s"),
                ("FollowUp", "refused | group count() by body")
            )
        );
        await Send(12, "refused " + Markup);
        await _server.Get<RuleChecker>().CheckDue(Instants.FromDateTime(_server.Clock.GetUtcNow().AddSeconds(20)), default);
        var alert = Assert.Single(_server.Get<RuleStore>().Alerts.All(9));
        foreach (var path in new[] { "/alerts", $"/alerts/{alert.Id}", $"/rules/{alert.Rule}" })
        {
            var page = await client.GetStringAsync(path);
            Assert.DoesNotContain("<img src=x", page);
            Assert.Contains("&lt;img src=x", page);
        }
    }

    [Fact]
    public async Task A_viewer_sees_alerts_and_objectives_and_changes_nothing()
    {
        using (var client = await _server.Person())
        {
            await RunningServer.Post(client, "/rules/new", Form);
            await RunningServer.Post(
                client,
                "/objectives/new",
                ("Name", "Scans"),
                ("All", ""),
                ("Good", "level < error"),
                ("Target", "99.5%"),
                ("Days", "7")
            );
        }
        using var viewer = await _server.Person(Role.Viewer);
        var page = await viewer.GetStringAsync("/alerts");
        Assert.Contains("gate refusals", page);
        foreach (var never in new[] { "New rule", ">Pause<", ">Remove<", "/rules/1\"" })
            Assert.DoesNotContain(never, page);
        Assert.DoesNotContain("Save the objective", await viewer.GetStringAsync("/objectives/1"));
        foreach (
            var path in new[]
            {
                "/alerts?handler=Acknowledge",
                "/alerts/1?handler=Resolve",
                "/alerts/1?handler=Snooze",
                "/objectives/1?handler=Remove",
            }
        )
            Assert.Equal(
                HttpStatusCode.Forbidden,
                (await RunningServer.Post(viewer, path, ("id", "1"), ("reason", "x"))).StatusCode
            );
        foreach (var path in new[] { "/rules/ready", "/rules/new", "/objectives/new" })
            Assert.Equal(HttpStatusCode.Forbidden, (await viewer.GetAsync(path)).StatusCode);
        Assert.NotNull(_server.Get<ObjectiveStore>().Find(1));
    }

    [Theory]
    [InlineData("Name", "", "Give the objective a name")]
    [InlineData("Target", "many", "between 0% and 100%")]
    [InlineData("Target", "100", "between 0% and 100%")]
    [InlineData("Good", "level <", "Good events: Line 1")]
    [InlineData("All", "| group count()", "All events: what is counted are its rows")]
    [InlineData("Days", "3", "7 or 28 days")]
    public async Task An_objective_that_makes_no_sense_is_not_saved(string field, string value, string says)
    {
        using var client = await _server.Person();
        var form = new Dictionary<string, string>
        {
            ["Name"] = "Scans",
            ["All"] = "",
            ["Good"] = "level < error",
            ["Target"] = "99%",
            ["Days"] = "7",
        };
        form[field] = value;
        Assert.Contains(says, await Posted(client, "/objectives/new", [.. form.Select(f => (f.Key, f.Value))]));
        Assert.Empty(_server.Get<ObjectiveStore>().All());
    }

    [Fact]
    public async Task An_objective_is_made_shown_removed_and_brought_back()
    {
        await Send(8, "scan ok");
        await Send(2, "scan failed");
        _server.Clock.Advance(TimeSpan.FromMinutes(2));
        using var client = await _server.Person();
        var made = await RunningServer.Post(
            client,
            "/objectives/new",
            ("Name", "Scans"),
            ("All", "scan"),
            ("Good", "scan and not failed"),
            ("Target", "90"),
            ("Days", "28")
        );
        var page = WebUtility.HtmlDecode(await client.GetStringAsync(made.Headers.Location));
        Assert.Contains("80\u2009%", page);
        // A fifth failed where a tenth may: all of the budget, and as much again.
        Assert.Contains("−100\u2009%", page);
        Assert.Contains("2×", page);
        var removed = await RunningServer.Post(client, "/objectives/1?handler=Remove");
        Assert.Contains("Undo", await client.GetStringAsync(removed.Headers.Location));
        Assert.Empty(_server.Get<ObjectiveStore>().All());
        await RunningServer.Post(client, "/objectives?handler=Restore", ("id", "1"));
        Assert.Contains("Scans", await client.GetStringAsync("/objectives"));
        Assert.Equal(HttpStatusCode.NotFound, (await client.GetAsync("/objectives/99")).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await client.GetAsync("/rules/99")).StatusCode);
    }

    [Fact]
    public async Task Spans_and_alerts_are_sets_that_can_be_asked()
    {
        await _server
            .Get<Kumiko.Core.Storage.Spans.SpanStore>()
            .Append(
                [
                    .. Enumerable
                        .Range(1, 4)
                        .Select(i => new Span
                        {
                            TraceId = "5be8f0a19c7740d2",
                            SpanId = "0" + i,
                            Name = "scan",
                            Kind = SpanKind.Server,
                            Start = Instants.FromDateTime(_server.Clock.GetUtcNow()) - Instants.Minute,
                            End = Instants.FromDateTime(_server.Clock.GetUtcNow()) - Instants.Minute + (i * Instants.Second),
                            Resource = new Resource(new Attributes(["service.name"], [Value.Of("gate-control")])),
                            Status = i == 4 ? SpanStatus.Error : SpanStatus.Ok,
                        }),
                ],
                "quay"
            );
        using var client = await _server.Person();
        var page = await client.GetStringAsync(
            "/search?q="
                + Uri.EscapeDataString(
                    "from spans duration > 1s and service = gate-control | group count(), max(duration) by operation, status"
                )
                + "&from=-1h&to=now"
        );
        Assert.Contains("scan", page);
        Assert.Contains("error", page);
        Assert.Contains("4 s", page);
    }
}
