using System.Diagnostics;
using OpenQA.Selenium;
using OpenQA.Selenium.Support.UI;

namespace Kumiko.Browser.Tests;

/// <summary>Senders are connected by the guided page, seen, and revoked, as a person does it.</summary>
[Collection("watching")]
public sealed class SourcesJourneyTests(RunningDemo demo)
{
    private static string Shell(string command)
    {
        using var shell = Process.Start(
            new ProcessStartInfo("bash", ["-c", command]) { RedirectStandardOutput = true, RedirectStandardError = true }
        )!;
        var text = shell.StandardOutput.ReadToEnd();
        shell.WaitForExit();
        return text;
    }

    private static void Connect(Browser browser, string kind, string name)
    {
        browser.Press("Connect a sender");
        browser.Press(kind);
        browser.Find("input[name=name]").SendKeys(name);
        browser.Find(".rule-form button[type=submit]").Click();
        Assert.Contains("Waiting for the first thing from " + name, browser.Text(".waiting"));
    }

    /// <summary>The settings under a title that begins so.</summary>
    private static string Settings(Browser browser, string title) =>
        browser
            .All(".settings")
            .First(s => s.Text.StartsWith(title, StringComparison.Ordinal))
            .FindElement(By.TagName("pre"))
            .Text;

    [Fact]
    public void A_sender_is_connected_its_first_record_seen_and_its_token_revoked()
    {
        using var browser = new Browser(demo);
        browser.SignIn("Mirek Dane", "/sources");
        Connect(browser, "Plain HTTP", "tide-agent");
        var command = Settings(browser, "Newline-delimited JSON")
            .Replace("2026-11-23T17:51:00Z", demo.Clock.GetUtcNow().ToString("O"), StringComparison.Ordinal);
        Assert.Contains(browser.Text("code.token"), command);
        Assert.Contains("\"taken\":1", Shell(command));
        Assert.Contains("a record came from tide-agent", browser.Text(".waiting.came h3"));
        Assert.Contains("first record", browser.Text(".first-thing"));
        // A record of this very moment lies at the open end of the focus.
        demo.Clock.Advance(TimeSpan.FromSeconds(2));
        browser.Press("search its records");
        browser.Until(
            () => browser.Text("details.record").Contains("first record", StringComparison.Ordinal),
            "the record in Search"
        );
        Assert.Equal("source = tide-agent", browser.Query);

        browser.Open("/sources");
        browser.Until(
            () => browser.Text("table.sources").Contains("known by token “tide-agent”", StringComparison.Ordinal),
            "the source in the list"
        );
        browser.Press("tokens");
        var row = browser.Until(
            () => browser.All("table.list tr").FirstOrDefault(r => r.Text.Contains("tide-agent", StringComparison.Ordinal)),
            "the token"
        );
        row.FindElement(By.TagName("summary")).Click();
        row.FindElement(By.CssSelector("form button")).Click();
        browser.Until(
            () =>
                browser
                    .All("table.list tr.ended")
                    .Any(r =>
                        r.Text.Contains("tide-agent", StringComparison.Ordinal)
                        && r.Text.Contains("revoked", StringComparison.Ordinal)
                    ),
            "the revoked token"
        );
        Assert.Contains("needs a token", Shell(command));
        Assert.Empty(browser.Problems);
    }

    [Theory]
    [InlineData("OpenTelemetry", "otlp-agent", "To try it by hand", "a record came", "first record")]
    [InlineData("Syslog", "mast-agent", "To try it by hand", "a record came", "first record")]
    [InlineData(
        "Changes",
        "release-agent",
        "A CloudEvent",
        "a change came",
        "gate firmware, Tarnhead: 7.2 → 7.3, by Oluchi Brandt"
    )]
    [InlineData("Changes", "restart-agent", "The same with its attributes", "a change came", "seat ledger restarted, ledger-2")]
    public void The_settings_of_every_guide_work_as_they_stand(string kind, string name, string title, string came, string text)
    {
        using var browser = new Browser(demo);
        browser.SignIn("Mirek Dane", "/sources");
        Connect(browser, kind, name);
        Shell(Settings(browser, title));
        Assert.Contains(came, browser.Text(".waiting.came h3"));
        Assert.Contains(text, browser.Text(".first-thing"));
    }

    [Fact]
    public void What_is_refused_while_one_waits_is_told_and_can_be_looked_at()
    {
        using var browser = new Browser(demo);
        browser.SignIn("Mirek Dane", "/sources");
        Connect(browser, "Syslog", "lost-agent");
        Shell(Settings(browser, "To try it by hand").Replace("kumiko_", "wrong_", StringComparison.Ordinal));
        browser.Until(() => browser.Text(".waiting").Contains("Something was refused", StringComparison.Ordinal), "the refusal");
        browser.Press("what was refused");
        Assert.Contains("the message shows no token that works", browser.Text(".refused-things"));
        Assert.Contains("first record", browser.Text(".refused-things .head"));
    }

    [Fact]
    public void Listed_targets_are_scraped()
    {
        using var browser = new Browser(demo);
        browser.SignIn("Mirek Dane", "/sources/connect");
        browser.Press("Scraped metrics");
        browser.Find("input[name=name]").SendKeys("berths");
        browser
            .Find("textarea[name=addresses]")
            .SendKeys(demo.Address + "/demo/metrics/berth-planner\n" + demo.Address + "/nowhere");
        browser.Find(".rule-form button[type=submit]").Click();
        browser.Until(() => browser.All(".waiting.came").Count > 0, "samples", timePasses: true);
        Assert.Contains("metrics came from berths", browser.Text(".waiting.came h3"));
        browser.Press("scraped targets");
        browser.Until(
            () =>
            {
                browser.Driver.Navigate().Refresh();
                return browser.Text("table.list").Contains("It answered 302", StringComparison.Ordinal)
                    || browser.Text("table.list").Contains("It answered 404", StringComparison.Ordinal);
            },
            "the target that fails",
            timePasses: true
        );
        foreach (var _ in new[] { 1, 2 })
        {
            browser
                .Until(
                    () =>
                        browser
                            .All("table.list tr")
                            .First(r => r.Text.Contains("berths", StringComparison.Ordinal))
                            .FindElement(By.CssSelector("form button")),
                    "remove"
                )
                .Click();
            browser.Find(".undo");
        }
        Assert.DoesNotContain("berths", browser.Text("table.list"));
    }

    [Fact]
    public void A_change_is_written_down_seen_on_the_strip_and_taken_back()
    {
        using var browser = new Browser(demo);
        browser.SignIn("Oluchi Brandt", "/sources/change");
        browser.Find("input[name=what]").SendKeys("berth plan by hand");
        new SelectElement(browser.Find("select[name=kind]")).SelectByText("config");
        browser.Find("input[name=place]").SendKeys("Lindle");
        browser.Find("input[name=at]").Clear();
        browser.Find("input[name=at]").SendKeys("soonish");
        browser.Find(".rule-form button[type=submit]").Click();
        Assert.Contains("“soonish” is no time", browser.Text("[role=alert]"));
        browser.Find("input[name=at]").Clear();
        browser.Find("input[name=at]").SendKeys("now");
        browser.Find(".rule-form button[type=submit]").Click();
        Assert.Contains("berth plan by hand", browser.Text("table.list"));
        browser.Until(
            () =>
                browser
                    .All("#strip .change title")
                    .Any(t =>
                        t.GetAttribute("textContent")!
                            .Contains("berth plan by hand, Lindle, by Oluchi Brandt", StringComparison.Ordinal)
                    ),
            "the change on the strip"
        );
        browser
            .All("table.list tr")
            .First(r => r.Text.Contains("berth plan by hand", StringComparison.Ordinal))
            .FindElement(By.CssSelector("form button"))
            .Click();
        browser.Until(
            () => browser.All("table.list tr").All(r => !r.Text.Contains("berth plan by hand", StringComparison.Ordinal)),
            "taken back"
        );
    }

    [Fact]
    public void The_senders_of_the_line_are_seen_with_their_protocols_and_a_viewer_only_looks()
    {
        using var browser = new Browser(demo);
        browser.SignIn("Sunniva Aske", "/sources");
        foreach (
            var told in new[]
            {
                "OTLP over HTTP, protobuf",
                "syslog over TCP",
                "OpenMetrics, scraped",
                "NDJSON over HTTP",
                "CloudEvents over HTTP, structured",
            }
        )
            browser.Until(() => browser.Text("table.sources").Contains(told, StringComparison.Ordinal), told, timePasses: true);
        browser.Until(
            () => browser.All("table.sources svg.bars").Count >= 2 * browser.All("table.sources tbody tr").Count,
            "the bars of days"
        );
        Assert.Empty(browser.Driver.FindElements(By.LinkText("Connect a sender")));
        browser.Open("/sources/connect/otlp");
        Assert.Contains("Only an administrator can change this: ask Mirek Dane", browser.Text("main"));
        browser.Open("/sources/of/host-metrics");
        Assert.Contains("scrape.duration", browser.Text("main"));
    }

    [Fact]
    public void What_counts_as_failed_is_set_and_spans_instances_and_figures_are_asked()
    {
        using var browser = new Browser(demo);
        browser.SignIn("Mirek Dane", "/sources");
        Connect(browser, "OpenTelemetry", "planner-agent");
        var now = demo.Clock.GetUtcNow().ToUnixTimeMilliseconds() * 1_000_000;
        string Span(string id, string type) =>
            $$$"""
                {"traceId":"5b8aa5a2d2c872e8321cf37308d69df2","spanId":"{{{id}}}","name":"plan berth {{{id[^1]}}}7","kind":2,
                 "startTimeUnixNano":"{{{now}}}","endTimeUnixNano":"{{{now + 40_000_000}}}","status":{"code":2},
                 "attributes":[{"key":"error.type","value":{"stringValue":"{{{type}}}"}}]}
                """;
        var body = $$$"""
            {"resourceSpans":[{"resource":{"attributes":[{"key":"service.name","value":{"stringValue":"quay-planner"}},
             {"key":"service.instance.id","value":{"stringValue":"planner-9"}}]},
             "scopeSpans":[{"spans":[{{{Span("051581bf3cb55c11", "sailing unknown")}}},{{{Span(
                "051581bf3cb55c12",
                "time-out"
            )}}}]}]}]}
            """;
        Shell(
            $"curl -s -X POST {demo.Address.TrimEnd('/')}/v1/traces -H 'Content-Type: application/json' -H 'Authorization: Bearer {browser.Text("code.token")}' -d '{body}'"
        );
        Assert.Contains("plan berth", browser.Text(".first-thing"));

        browser.Open("/sources");
        browser.Press("what counts as failed");
        browser.Find("input[name=service]").SendKeys("quay-planner");
        browser.Find("input[name=condition]").SendKeys("status = error and error.type != \"sailing unknown\"");
        browser.Press("Set it");
        demo.Clock.Advance(TimeSpan.FromSeconds(2));
        browser
            .Until(
                () => browser.All("table.list td a").FirstOrDefault(a => a.Text.StartsWith("status", StringComparison.Ordinal)),
                "the condition"
            )
            .Click();
        browser.Until(() => browser.Query.StartsWith("from spans failed = true", StringComparison.Ordinal), "the query");
        browser.Until(
            () => browser.Text("[data-grid]").Contains("plan berth 27", StringComparison.Ordinal),
            "the span that failed"
        );
        Assert.DoesNotContain("plan berth 17", browser.Text("[data-grid]"));

        browser.Ask("from instances service = quay-planner");
        browser.Until(() => browser.Text("[data-grid]").Contains("planner-9", StringComparison.Ordinal), "the instance");
        // Figures are written a little after the minute.
        browser.Until(
            () =>
            {
                demo.Clock.Advance(TimeSpan.FromSeconds(20));
                browser.Ask("from metrics name = spans service = quay-planner | group growth(value) as n by operation");
                return browser.Text("[data-grid]").Contains("plan berth {id}", StringComparison.Ordinal);
            },
            "the figures"
        );
        Assert.Empty(browser.Problems);
    }
}
