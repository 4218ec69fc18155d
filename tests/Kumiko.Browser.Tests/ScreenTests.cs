using OpenQA.Selenium;
using OpenQA.Selenium.Interactions;

namespace Kumiko.Browser.Tests;

[Collection("asking")]
public sealed class ScreenTests(RunningDemo demo)
{
    [Fact]
    public void No_screen_has_a_violation_of_accessibility_or_an_error()
    {
        using var browser = new Browser(demo);
        browser.Open("/signin");
        Assert.Empty(browser.Axe());
        browser.SignIn("Mirek Dane");
        var first = browser.Find("details.record").GetAttribute("data-record");
        // The senders must have spoken once before their pages are there.
        browser.Until(
            () =>
            {
                browser.Open("/sources");
                return browser.Text("main") is var all
                    && all.Contains("gate-control", StringComparison.Ordinal)
                    && all.Contains("host-metrics", StringComparison.Ordinal);
            },
            "the senders",
            timePasses: true
        );
        foreach (
            var path in new[]
            {
                "/search",
                "/search?at=" + first,
                "/search?q=refused%0A%7C%20group%20count()%20by%20reason%20per%205m&from=-6h&to=now",
                "/search?q=%7C%20group%20count()%20by%20service",
                "/search?q=from%20patterns",
                "/search?tab=gather&by=change&from=-6h&to=now",
                "/search?tab=table&q=level%20%3E%3D%20warn",
                "/search?marks=0refused&from=-6h&to=now",
                "/patterns",
                "/links",
                "/search?q=level%20%3E%3D",
                "/search?q=nothingmatchesthis",
                "/search?from=soon",
                "/alerts",
                "/rules/new?q=refused",
                "/rules/new?ready=disk",
                "/rules/ready",
                "/objectives",
                "/objectives/new",
                "/sources",
                "/sources/of/gate-control",
                "/sources/of/host-metrics",
                "/sources/refused",
                "/sources/metrics",
                "/sources/failed",
                "/sources/metrics?name=http.server.request.duration",
                "/search?q=from%20metrics%20name%20%3D%20system.cpu.utilization%20%7C%20group%20avg(value)%20by%20service%20per%20auto",
                "/charts",
                "/charts/join?q=with%20a%20%3D%20(level%20%3E%3D%20error%20%7C%20group%20count()%20as%20n%20by%20service%20per%205m)%20from%20a%20%7C%20group%20sum(n)%20by%20service&usual=1",
                "/searches?tab=charts",
                "/demo/gallery?look=paper&from=-6h&to=now",
                "/demo/gallery?look=lacquer&from=-6h&to=now",
                "/sources/tokens",
                "/sources/targets",
                "/sources/change",
                "/sources/files",
                "/sources/connect",
                "/sources/connect/syslog",
                "/sources/connect/scrape",
                "/demo/desk",
                "/demo/mailbox",
                "/demo/chat",
                "/demo/pager",
                "/demo/traps",
                "/alerts/channels",
                "/alerts/channels/new?kind=mail",
                "/alerts/channels/new?kind=script",
                "/alerts/calendars/new",
                "/people",
                "/me",
                "/nowhere",
            }
        )
        {
            browser.Open(path);
            browser.Until(() => browser.All("[data-load]:not([data-load-on]):not([data-load-after])").Count == 0, "all parts");
            Assert.Empty(browser.Axe());
        }
        Assert.DoesNotContain(browser.Problems, p => !p.Contains("/nowhere", StringComparison.Ordinal));
    }

    [Fact]
    public void The_release_desk_plays_every_disturbance_and_rolls_it_back()
    {
        using var browser = new Browser(demo);
        browser.SignIn("Oluchi Brandt");
        foreach (var disturbance in Kumiko.Demo.World.Disturbances.All)
        {
            browser.Open("/demo/desk");
            browser.Press(disturbance.Send);
            browser.Button(disturbance.Back);
            Assert.NotNull(demo.Truth.Open(disturbance.Number, demo.Clock.GetUtcNow()));
            browser.Press(disturbance.Back);
            browser.Button(disturbance.Send);
            Assert.Null(demo.Truth.Open(disturbance.Number, demo.Clock.GetUtcNow()));
        }
        Assert.Contains("certificate", browser.Text(".list + .band + .list"));
        using var viewer = new Browser(demo);
        viewer.SignIn("Sunniva Aske", "/demo/desk");
        Assert.Contains("An analyst can change these", viewer.Text("main"));
        Assert.DoesNotContain(viewer.All("main form button"), b =>
            b.Displayed && b.Text.Contains("firmware", StringComparison.Ordinal)
        );
    }

    [Fact]
    public void The_list_of_patterns_says_what_each_is_and_leads_to_its_records()
    {
        using var browser = new Browser(demo);
        browser.SignIn("Ines Halloran", "/search?q=from patterns | where service = 'gate-control' | limit 50&from=-6h&to=now");
        Assert.Contains("ticket {ticket} admitted after {duration}", browser.Text("table.frame"));
        Assert.Matches(@"^\d+ rows", browser.Text(".result-head strong"));
        var row = browser.All("table.frame tbody tr").First(r => r.Text.Contains("refused", StringComparison.Ordinal));
        var id = row.FindElement(By.CssSelector("td[data-cell] .v")).Text;
        browser.Open("/search?q=pattern = " + Uri.EscapeDataString(id) + "&from=-6h&to=now");
        browser.Until(() => browser.All("details.record").Count > 0, "its records");
        Assert.All(browser.All("details.record").Take(20), r => Assert.Contains("refused", r.Text));
    }

    [Fact]
    public void The_editor_says_what_is_wrong_while_one_types()
    {
        using var browser = new Browser(demo);
        browser.SignIn("Ines Halloran");
        browser.Type("refused\n| wehre x");
        browser.Until(
            () => browser.All("#state .error").FirstOrDefault()?.Text.Contains("Line 2, column 3", StringComparison.Ordinal),
            "the sentence"
        );
        Assert.Equal("wehre", browser.Text(".cm-wrong"));
        browser.Type("refused");
        browser.Until(() => browser.All("#state .error").Count == 0, "no error any more");
        Assert.Empty(browser.All(".cm-wrong"));
    }

    [Fact]
    public void A_record_unfolds_and_each_field_can_be_kept_left_out_and_counted()
    {
        using var browser = new Browser(demo);
        browser.SignIn("Ines Halloran", "/search?q=ticket and refused");
        browser.Find("details.record summary").Click();
        browser.Find(".unfolded dl");
        browser.Click(() => browser.Find(".unfolded a[aria-label^='Count by reason']"));
        browser.Until(() => browser.Query == "ticket and refused\n| group count() by reason", "count by reason");
        Assert.Contains("reason", browser.Text("table.frame thead"));
        browser.Driver.Navigate().Back();
        browser.Until(() => browser.Query == "ticket and refused", "back at the records");
        browser.Click(() => browser.Find("details.record summary"));
        browser.Click(() => browser.Find(".unfolded a[aria-label^='Show terminal']"));
        browser.Until(() => browser.All(".record .chip").Count > 0, "the field in every row");
        browser.Click(() => browser.Find("details.record summary"));
        browser.Click(() => browser.Find(".unfolded a[aria-label^='Without terminal']"));
        browser.Until(
            () => browser.Query.StartsWith("ticket and refused and terminal != ", StringComparison.Ordinal),
            "without the terminal"
        );
    }

    [Fact]
    public void Reading_on_and_keys_work_without_a_mouse()
    {
        using var browser = new Browser(demo);
        browser.SignIn("Tomas Verrall");
        browser.Driver.ExecuteScript("document.querySelector('.result').scrollTo(0, 1e6)");
        browser.Until(() => browser.All("details.record").Count > 200, "more than the first page");
        browser.Find("body").SendKeys("j");
        new Actions(browser.Driver).SendKeys("j").SendKeys("o").Perform();
        browser.Until(() => browser.All("details.record[open]").Count == 1, "an unfolded record");
        new Actions(browser.Driver).SendKeys("[").Perform();
        browser.Until(() => browser.Here.Contains("from="), "an earlier focus");
    }

    [Fact]
    public void Time_is_typed_in_plain_words_and_nonsense_is_told()
    {
        using var browser = new Browser(demo);
        browser.SignIn("Ines Halloran");
        var when = browser.Find("#when");
        when.Clear();
        when.SendKeys("last 30m" + Keys.Enter);
        browser.Until(() => browser.Here == "/search?from=-30m&to=now", "the last half hour");
        when = browser.Find("#when");
        when.Clear();
        when.SendKeys("soon" + Keys.Enter);
        browser.Until(
            () => browser.All(".strip .wrong").FirstOrDefault()?.Text.Contains("That is no time", StringComparison.Ordinal),
            "what is wrong"
        );
    }

    [Fact]
    public void Reading_works_with_scripts_blocked()
    {
        using var browser = new Browser(demo, scripts: false);
        browser.Open("/signin");
        browser.Press("Sunniva Aske");
        browser.Until(() => browser.All("details.record").Count == 200, "records");
        Assert.Empty(browser.All(".cm-editor"));
        var text = browser.Find("textarea[name=q]");
        text.SendKeys("refused");
        browser.Press("Run");
        browser.Until(() => browser.All(".record mark").Count > 0, "what was searched");
        browser.Until(() => browser.All("a.only").Count > 0, "values of fields");
        browser.Find("details.record summary").Click();
        browser.Press("All fields of this record");
        browser.Until(() => browser.All(".unfolded dl").Count > 0, "all fields");
        Assert.DoesNotContain("Be told", browser.Text("main"));
    }

    [Fact]
    public void A_phone_can_read()
    {
        using var browser = new Browser(demo, size: "500,900");
        browser.SignIn("Ines Halloran");
        Assert.NotEmpty(browser.All("details.record"));
        Assert.Equal(
            true,
            browser.Driver.ExecuteScript("return document.documentElement.scrollWidth <= document.documentElement.clientWidth")
        );
    }

    [Fact]
    public void Nothing_scrolls_sideways_at_1280_by_800()
    {
        using var browser = new Browser(demo);
        browser.SignIn("Ines Halloran");
        foreach (var path in new[] { "/search", "/alerts", "/rules/new", "/demo/desk", "/demo/mailbox" })
        {
            browser.Open(path);
            Assert.Equal(
                true,
                browser.Driver.ExecuteScript(
                    "return document.documentElement.scrollWidth <= 1280 && document.documentElement.scrollHeight <= innerHeight"
                )
            );
        }
    }
}
