using OpenQA.Selenium;
using OpenQA.Selenium.Interactions;

namespace Kumiko.Browser.Tests;

/// <summary>From the catalogue of metrics to a chart, and what can be done with a chart, as a person does it.</summary>
[Collection("watching")]
public sealed class ChartJourneyTests(RunningDemo demo)
{
    [Fact]
    public void A_metric_is_found_in_the_catalogue_and_drawn_by_one_click()
    {
        using var browser = new Browser(demo);
        browser.SignIn("Ines Halloran", "/sources");
        browser.Press("metrics");
        browser.Find("#find-metric").SendKeys("tide" + Keys.Enter);
        browser.Until(() => browser.All("table.metrics > tbody > tr").Count == 1, "one metric");
        Assert.Contains("Height of the water", browser.Text("table.metrics"));
        browser.Find("table.metrics a.mono").Click();
        Assert.Contains("tide-1", browser.Text("table.attributes"));
        browser.Press("Draw");
        browser.Until(
            () => browser.Query.StartsWith("from metrics name = skerry.tide.height", StringComparison.Ordinal),
            "the query"
        );
        browser.Find("svg.chart-picture path.line");
        Assert.Contains("tide-1", browser.Text("table.legend"));
        Assert.Empty(browser.Problems);
    }

    [Fact]
    public void Metric_names_and_attributes_are_completed_while_one_types()
    {
        using var browser = new Browser(demo);
        browser.SignIn("Ines Halloran", "/search?q=from metrics name = ");
        browser.Find(".cm-content").Click();
        browser.Find(".cm-content").SendKeys(Keys.Control + Keys.End);
        browser.Find(".cm-content").SendKeys(" skerry.tid");
        browser.Until(
            () =>
                browser
                    .All(".cm-tooltip-autocomplete li")
                    .Any(l => l.Text.Contains("skerry.tide.height", StringComparison.Ordinal)),
            "the metric"
        );
    }

    [Fact]
    public void Charts_are_read_by_pointer_keyboard_and_legend()
    {
        using var browser = new Browser(demo);
        browser.SignIn("Ines Halloran", "/demo/gallery?from=-24h&to=now");
        var line = browser.Find("[data-sample=line] svg.chart-picture");
        new Actions(browser.Driver).MoveToElement(line).Perform();
        var tip = browser.Until(() => browser.All("[data-sample=line] .tooltip").FirstOrDefault(t => t.Displayed), "the tooltip");
        // The highest first, and the cross-hair on the chart beside it too.
        var values = tip.FindElements(By.TagName("b"))
            .Select(b => double.Parse(b.Text.TrimEnd('%', ' ', '\u2009'), System.Globalization.CultureInfo.InvariantCulture))
            .ToList();
        Assert.Equal(3, values.Count);
        Assert.Equal(values.OrderDescending(), values);
        Assert.Equal("visible", browser.All("[data-sample=step] .hair")[0].GetAttribute("visibility"));

        browser.Driver.ExecuteScript("document.querySelector('[data-sample=line] svg.chart-picture').focus()");
        new Actions(browser.Driver).SendKeys(Keys.Home).SendKeys(Keys.ArrowRight).Perform();
        var told = browser.Until(
            () =>
                browser.All("[data-sample=line] [data-told]")[0].GetAttribute("textContent") is { Length: > 0 } text
                    ? text
                    : null,
            "the words"
        );
        Assert.Matches(@"\w{3} \d+ \w{3}, \d\d:\d\d to \d\d:\d\d\. .*gate-control \d", told);
        new Actions(browser.Driver).SendKeys(Keys.ArrowRight).Perform();
        browser.Until(
            () => browser.All("[data-sample=line] [data-told]")[0].GetAttribute("textContent") != told,
            "the next point"
        );

        int Shown() => browser.All("[data-sample=line] svg.chart-picture path.line:not(.unfinished)").Count(p => p.Displayed);
        Assert.Equal(3, Shown());
        var only = browser.All("[data-sample=line] [data-only]");
        only[0].Click();
        Assert.Equal((1, "true"), (Shown(), only[0].GetAttribute("aria-pressed")));
        new Actions(browser.Driver).KeyDown(Keys.Shift).Click(only[1]).KeyUp(Keys.Shift).Perform();
        Assert.Equal(2, Shown());
        new Actions(browser.Driver).KeyDown(Keys.Shift).Click(only[1]).KeyUp(Keys.Shift).Perform();
        only[0].Click();
        Assert.Equal(3, Shown());

        // What is higher than its view scrolls, by its overview too.
        var view = browser.Find("[data-sample=bar] .chart-view");
        new Actions(browser.Driver).MoveToElement(browser.Find("[data-sample=bar] .overview"), 5, 80).Click().Perform();
        browser.Until(
            () => Convert.ToDouble(view.GetDomProperty("scrollTop"), System.Globalization.CultureInfo.InvariantCulture) > 10,
            "scrolled"
        );
        Assert.Empty(browser.Problems);
    }

    [Fact]
    public void A_stretch_drawn_on_a_chart_becomes_the_focus()
    {
        using var browser = new Browser(demo);
        browser.SignIn(
            "Ines Halloran",
            "/search?q=from metrics name = system.cpu.utilization | group avg(value) by service per 10m&from=-24h&to=now"
        );
        var chart = browser.Find("svg.chart-picture");
        new Actions(browser.Driver).MoveToElement(chart, -100, 0).ClickAndHold().MoveByOffset(150, 0).Release().Perform();
        browser.Until(
            () =>
                !browser.Here.Contains("from=-24h", StringComparison.Ordinal)
                && browser.Here.Contains("from=", StringComparison.Ordinal),
            "a new focus"
        );
        browser.Find("svg.chart-picture path.line");
    }

    [Fact]
    public async Task Every_picture_is_had_as_svg_png_and_csv()
    {
        using var browser = new Browser(demo);
        browser.SignIn("Ines Halloran", "/demo/gallery?from=-6h&to=now");
        var links = browser.All(".under .files a").Select(a => a.GetDomProperty("href")!).ToList();
        Assert.True(links.Count >= 3 * 15);
        using var http = new HttpClient(new HttpClientHandler { UseCookies = false });
        http.DefaultRequestHeaders.Add(
            "Cookie",
            string.Join("; ", browser.Driver.Manage().Cookies.AllCookies.Select(c => $"{c.Name}={c.Value}"))
        );
        foreach (var link in links)
        {
            using var response = await http.GetAsync(link, TestContext.Current.CancellationToken);
            Assert.True(response.IsSuccessStatusCode, link);
            var bytes = await response.Content.ReadAsByteArrayAsync(TestContext.Current.CancellationToken);
            Assert.True(
                link[^3..] switch
                {
                    "svg" => bytes.AsSpan().StartsWith("<svg"u8),
                    "png" => bytes.AsSpan(1, 3).SequenceEqual("PNG"u8),
                    _ => bytes.AsSpan().IndexOf((byte)',') > 0,
                },
                link
            );
        }
    }
}
