using Kumiko.Charts;
using OpenQA.Selenium;
using OpenQA.Selenium.Interactions;
using OpenQA.Selenium.Support.UI;

namespace Kumiko.Browser.Tests;

/// <summary>Quantities compared on Charts, as a person does it.</summary>
[Collection("asking")]
public sealed class WorkbenchJourneyTests(RunningDemo demo)
{
    private const string Arrived = "from metrics name = skerry.notices.arrived | group growth(value) by terminal per 10m";
    private const string Shown = "from metrics name = skerry.notices.shown | group growth(value) by terminal per 10m";

    private static string At(ChartBoard board, string more = "&from=-24h&to=now") =>
        "/charts?c=" + Uri.EscapeDataString(board.ToJson()) + more;

    private static readonly ChartBoard Notices = new()
    {
        Title = "Notices behind",
        Series =
        [
            new BoardSeries("unshown", "(arrived - shown) / arrived") { Decimals = 0 },
            new BoardSeries("arrived", Arrived) { Hidden = true },
            new BoardSeries("shown", Shown) { Hidden = true },
        ],
    };

    /// <summary>Opens a series, writes its text and sets it.</summary>
    private static void Write(Browser ines, string name, string text, params (string Select, string Value)[] looks)
    {
        var form = ines.Find($"form[aria-label='Series {name}']");
        var area = form.FindElement(By.CssSelector("[data-series-text]"));
        area.Clear();
        area.SendKeys(text);
        foreach (var (select, value) in looks)
            Choose(ines, form.FindElement(By.Name(select)), value);
        ines.Click(() => form.FindElement(By.CssSelector("button.act")));
        ines.Until(() => ines.All("form[data-series-form]").Count == 0, "the row is closed");
    }

    private static void Choose(Browser ines, IWebElement element, string value)
    {
        if (element.TagName == "select")
            new SelectElement(element).SelectByText(value);
        else
        {
            element.Clear();
            element.SendKeys(value);
        }
    }

    private static void NoProblems(Browser ines)
    {
        var problems = ines.Problems;
        Assert.True(problems.Count == 0, string.Join('\n', problems));
    }

    private static IWebElement Row(Browser ines, string name) => ines.Find($"[data-series-row={name}]");

    private static void Form(Browser ines, string select, string value)
    {
        ines.Until(
            () =>
            {
                new SelectElement(ines.Find($".board-forms select[name={select}]")).SelectByText(value);
                return true;
            },
            value
        );
        ines.Until(
            () =>
                value == "none"
                    ? !ines.Here.Contains("multiplesBy", StringComparison.Ordinal)
                    : ines.Find($".board-forms select[name={select}]")
                        .FindElements(By.CssSelector("option[selected]"))
                        .Any(o => o.Text == value),
            value + " in the page"
        );
    }

    [Fact]
    public void The_share_of_notices_not_shown_by_formula_as_lines_ranking_and_heat_map()
    {
        using var ines = new Browser(demo);
        ines.SignIn("Ines Halloran");
        ines.Press("Charts");
        ines.Until(() => ines.Here.StartsWith("/charts", StringComparison.Ordinal), "Charts");
        ines.Open("/charts?from=-24h&to=now");
        // Two queries by text, and a formula over them; the first is renamed on the way.
        ines.Press("+ series");
        var form = ines.Find("form[data-series-form]");
        Choose(ines, form.FindElement(By.Name("called")), "arrived");
        Write(ines, "records", Arrived);
        ines.Until(() => ines.All("[data-series-row=arrived]").Count == 1, "its name");
        ines.Press("+ series");
        Choose(ines, ines.Find("form[data-series-form] [name=called]"), "shown");
        Write(ines, "records", Shown);
        ines.Press("+ formula");
        Choose(ines, ines.Find("form[data-series-form] [name=called]"), "unshown");
        Write(ines, "share", "(arrived - shown) / arrived", ("decimals", "0"));
        foreach (var name in new[] { "arrived", "shown" })
        {
            ines.Click(() => Row(ines, name).FindElement(By.CssSelector("a.toggle")));
            ines.Until(
                () => Row(ines, name).GetAttribute("class")!.Contains("is-hidden", StringComparison.Ordinal),
                name + " hidden"
            );
        }
        ines.Until(() => ines.All("table[data-legend] tbody tr").Count == 8, "a line for each terminal");
        // In percent without decimals.
        Assert.All(ines.All("table[data-legend] tbody tr td.figure").Where(c => c.Text.EndsWith('%')), c =>
            Assert.Matches(@"^\d+[\u2009 ]%$", c.Text)
        );
        // The change of yesterday stands on it; without changes it does not.
        ines.Until(() => ines.All("svg[data-chart] .change-line").Count > 0, "the change");
        Assert.Contains(ines.All("svg[data-chart] .change-line"), l =>
            l.GetDomProperty("textContent")!.Contains("gate firmware 7.2 → 7.3", StringComparison.Ordinal)
        );
        ines.Click(() => ines.All(".lays a").First(a => a.Text == "Changes"));
        ines.Until(() => ines.All("svg[data-chart] .change-line").Count == 0, "no change");
        Assert.Empty(ines.Axe());
        Form(ines, "form", "ranking");
        ines.Until(() => ines.All("svg[data-chart] .bar-name").Count == 8, "a ranking by terminal");
        Form(ines, "form", "heat map");
        ines.Until(() => ines.All("svg[data-chart] rect[class^=heat-]").Count > 100, "a heat map");
        Assert.Empty(ines.Axe());
        NoProblems(ines);
    }

    [Fact]
    public void One_terminal_beside_the_others_and_beside_itself_one_tide_earlier()
    {
        using var ines = new Browser(demo);
        ines.SignIn("Ines Halloran", At(Notices, "&from=-6h&to=now"));
        // From the line itself: its menu offers to compare it.
        ines.Click(() =>
            ines.All("table[data-legend] tbody tr")
                .First(r => r.Text.Contains("Lindle", StringComparison.Ordinal))
                .FindElement(By.CssSelector("[data-mark]"))
        );
        ines.Press("Compare with the other terminals");
        ines.Until(() => ines.All("svg[data-chart] .spread").Count == 1, "the spread of the others");
        Assert.Equal(
            ["Lindle", "mean of the others"],
            ines.All("table[data-legend] tbody tr").Select(r => r.FindElement(By.CssSelector("[data-mark]")).Text).Order()
        );
        Assert.Contains("Lindle beside unshown of every other terminal", Row(ines, "peers").Text);
        // Then one tide earlier.
        var form = ines.All("form.lay-form").First(f => f.Text.Contains("Draw earlier", StringComparison.Ordinal));
        Choose(ines, form.FindElement(By.Name("of")), "arrived");
        Choose(ines, form.FindElement(By.Name("by")), "12h24m");
        form.FindElement(By.TagName("button")).Click();
        ines.Until(() => Row(ines, "earlier").FindElements(By.TagName("form")).Count == 1, "its row, open");
        ines.Press("Set");
        ines.Until(
            () =>
                ines.All("table[data-legend] tbody tr")
                    .Any(r => r.Text.Contains("arrived, 12h24m earlier", StringComparison.Ordinal)),
            "one tide earlier"
        );
        NoProblems(ines);
    }

    [Fact]
    public void Two_metrics_on_two_axes_in_different_forms_and_their_lag()
    {
        using var ines = new Browser(demo);
        ines.SignIn("Ines Halloran", "/charts?from=-12h&to=now");
        ines.Press("+ series");
        // By pointing: the builder writes the text.
        var what = ines.Find("[name='b.what']");
        what.SendKeys("http.server.request.count" + Keys.Tab);
        ines.Find("[name='b.where']").SendKeys("service = booking-web" + Keys.Tab);
        ines.Until(
            () =>
                ines.Find("[data-series-text]").GetDomProperty("value")
                == "from metrics name = http.server.request.count and service = booking-web | group per_second(value) per auto",
            "the text"
        );
        ines.Until(() => ines.All(".preview svg").Count == 1, "a small look at it");
        Choose(ines, ines.Find("form[data-series-form] [name=called]"), "requests");
        ines.Find("form[data-series-form] button.act").Click();
        ines.Until(() => ines.All("[data-series-row=requests]").Count == 1, "the requests");
        ines.Press("+ series");
        Choose(ines, ines.Find("form[data-series-form] [name=called]"), "busy");
        Write(
            ines,
            "records",
            "from metrics name = system.cpu.utilization and service = booking-web | group avg(value) per auto",
            ("form", "area"),
            ("side", "right"),
            ("stroke", "dotted")
        );
        ines.Click(() => ines.Find("details.axes summary"));
        Choose(ines, ines.Find("[name=leftTitle]"), "requests a second");
        Choose(ines, ines.Find("[name=rightTitle]"), "processors");
        ines.Click(() => ines.Find("details.axes button"));
        ines.Until(
            () =>
                ines.All("svg[data-chart] .axis-title")
                    .Select(t => t.Text)
                    .Order()
                    .SequenceEqual(["processors", "requests a second"]),
            "both titles"
        );
        Assert.NotEmpty(ines.All("svg[data-chart] path.area"));
        ines.Press("Correlate");
        var told = ines.Until(() => ines.All("[data-together]").FirstOrDefault()?.Text, "how they go together");
        Assert.Matches(@"r = (0\.9\d|1)", told);
        Assert.Matches("at the same time|follows .* by", told);
        Assert.NotEmpty(ines.All("#together circle"));
        ines.Find("[name=of][required]").SendKeys("skerry.tide" + Keys.Enter);
        ines.Until(() => ines.All("table.moves tbody tr").Count == 2, "what moves with it");
        Assert.Contains("skerry.tide.height", ines.Text("table.moves"));
        Assert.Empty(ines.Axe());
        NoProblems(ines);
    }

    [Fact]
    public void The_slowest_reasons_as_a_ranking_from_records_and_a_click_to_them()
    {
        using var ines = new Browser(demo);
        ines.SignIn("Ines Halloran", "/search?q=service = gate-control and refused&from=-24h&to=now");
        ines.Ask("\n| group p95(wait) as slow by reason per 1h", append: true);
        ines.Find("svg[data-chart]");
        ines.Find(".split [name=top]").SendKeys("10" + Keys.Enter);
        ines.Until(
            () => ines.Query.Contains("highest 10 reason by slow with rest", StringComparison.Ordinal),
            "the highest and the rest"
        );
        ines.Press("Compare on Charts");
        ines.Until(() => ines.Here.StartsWith("/charts", StringComparison.Ordinal), "Charts");
        Form(ines, "form", "ranking");
        Form(ines, "reduce", "max");
        ines.Until(() => ines.All("svg[data-chart] .bar-name").Count >= 3, "a ranking");
        var first = ines.All("svg[data-chart] .bar-name")[0].Text;
        new Actions(ines.Driver).Click(ines.All("svg[data-chart] rect.column")[0]).Perform();
        ines.Press("Records behind this");
        ines.Until(
            () =>
                ines.Here.StartsWith("/search", StringComparison.Ordinal)
                && ines.Query.Contains("service = gate-control and refused and reason = ", StringComparison.Ordinal),
            "its records"
        );
        Assert.Contains(first, ines.Query);
        ines.Until(() => ines.Records > 0, "records");
        NoProblems(ines);
    }

    [Fact]
    public void Small_multiples_by_service_on_paper_and_lacquer_with_the_keyboard_alone()
    {
        using var ines = new Browser(demo);
        ines.SignIn(
            "Ines Halloran",
            At(
                new ChartBoard
                {
                    Series =
                    [
                        new BoardSeries(
                            "busy",
                            "from metrics name = system.cpu.utilization | group avg(value) by service per 20m"
                        ),
                    ],
                }
            )
        );
        Form(ines, "by", "service");
        ines.Until(() => ines.All("svg[data-chart] .multiple-name").Count >= 10, "a chart for each service");
        foreach (var theme in new[] { "paper", "lacquer" })
        {
            ines.Driver.Manage().Cookies.AddCookie(new Cookie("theme", theme));
            ines.Driver.Navigate().Refresh();
            ines.Until(() => ines.Driver.FindElement(By.TagName("html")).GetAttribute("data-theme") == theme, theme);
            Assert.Empty(ines.Axe());
        }
        Form(ines, "by", "none");
        // Point by point, and from a point to what can be done with it.
        ines.Find("svg[data-chart] path.line");
        ines.Driver.ExecuteScript("document.querySelector('svg[data-chart]').focus()");
        new Actions(ines.Driver)
            .SendKeys(Keys.Home)
            .SendKeys(Keys.ArrowRight)
            .SendKeys(Keys.ArrowRight)
            .SendKeys(Keys.Enter)
            .Perform();
        ines.Until(
            () => ines.All(".point-menu a").Count > 2 && ines.Driver.SwitchTo().ActiveElement().TagName == "a",
            "the menu, at its first verb"
        );
        new Actions(ines.Driver).SendKeys(Keys.Escape).Perform();
        ines.Until(() => ines.All(".point-menu").Count == 0, "closed");
        // The title and a row, without the mouse.
        var title = ines.Find("[name=title]");
        title.SendKeys("Processors" + Keys.Enter);
        ines.Until(() => ines.Here.Contains("Processors", StringComparison.Ordinal), "the title in the address");
        ines.Click(() => ines.All("[data-series-row=busy] a.name")[0]);
        ines.Until(() => ines.All("form[data-series-form]").Count == 1, "the row, open");
        ines.Until(() => ines.Driver.SwitchTo().ActiveElement().GetAttribute("name") == "text", "its text has the focus");
        NoProblems(ines);
    }

    [Fact]
    public void What_an_empty_sheet_offers_opens_as_a_chart_below_the_top_bar()
    {
        using var ines = new Browser(demo);
        ines.SignIn("Ines Halloran", "/charts");
        ines.Click(() => ines.All(".starts a").First(a => a.Text == "Errors by service"));
        ines.Until(() => ines.All(".legend-box td").Any(c => c.Text.Length > 0), "its legend");
        Assert.Equal(
            "0",
            ines.Driver.ExecuteScript("return `${Math.max(0, document.scrollingElement.scrollHeight - innerHeight)}`")
        );
        Assert.Equal("0", ines.Driver.ExecuteScript("return `${document.scrollingElement.scrollTop}`"));
        NoProblems(ines);
    }

    [Fact]
    public void Which_gate_holds_up_boarding_by_a_join_of_three_sets()
    {
        using var ines = new Browser(demo);
        ines.SignIn("Ines Halloran", "/charts/join?from=-20h&to=now&base=before");
        void Part(int place, string name, string kind, string text)
        {
            var part = ines.Until(() => ines.All(".join-part").ElementAtOrDefault(place), $"part {place + 1}");
            Choose(ines, part.FindElement(By.Name("name")), name);
            Choose(ines, part.FindElement(By.Name("kind")), kind);
            Choose(ines, part.FindElement(By.Name("text")), text);
        }
        Part(
            0,
            "filling",
            "a query",
            "from metrics name = skerry.passengers.boarded | group growth(value) as boarded by terminal per 15m"
        );
        var question = ines.Find("[name=question]");
        question.SendKeys("from filling");
        ines.Find(".join-verbs .act").Click();
        // Each part is looked at before the next.
        ines.Until(() => ines.Find("[data-join-part=filling]").Text.Contains("rows", StringComparison.Ordinal), "its rows");
        ines.Click(() => ines.Find("[data-join-part=filling] summary"));
        ines.Until(() => ines.All("[data-join-part=filling] .as-table tbody tr").Count == 8, "its first rows");
        Part(1, "lanes", "a query", "from metrics name = skerry.lanes.open | group last(value) as open by terminal per 5m");
        Choose(ines, ines.Find("[name=question]"), "from filling | join lanes nearest time within 30m on terminal");
        ines.Find(".join-verbs .act").Click();
        ines.Until(() => ines.All("[data-join-part=lanes]").Count == 1, "the second part");
        Part(2, "fast", "a constant", "10");
        Choose(
            ines,
            ines.Find("[name=question]"),
            "service = gate-control and exists(wait)\n| group count() as scans, p95(wait) as slow by host, terminal per 15m\n| join filling on terminal, time\n| where filling.boarded > fast\n| join lanes nearest time within 30m on terminal\n| set per_lane = scans / lanes.open\n| group avg(per_lane) as scans_per_lane, avg(slow) as wait by host"
        );
        ines.Find(".join-verbs .act").Click();
        ines.Until(() => ines.All(".join-count").Count == 2, "what found no partner, for both joins");
        Assert.Contains("partner", ines.All(".join-count")[0].Text);
        ines.Press("Beside its own usual");
        ines.Until(() => ines.All("table.frame th").Any(h => h.Text == "times usual"), "beside its usual");
        Assert.Contains(ines.All("table.frame td").Select(c => c.Text), t => t.StartsWith("gate-", StringComparison.Ordinal));
        Assert.Empty(ines.Axe());
        NoProblems(ines);
    }

    [Fact]
    public async Task The_jump_of_a_formula_is_explained_by_its_divisor_and_the_chart_kept()
    {
        // Failures stay as they are; what was asked falls to a fourth half an hour ago.
        var now = demo.Clock.GetUtcNow();
        var moment = new DateTimeOffset(now.Year, now.Month, now.Day, now.Hour, now.Minute, 0, TimeSpan.Zero).AddMinutes(-30);
        await demo.Send([
            .. Enumerable
                .Range(-20, 40)
                .SelectMany(m =>
                    Enumerable
                        .Range(0, m < 0 ? 8 : 2)
                        .Select(i =>
                            $"{{\"time\":\"{moment.AddMinutes(m).AddSeconds(i):O}\",\"service\":\"berth-desk\",\"body\":\"asked for a berth\"}}"
                        )
                        .Append(
                            $"{{\"time\":\"{moment.AddMinutes(m).AddSeconds(30):O}\",\"service\":\"berth-desk\",\"body\":\"no berth was free\"}}"
                        )
                ),
        ]);
        using var ines = new Browser(demo);
        ines.SignIn("Ines Halloran");
        var board = new ChartBoard
        {
            Title = "Berths not found",
            Series =
            [
                new BoardSeries("unmet", "failed / asked"),
                new BoardSeries("failed", "service = berth-desk and \"no berth\" | group count() per 1m"),
                new BoardSeries("asked", "service = berth-desk and \"asked for\" | group count() per 1m") { Hidden = true },
            ],
            HidesBaseline = true,
        };
        ines.Open(
            At(board, $"&from={moment.AddMinutes(-19):yyyy-MM-ddTHH:mm:ssZ}&to={moment.AddMinutes(19):yyyy-MM-ddTHH:mm:ssZ}")
        );
        // The step at the middle of the focus, by pointer.
        var picture = ines.Find("svg[data-chart]");
        var middle = Convert.ToDouble(
            ines.Driver.ExecuteScript(
                "const d = JSON.parse(document.querySelector('svg[data-chart]').dataset.chart); const s = document.querySelector('svg[data-chart]').getBoundingClientRect(); const p = d.points.find(p => p.at === arguments[0]); return p.x / document.querySelector('svg[data-chart]').viewBox.baseVal.width * s.width",
                moment.ToUnixTimeMilliseconds()
            ),
            System.Globalization.CultureInfo.InvariantCulture
        );
        ines.Until(
            () =>
            {
                new Actions(ines.Driver).MoveToElement(picture, (int)(middle - (picture.Size.Width / 2.0)), 0).Click().Perform();
                return ines.All(".point-menu a")
                    .Any(a =>
                        a.Text.Contains("moved", StringComparison.Ordinal)
                        || a.Text.Contains("Pin this", StringComparison.Ordinal)
                    );
            },
            "what can be done with the step"
        );
        if (!ines.All(".point-menu a").Any(a => a.Text == "Which part moved"))
        {
            // Another line was higher there; the formula's own row leads on too.
            new Actions(ines.Driver).SendKeys(Keys.Escape).Perform();
            ines.Open(
                At(
                    board,
                    $"&from={moment.AddMinutes(-19):yyyy-MM-ddTHH:mm:ssZ}&to={moment.AddMinutes(19):yyyy-MM-ddTHH:mm:ssZ}&moment={moment:yyyy-MM-ddTHH:mm:ssZ}"
                )
            );
        }
        else
            ines.Press("Which part moved");
        ines.Until(() => ines.All("[data-part=asked]").Count == 1, "the parts");
        Assert.EndsWith("100%", ines.Text("[data-part=asked]"));
        Assert.EndsWith("0%", ines.Text("[data-part=failed]"));
        Assert.Contains("→", ines.Text(".moved strong"));
        // Kept, and found by its name.
        ines.Click(() => ines.Find(".board-keep summary"));
        var name = ines.Find(".board-keep [name=name]");
        name.Clear();
        name.SendKeys("Unmet berths");
        ines.Click(() => ines.Find(".board-keep button.act"));
        ines.Until(() => ines.All(".notice.done").Any(n => n.Text.Contains("Kept as", StringComparison.Ordinal)), "kept");
        ines.Driver.FindElement(By.TagName("body")).SendKeys("/");
        ines.Find("#find input").SendKeys("unmet ber");
        ines.Click(() =>
            ines.Until(
                () =>
                    ines.All("#found [role=option], #found a")
                        .FirstOrDefault(f => f.Text.Contains("Unmet berths", StringComparison.Ordinal)),
                "found by its name"
            )
        );
        ines.Until(() => ines.All("[data-series-row=unmet]").Count == 1, "the kept chart");
        NoProblems(ines);
    }
}
