using System.Globalization;
using Kumiko.Core.Records;
using OpenQA.Selenium;
using OpenQA.Selenium.Interactions;

namespace Kumiko.Browser.Tests;

/// <summary>From a mass of records to the one that matters: gathered, tabulated, live, and metrics by their fields.</summary>
[Collection("asking")]
public sealed class GatherJourneyTests(RunningDemo demo)
{
    private static void Keyed(Browser browser, params string[] keys)
    {
        var actions = new Actions(browser.Driver);
        foreach (var key in keys)
            actions.SendKeys(key);
        actions.Perform();
    }

    /// <summary>A line of JSON, some minutes ago.</summary>
    private string Line(string service, string body, double minutesAgo, string more = "")
    {
        var time = Instants.Format(Instants.FromDateTime(demo.Clock.GetUtcNow().AddMinutes(-minutesAgo)));
        return $"{{\"time\":\"{time}\",\"service\":\"{service}\",\"host\":\"probe-1\",\"body\":\"{body}\"{more}}}";
    }

    [Fact]
    public async Task A_fortnight_of_noise_becomes_one_screen_and_the_rare_line_is_found()
    {
        const double Fortnight = 14 * 24 * 60;
        var lines = Enumerable
            .Range(0, 3_000)
            .Select(i =>
                (i % 3) switch
                {
                    0 => Line("buoy-relay", $"beacon {i} heard at {i % 90} dB", i * Fortnight / 3_100),
                    1 => Line("buoy-relay", $"frame {i} kept for {i % 40}ms", i * Fortnight / 3_100),
                    _ => Line("buoy-relay", $"clock moved by {i % 9}ms", i * Fortnight / 3_100),
                }
            )
            .Concat(Enumerable.Range(0, 40).Select(i => Line("buoy-relay", $"battery of buoy {i} at {60 + (i % 30)}%", i * 400)))
            .Append(Line("buoy-relay", "hull of buoy 17 took water for 3 minutes", 5_000));
        foreach (var part in lines.Chunk(1_000))
            await demo.Send(part);

        using var ines = new Browser(demo);
        ines.SignIn("Ines Halloran", "/search?q=service %3D buoy-relay&from=-15d&to=now");
        ines.Press("Gather");
        ines.Until(() => ines.All(".gathered-line").Count == 5, "five patterns");
        Assert.Equal("5 patterns", ines.Text("#gathered"));
        Assert.Empty(ines.Axe());

        foreach (var box in ines.All(".gathered-line input").Take(3))
            box.Click();
        Assert.Equal("3 chosen", ines.Text("[data-chosen]"));
        ines.Press("Put aside…");
        ines.Find("input[name=reason]").SendKeys("the buoys say so all day");
        ines.Find("input[name=reason]").SendKeys(Keys.Enter);
        ines.Until(() => ines.All(".gather form .gathered-line").Count == 2, "two are left");
        ines.Until(
            () =>
                ines.Text(".hides")
                    .Contains("3 patterns put aside hide 3\u2009000 of 3\u2009041 records", StringComparison.Ordinal),
            "how much that hides"
        );

        ines.Find(".gather-acts > details summary[aria-label^=Order]").Click();
        ines.Press("by rarity");
        ines.Until(
            () =>
                ines.All(".gather form .gathered-line .text")
                    .FirstOrDefault()
                    ?.Text.StartsWith("hull of buoy", StringComparison.Ordinal) == true,
            "the rarest first"
        );
        ines.Click(() => ines.Find(".gather form .gathered-line summary"));
        ines.Until(() => ines.All(".pattern-unfolded .example").Count > 0, "its examples");
        Assert.Empty(ines.Axe());
        ines.Press("Its first record");
        ines.Until(
            () =>
                ines.Here.Contains("at=", StringComparison.Ordinal)
                && ines.All("details.record[open] .body")
                    .FirstOrDefault()
                    ?.Text.StartsWith("hull of buoy 17", StringComparison.Ordinal) == true,
            "its first record"
        );

        // It is brought back where it is said to be hidden.
        ines.Press("Gather");
        ines.Click(() => ines.Find(".aside-list > summary"));
        Assert.Equal(3, ines.All(".hidden-line").Count);
        ines.Press("Bring back");
        ines.Until(() => ines.All(".gather form .gathered-line").Count == 3, "one is back");
    }

    [Fact]
    public async Task Columns_are_chosen_sorted_and_copied()
    {
        await demo.Send([
            .. Enumerable
                .Range(0, 30)
                .Select(i =>
                    Line("ramp-scale", $"car {i} weighed", i, $",\"weight\":{1_000 + (i * 37 % 900)},\"lane\":\"L{i % 4}\"")
                ),
        ]);
        using var ines = new Browser(demo);
        ines.SignIn("Ines Halloran", "/search?q=service %3D ramp-scale&from=-2h&to=now");
        ines.Press("Tabulate");
        ines.Until(() => ines.All("[data-grid] tbody tr").Count > 20, "a table");
        ines.Until(() => ines.Field("weight") is not null, "the field");
        foreach (var field in new[] { "weight", "lane" })
        {
            ines.Click(() => ines.Field(field)!.FindElement(By.CssSelector(".as-column")));
            ines.Until(
                () => ines.All(".col-head > a").Any(h => h.Text.StartsWith(field, StringComparison.Ordinal)),
                field + " as a column"
            );
        }
        Assert.Empty(ines.Axe());

        ines.Click(() => ines.All(".col-head > a").First(h => h.Text.StartsWith("weight", StringComparison.Ordinal)));
        ines.Until(() => ines.Query.Contains("order by weight desc", StringComparison.Ordinal), "the order in the query");
        var at = ines.All(".col-head > a")
            .Select(h => h.Text)
            .ToList()
            .FindIndex(h => h.StartsWith("weight", StringComparison.Ordinal));
        List<long> Weights() =>
            [
                .. ines.All("[data-grid] tbody tr")
                    .Select(r => r.FindElements(By.CssSelector("td[data-cell] .v")))
                    .Where(c => c.Count > at)
                    .Select(c =>
                        long.Parse(c[at].Text.Replace("\u2009", "", StringComparison.Ordinal), CultureInfo.InvariantCulture)
                    ),
            ];
        var weights = ines.Until(
            () => Weights() is { Count: 30 } all && all.SequenceEqual(all.OrderDescending()) ? all : null,
            "the heaviest first"
        );

        // Two cells beside each other, in two rows.
        ines.Click(() => ines.All("[data-grid] tbody tr")[0].FindElements(By.CssSelector("td[data-cell]"))[at]);
        new Actions(ines.Driver)
            .KeyDown(Keys.Shift)
            .SendKeys(Keys.ArrowDown)
            .SendKeys(Keys.ArrowRight)
            .KeyUp(Keys.Shift)
            .KeyDown(Keys.Control)
            .SendKeys("c")
            .KeyUp(Keys.Control)
            .Perform();
        ines.Until(() => ines.Text("[data-grid-told]") == "4 cells copied", "what was copied");
        ines.Find(".cm-content").Click();
        new Actions(ines.Driver).KeyDown(Keys.Control).SendKeys("a").SendKeys("v").KeyUp(Keys.Control).Perform();
        var pasted = ines.Query.Split('\n').Where(l => l.Trim().Length > 0).ToList();
        Assert.Equal(2, pasted.Count);
        Assert.StartsWith(weights[0].ToString(CultureInfo.InvariantCulture), pasted[0].TrimStart());
        Assert.Contains("L", pasted[1]);
    }

    [Fact]
    public async Task A_flood_is_followed_by_a_share_and_a_lost_connection_loses_nothing()
    {
        async Task Flood(int from, int count)
        {
            foreach (
                var part in Enumerable
                    .Range(from, count)
                    .Select(i => $"{{\"service\":\"tide-probe\",\"body\":\"probe {i} {(i % 2 == 0 ? "high" : "low")} water\"}}")
                    .Chunk(2_500)
            )
                await demo.Send(part);
        }
        await Flood(0, 1);
        using var ines = new Browser(demo);
        ines.SignIn("Ines Halloran", "/search?q=service %3D tide-probe&marks=0high%091low");
        ines.Until(() => ines.All("details.record").Count == 1, "the first record");
        ines.Click(() => ines.Find("[data-live-switch]"));
        await Flood(1, 10_000);
        ines.Until(() => ines.Text("#live-told").Contains("1 in ", StringComparison.Ordinal), "the share", timePasses: true);
        Assert.Contains("a second match", ines.Text("#live-told"));
        Assert.NotEmpty(ines.All(".body mark.colour-0"));
        Assert.NotEmpty(ines.All(".body mark.colour-1"));
        Assert.All(ines.All("#records .body").Take(40), b => Assert.StartsWith("probe", b.GetAttribute("textContent")));

        ines.Driver.ExecuteCdpCommand("Network.enable", []);
        void Connection(bool lost) =>
            ines.Driver.ExecuteCdpCommand(
                "Network.emulateNetworkConditions",
                new Dictionary<string, object?>
                {
                    ["offline"] = lost,
                    ["latency"] = 0,
                    ["downloadThroughput"] = -1,
                    ["uploadThroughput"] = -1,
                }
            );
        Connection(lost: true);
        ines.Until(
            () => ines.Text("#live-told").Contains("connection is lost", StringComparison.Ordinal),
            "that it is lost",
            timePasses: true
        );
        await Flood(90_001, 3);
        Connection(lost: false);
        ines.Until(
            () =>
                ines.All("#records .body")
                    .Count(b => b.GetAttribute("textContent")!.StartsWith("probe 9000", StringComparison.Ordinal)) == 3,
            "the three that came meanwhile",
            timePasses: true
        );
        var ids = ines.All("#records > details.record").Select(r => r.GetAttribute("data-record")).ToList();
        Assert.Equal(ids.Distinct().Count(), ids.Count);
    }

    [Fact]
    public void The_attributes_of_a_metric_are_narrowed_by_its_fields()
    {
        using var ines = new Browser(demo);
        ines.SignIn("Ines Halloran", "/search?q=from metrics name %3D system.cpu.utilization&from=-1h&to=now");
        ines.Until(() => ines.All(".fields [data-value]").Count > 0, "values of fields");
        Assert.Contains("of series", ines.Find(".field summary").GetAttribute("title"));
        Assert.Equal("samples", ines.Text(".spans > span"));
        var before = ines.Text("#total");
        var host = ines.Until(() => ines.Field("host")?.FindElements(By.CssSelector("ul a.only")).FirstOrDefault(), "a host");
        var name = host.Text;
        host.Click();
        ines.Until(() => ines.Query.Contains($"host = {name}", StringComparison.Ordinal), "one host");
        ines.Until(() => ines.Text("#total") != before, "fewer samples");
        ines.Until(
            () => ines.Field("host")?.Text.Contains("1 value", StringComparison.Ordinal) == true,
            "one host in the fields"
        );
    }

    [Fact]
    public void An_export_is_followed_and_what_lies_in_a_body_is_pointed_at()
    {
        using var ines = new Browser(demo);
        ines.SignIn("Ines Halloran", "/search?q=service %3D gate-control and refused&from=-30h&to=now");
        ines.Until(() => ines.All("details.record").Count > 3, "refusals");
        ines.Click(() => ines.All("[data-export]").First(a => a.Text == "NDJSON"));
        ines.Until(
            () => ines.Text("#exporting span").Contains("It is whole.", StringComparison.Ordinal),
            "the end of the export"
        );
        Assert.Empty(ines.Axe());
        ines.Until(() => ines.Field("reason") is not null, "the field");
        new Actions(ines.Driver).MoveToElement(ines.Field("reason")!.FindElement(By.CssSelector("summary"))).Perform();
        ines.Until(() => ines.Text("#place-told").StartsWith("reason: in ", StringComparison.Ordinal), "where it lies");
        Assert.Equal(true, ines.Driver.ExecuteScript("return CSS.highlights.get('field-place').size > 0"));
        ines.Find("details.marks summary").Click();
        ines.Find("[data-mark-form] input").SendKeys("refused, SK-");
        ines.Find("[data-mark-form] button").Click();
        ines.Until(() => ines.All(".mark-count").Count == 2, "two marks with their counts");
        ines.Click(() => ines.All("[data-mark-step=on]")[0]);
        ines.Until(() => ines.All("details.record[data-stepped]").Count == 1, "the next one");
        Assert.Empty(ines.Axe());
    }
}
