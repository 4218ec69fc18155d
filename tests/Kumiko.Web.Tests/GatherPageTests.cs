using System.Net;
using System.Text;
using System.Text.RegularExpressions;
using Kumiko.Core.Accounts;
using Kumiko.Core.Storage;

namespace Kumiko.Web.Tests;

/// <summary>Records by their patterns, as their page asks over HTTP.</summary>
public sealed class GatherPageTests : IAsyncLifetime
{
    private RunningServer _server = null!;
    private HttpClient _ines = null!;

    public async ValueTask InitializeAsync()
    {
        _server = await RunningServer.Start();
        _ines = await _server.Person();
    }

    public ValueTask DisposeAsync()
    {
        _ines.Dispose();
        return _server.DisposeAsync();
    }

    private async Task Send(params IEnumerable<string> bodies)
    {
        using var intake = await _server.Program(TokenPurpose.Intake);
        var lines = bodies.Select(b =>
            $"{{\"body\":\"{b}\",\"level\":\"{(b.Contains("refused") ? "error" : "info")}\",\"service\":\"gate-control\",\"host\":\"gate-t3\"}}"
        );
        (
            await intake.PostAsync("/intake/records", new StringContent(string.Join('\n', lines), Encoding.UTF8))
        ).EnsureSuccessStatusCode();
        // The focus ends just before now.
        _server.Clock.Advance(TimeSpan.FromSeconds(1));
    }

    private static IEnumerable<string> Refusals(int count) =>
        Enumerable.Range(0, count).Select(i => $"ticket SK-{1000 + i} refused: seat already claimed after {i % 50}ms");

    private static IEnumerable<string> Openings(int count) => Enumerable.Range(0, count).Select(i => $"gate {i} opened");

    private async Task<string> Page(string url) => WebUtility.HtmlDecode(await _ines.GetStringAsync(url));

    private static string Plain(string html) => Regex.Replace(Regex.Replace(html, "<[^>]*>", " "), @"\s+", " ");

    private string PatternOf(string begin) =>
        _server.Get<RecordStore>().Current.Patterns!.All().Single(p => p.Text.StartsWith(begin, StringComparison.Ordinal)).Name;

    [Fact]
    public async Task A_query_is_gathered_with_counts_shares_and_severities()
    {
        await Send(Refusals(30).Concat(Openings(10)));
        var page = Plain(await Page("/search?tab=gather"));
        Assert.Contains("40 records", page);
        Assert.Matches(@"Gather 2 patterns", page);
        Assert.Matches(@"30 75% .*? ticket ticket refused: reason after duration|30 75% ", page);
        Assert.Contains("data-gathered=\"2 patterns\"", await Page("/search?handler=Gather&tab=gather"));
        // Of any query, those of a group too.
        var grouped = Plain(await Page("/search?tab=gather&q=" + Uri.EscapeDataString("refused | group count() by host")));
        Assert.Contains("1 pattern", grouped);
        Assert.Contains("30 100%", grouped);
        Assert.Contains("no record to gather", Plain(await Page("/search?tab=gather&q=nothing-like-it")));
    }

    [Fact]
    public async Task A_pattern_unfolds_into_its_gaps_examples_and_where_else()
    {
        await Send(Refusals(60));
        var part = Plain(await Page("/search?handler=Pattern&tab=gather&pattern=" + Uri.EscapeDataString(PatternOf("ticket"))));
        Assert.Contains("to 49 ms; median", part);
        Assert.Contains("on 1 host: gate-t3 100%", part);
        Assert.Contains("the query leaves none of this time out", part);
        var narrower = Plain(
            await Page(
                "/search?handler=Pattern&tab=gather&q="
                    + Uri.EscapeDataString("\"SK-1001\"")
                    + "&pattern="
                    + Uri.EscapeDataString(PatternOf("ticket"))
            )
        );
        Assert.Contains("59 more of this time are left out by the query", narrower);
        Assert.Equal(HttpStatusCode.NotFound, (await _ines.GetAsync("/search?handler=Pattern&pattern=%2300000000")).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await _ines.GetAsync("/search?handler=Pattern&pattern=nonsense")).StatusCode);
    }

    [Fact]
    public async Task Chosen_patterns_become_a_condition_that_can_be_read()
    {
        await Send(Refusals(3).Concat(Openings(4)).Concat(["lamp of lane 3 lit"]));
        var (refused, opened) = (PatternOf("ticket"), PatternOf("gate"));
        var only = await RunningServer.Post(
            _ines,
            "/patterns?handler=Pick",
            ("address", "?q=host+%3D+gate-t3&tab=gather"),
            ("act", "only"),
            ("pattern", refused),
            ("pattern", opened)
        );
        var location = Uri.UnescapeDataString(only.Headers.Location!.OriginalString);
        Assert.Contains($"host = gate-t3 and pattern in ({refused}, {opened})", location);
        Assert.Contains("7 records", Plain(await Page(only.Headers.Location.OriginalString)));
        var without = await RunningServer.Post(
            _ines,
            "/patterns?handler=Pick",
            ("address", "?tab=gather"),
            ("act", "without"),
            ("pattern", refused)
        );
        Assert.Contains("5 records", Plain(await Page(without.Headers.Location!.OriginalString)));
    }

    [Fact]
    public async Task The_first_record_of_a_pattern_is_opened_at_its_place()
    {
        await Send(Openings(30));
        await Send("lamp of lane 3 lit");
        await Send(Openings(30).Concat(["lamp of lane 4 lit"]));
        var answer = await _ines.GetAsync("/search?handler=First&tab=gather&pattern=" + Uri.EscapeDataString(PatternOf("lamp")));
        var page = await Page(answer.Headers.Location!.OriginalString);
        var open = Regex.Match(page, "<details class=\"record[^>]* open.*?</summary>", RegexOptions.Singleline).Value;
        Assert.Contains("lane 3", Plain(open).Replace(" 3", " 3", StringComparison.Ordinal));
        Assert.Contains("lamp of lane 3 lit", Plain(page));
        Assert.Equal(HttpStatusCode.NotFound, (await _ines.GetAsync("/search?handler=First&pattern=%2300000000")).StatusCode);
    }

    private Task<HttpResponseMessage> PutAside(HttpClient who, string pattern, string reason, params (string, string)[] more) =>
        RunningServer.Post(
            who,
            "/patterns?handler=Aside",
            [("address", "?tab=gather"), ("pattern", pattern), ("reason", reason), .. more]
        );

    [Fact]
    public async Task What_is_put_aside_is_hidden_said_and_brought_back()
    {
        await Send(Refusals(30).Concat(Openings(10)));
        var opened = PatternOf("gate");
        var refused = await PutAside(_ines, opened, "");
        Assert.Contains("Say why it is harmless", await Page(refused.Headers.Location!.OriginalString));
        await PutAside(_ines, opened, "they open all day");
        var page = Plain(await Page("/search?tab=gather"));
        Assert.Contains("1 pattern put aside hides 10 of 40 records (25%)", page);
        Assert.Contains("they open all day for me by", page);
        // For oneself alone, unless one says otherwise.
        using var viewer = await _server.Person(Role.Viewer);
        Assert.DoesNotContain("put aside hides", Plain(WebUtility.HtmlDecode(await viewer.GetStringAsync("/search?tab=gather"))));
        Assert.Equal(HttpStatusCode.Forbidden, (await PutAside(viewer, opened, "x", ("all", "true"))).StatusCode);
        await PutAside(_ines, opened, "for all", ("all", "true"), ("days", "7"));
        Assert.Contains("put aside hides", Plain(WebUtility.HtmlDecode(await viewer.GetStringAsync("/search?tab=gather"))));
        Assert.Contains("for all", await Page("/patterns"));
        await RunningServer.Post(_ines, "/patterns?handler=Back", ("pattern", opened), ("all", "true"));
        await RunningServer.Post(_ines, "/patterns?handler=Back", ("pattern", opened), ("all", "false"));
        Assert.DoesNotContain("put aside hides", Plain(await Page("/search?tab=gather")));
    }

    [Fact]
    public async Task What_was_put_aside_comes_back_when_it_grows()
    {
        await Send(Openings(20));
        var opened = PatternOf("gate");
        await PutAside(_ines, opened, "they open all day", ("days", "1"));
        Assert.Contains("put aside hides 20", Plain(await Page("/search?tab=gather&base=none")));
        await Send(Openings(200));
        var grown = Plain(await Page("/search?tab=gather&base=none"));
        Assert.DoesNotContain("put aside hides", grown);
        Assert.Contains("back:", grown);
    }

    [Fact]
    public async Task A_pattern_gets_a_name_of_ones_own()
    {
        await Send(Refusals(5));
        var refused = PatternOf("ticket");
        await RunningServer.Post(
            _ines,
            "/patterns?handler=Call",
            ("pattern", refused),
            ("name", "seat quarrels"),
            ("all", "true")
        );
        using var viewer = await _server.Person(Role.Viewer);
        Assert.Contains("seat quarrels", await viewer.GetStringAsync("/search?tab=gather"));
        await RunningServer.Post(viewer, "/patterns?handler=Call", ("pattern", refused), ("name", "mine"));
        Assert.Contains("mine", await viewer.GetStringAsync("/search?tab=gather"));
        Assert.Contains("seat quarrels", await Page("/search?tab=gather"));
        Assert.Equal(
            HttpStatusCode.Forbidden,
            (
                await RunningServer.Post(viewer, "/patterns?handler=Call", ("pattern", refused), ("name", "x"), ("all", "true"))
            ).StatusCode
        );
        await RunningServer.Post(_ines, "/patterns?handler=Call", ("pattern", refused), ("name", ""), ("all", "true"));
        Assert.DoesNotContain("seat quarrels", await Page("/patterns"));
        Assert.Equal(
            HttpStatusCode.NotFound,
            (await RunningServer.Post(_ines, "/patterns?handler=Call", ("pattern", "nonsense"), ("name", "x"))).StatusCode
        );
    }

    [Fact]
    public async Task Markup_in_bodies_reasons_and_names_is_text()
    {
        await Send("<b>bold</b> claim 7", "<b>bold</b> claim 8");
        var name = _server.Get<RecordStore>().Current.Patterns!.All().Single().Name;
        await RunningServer.Post(_ines, "/patterns?handler=Call", ("pattern", name), ("name", "<i>slanted</i>"));
        var page = await _ines.GetStringAsync("/search?tab=gather");
        Assert.DoesNotContain("<b>bold</b>", page);
        Assert.DoesNotContain("<i>slanted</i>", page);
        await PutAside(_ines, name, "<u>under</u>");
        Assert.DoesNotContain("<u>under</u>", await _ines.GetStringAsync("/search?tab=gather"));
    }
}
