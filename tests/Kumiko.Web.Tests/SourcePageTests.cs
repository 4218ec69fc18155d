using System.Net;
using Kumiko.Core.Accounts;
using Kumiko.Core.Changes;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Sources;
using Kumiko.Core.Spans;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Spans;
using Kumiko.Web.Rendering;

namespace Kumiko.Web.Tests;

/// <summary>The pages about sources: who may do what, what is told, and that nothing received is trusted.</summary>
public sealed class SourcePageTests : IAsyncLifetime
{
    private RunningServer _server = null!;

    public async ValueTask InitializeAsync() => _server = await RunningServer.Start();

    public ValueTask DisposeAsync() => _server.DisposeAsync();

    [Fact]
    public async Task With_nothing_collected_each_page_says_what_to_do_next()
    {
        using var mirek = await _server.Person(Role.Administrator);
        Assert.Contains("Nothing has come in yet", await mirek.GetStringAsync("/sources"));
        Assert.Contains("Nothing was refused", await mirek.GetStringAsync("/sources/refused"));
        Assert.Contains("There is no token yet", await mirek.GetStringAsync("/sources/tokens"));
        Assert.Contains("Nothing is measured yet", await mirek.GetStringAsync("/sources/metrics"));
        Assert.Equal(HttpStatusCode.NotFound, (await mirek.GetAsync("/sources/metrics?handler=Draw&name=nothing")).StatusCode);
        Assert.Contains("No target is scraped", await mirek.GetStringAsync("/sources/targets"));
        Assert.Contains("No change is known", await mirek.GetStringAsync("/sources/change"));
        Assert.Contains("No service has a condition of its own", await mirek.GetStringAsync("/sources/failed"));
        Assert.Equal(HttpStatusCode.NotFound, (await mirek.GetAsync("/sources/of/nobody")).StatusCode);
    }

    [Theory]
    [InlineData("/sources/connect/http", "http", "name", "")]
    [InlineData("/sources/tokens?handler=Make", "", "name", "x")]
    [InlineData("/sources/tokens?handler=Revoke", "", "id", "1")]
    [InlineData("/sources/targets?handler=Remove", "", "id", "1")]
    [InlineData("/sources/change", "", "what", "x")]
    [InlineData("/sources/failed", "", "service", "x")]
    public async Task A_viewer_changes_nothing(string path, string by, string field, string value)
    {
        using var sunniva = await _server.Person(Role.Viewer);
        Assert.Equal(HttpStatusCode.Forbidden, (await RunningServer.Post(sunniva, path, ("by", by), (field, value))).StatusCode);
        Assert.Empty(_server.Get<TokenStore>().All());
        Assert.Empty(_server.Get<ChangeStore>().Latest(1));
        Assert.Empty(_server.Get<FailureRules>().All);
    }

    [Fact]
    public async Task What_counts_as_failed_is_set_changed_and_taken_back_and_queries_follow()
    {
        using var ines = await _server.Person(Role.Analyst);
        var now = Instants.FromDateTime(_server.Clock.GetUtcNow());
        await _server
            .Get<SpanStore>()
            .Append(
                [
                    .. Enumerable
                        .Range(1, 4)
                        .Select(i => new Span
                        {
                            TraceId = new string('a', 32),
                            SpanId = i.ToString("x16"),
                            Name = "find sailing",
                            Start = now - (i * Instants.Second),
                            End = now,
                            Status = SpanStatus.Error,
                            Resource = new Resource(new Attributes(["service.name"], [Value.Of("booking")])),
                            Attributes = new Attributes(["error.type"], [Value.Of(i < 3 ? "sailing <unknown>" : "time-out")]),
                        }),
                ],
                "quay"
            );
        async Task<long> Failed()
        {
            var runs = _server.Get<RunRegistry>();
            var run = runs.Open(
                new Question(
                    "Ines",
                    QueryParser.Parse("from spans failed = true service = booking | group count()", runs.Sources.Sets.Names()),
                    new Window(now - Instants.Hour, now),
                    now,
                    NodaTime.DateTimeZone.Utc,
                    Limits.Default
                )
            );
            return (await run.Frame()).Rows[0][0].AsLong;
        }
        Assert.Equal(4, await Failed());
        var page = await (
            await RunningServer.Post(ines, "/sources/failed", ("service", "booking"), ("condition", "status = "))
        ).Content.ReadAsStringAsync();
        Assert.Contains("role=\"alert\"", page);
        Assert.Contains("value=\"status =\"", page);
        Assert.Empty(_server.Get<FailureRules>().All);
        await RunningServer.Post(
            ines,
            "/sources/failed",
            ("service", "booking"),
            ("condition", "status = error and error.type != \"sailing <unknown>\"")
        );
        page = await ines.GetStringAsync("/sources/failed");
        Assert.Contains("sailing &lt;unknown&gt;", page);
        Assert.Equal(2, await Failed());
        Assert.Contains("value=\"booking\"", await ines.GetStringAsync("/sources/failed?service=booking"));
        await RunningServer.Post(ines, "/sources/failed?handler=Remove", ("service", "booking"));
        Assert.Equal(4, await Failed());
    }

    [Fact]
    public async Task A_written_change_has_what_stands_at_its_place_its_roll_out_and_its_share()
    {
        using var ines = await _server.Person(Role.Analyst);
        await _server
            .Get<RecordStore>()
            .Append(
                [
                    new LogRecord
                    {
                        Time = 1,
                        Observed = 1,
                        Body = "x",
                        Source = "quay",
                        Resource = new Resource(new Attributes(["service.name"], [Value.Of("berth-planner")])),
                    },
                ],
                "quay"
            );
        await RunningServer.Post(
            ines,
            "/sources/change",
            ("what", "planner"),
            ("kind", "scale"),
            ("place", "berth-planner, Tarnhead"),
            ("rollOut", "r-7"),
            ("share", "a lot")
        );
        Assert.Empty(_server.Get<ChangeStore>().Latest(1));
        await RunningServer.Post(
            ines,
            "/sources/change",
            ("what", "planner"),
            ("kind", "scale"),
            ("place", "berth-planner, Tarnhead"),
            ("rollOut", "r-7"),
            ("share", "12.5 %"),
            ("at", "now")
        );
        var change = _server.Get<ChangeStore>().Latest(1).Single();
        Assert.Equal(
            ("scale", "berth-planner", "Tarnhead", "r-7", 0.125),
            (change.Kind, change.Scope!.Services.Single(), change.Scope.Places.Single(), change.RollOut, change.Share!.Value)
        );
        Assert.Contains("12.5 %", await ines.GetStringAsync("/sources/change"));
    }

    [Theory]
    [InlineData("http", "name=quay&rate=many", "A rate is a number")]
    [InlineData("http", "name=quay&rate=0", "1 or more")]
    [InlineData("syslog", "name=quay&addresses=quay.example", "is no address")]
    [InlineData("scrape", "name=hosts&every=often&addresses=http://a/", "is no interval")]
    [InlineData("scrape", "name=hosts&every=15s&addresses=", "at least one address")]
    [InlineData("scrape", "name=hosts&every=15s&addresses=ftp://a/", "http://host:port/path")]
    public async Task What_is_wrong_in_the_form_is_told_and_what_was_typed_stays(string by, string fields, string problem)
    {
        using var mirek = await _server.Person(Role.Administrator);
        var given = fields.Split('&').Select(f => f.Split('=', 2)).Select(f => (f[0], f[1])).Append(("by", by)).ToArray();
        var page = await (await RunningServer.Post(mirek, "/sources/connect/" + by, given)).Content.ReadAsStringAsync();
        Assert.Contains(problem, page);
        Assert.Contains($"value=\"{given[0].Item2}\"", page);
        Assert.Empty(_server.Get<TokenStore>().All());
        Assert.Empty(_server.Get<ScrapeStore>().All());
    }

    [Fact]
    public async Task A_tokens_text_is_shown_once_and_never_again()
    {
        using var mirek = await _server.Person(Role.Administrator);
        var page = await (
            await RunningServer.Post(
                mirek,
                "/sources/connect/syslog",
                ("by", "syslog"),
                ("name", "quay"),
                ("rate", "500"),
                ("addresses", "10.20.0.7")
            )
        ).Content.ReadAsStringAsync();
        var token = page[page.IndexOf("kumiko_", StringComparison.Ordinal)..][..50].Split('<')[0];
        Assert.Equal("quay", _server.Get<TokenStore>().Find(token, TokenPurpose.Intake)!.Name);
        var all = await mirek.GetStringAsync("/sources/tokens");
        Assert.DoesNotContain("kumiko_", all);
        Assert.Contains("500 records a second; known at 10.20.0.7/32", all);
    }

    [Fact]
    public async Task Names_and_bytes_that_were_received_are_text_and_nothing_else()
    {
        await _server
            .Get<RecordStore>()
            .Keep([new Refused(3, 4, "no <good>", [.. "<script>alert(1)</script>\u001b[31m"u8, 0xff, 0x00])], "<b>quay</b>");
        using var mirek = await _server.Person(Role.Administrator);
        foreach (var path in new[] { "/sources", "/sources/refused", SourceLinks.Of("<b>quay</b>") })
        {
            var page = await mirek.GetStringAsync(path);
            Assert.DoesNotContain("<script>alert", page);
            Assert.DoesNotContain("<b>quay", page);
            Assert.Contains("&lt;b&gt;quay", page);
        }
        var refused = WebUtility.HtmlDecode(
            await mirek.GetStringAsync("/sources/refused?source=" + Uri.EscapeDataString("<b>quay</b>"))
        );
        Assert.Contains(@"<script>alert(1)</script>\u{1b}[31m\xff\u{0}", refused);
        Assert.Contains("3:4", refused);
    }

    [Fact]
    public async Task The_rows_renew_themselves_with_days_and_a_source_gone_silent_is_told()
    {
        using var quay = await _server.Program(TokenPurpose.Intake);
        for (var i = 0; i < 12; i++)
        {
            await quay.PostAsync("/intake/records", new StringContent("{\"body\":\"x\"}"));
            _server.Clock.Advance(TimeSpan.FromMinutes(1));
        }
        using var mirek = await _server.Person(Role.Administrator);
        var rows = await mirek.GetStringAsync("/sources?handler=Rows");
        Assert.Contains("A day each, 12 in all", rows);
        Assert.DoesNotContain("gone silent", rows);
        _server.Clock.Advance(TimeSpan.FromMinutes(10));
        Assert.Contains("has gone silent", await mirek.GetStringAsync("/sources?handler=Rows"));
    }
}
