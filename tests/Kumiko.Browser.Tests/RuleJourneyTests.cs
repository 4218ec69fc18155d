using OpenQA.Selenium;
using OpenQA.Selenium.Interactions;
using OpenQA.Selenium.Support.UI;

namespace Kumiko.Browser.Tests;

/// <summary>Rules as people make them, and what becomes of them.</summary>
[Collection("watching")]
public sealed class RuleJourneyTests : IAsyncLifetime
{
    private readonly RunningDemo _demo;
    private readonly Browser _ines;

    public RuleJourneyTests(RunningDemo demo)
    {
        _demo = demo;
        _ines = new Browser(demo);
        _ines.SignIn("Ines Halloran", "/alerts");
    }

    public ValueTask InitializeAsync() => ValueTask.CompletedTask;

    public async ValueTask DisposeAsync()
    {
        _ines.Dispose();
        await _demo.ForgetRules();
    }

    private void Fill(string name, string value)
    {
        var field = _ines.Find($"[name={name}]");
        field.Clear();
        field.SendKeys(value);
    }

    private void Choose(string name, string value) => new SelectElement(_ines.Find($"select[name={name}]")).SelectByValue(value);

    private void Save(string name)
    {
        Fill("Name", name);
        _ines.Press("Save the rule");
        _ines.Until(() => _ines.Here == "/alerts", "the list");
        Assert.Contains(name, _ines.Text(".alert-list"));
    }

    /// <summary>Waits for a line of the list of alerts, while time passes.</summary>
    private IWebElement Line(string state, params string[] words) =>
        _ines.Until(
            () =>
            {
                _ines.Open("/alerts");
                return _ines
                    .All("tr[data-line]")
                    .FirstOrDefault(l =>
                        l.FindElement(By.CssSelector("td.state")).Text == state
                        && words.All(w => l.Text.Contains(w, StringComparison.Ordinal))
                    );
            },
            $"{state}: {string.Join(", ", words)}",
            timePasses: true
        )!;

    private static string Json(params (string Name, object Value)[] fields) =>
        System.Text.Json.JsonSerializer.Serialize(fields.ToDictionary(f => f.Name, f => f.Value));

    private Task Send(int count, params (string Name, object Value)[] fields) =>
        _demo.Send([.. Enumerable.Repeat(Json(fields), count)]);

    [Fact]
    public async Task A_kept_search_becomes_a_rule_with_warning_and_critical()
    {
        _ines.Open("/search?q=lantern");
        _ines.Find("#keep summary").Click();
        _ines.Find("#keep input[name=name]").SendKeys("lanterns out");
        _ines.All("#keep button[type=submit]").First(b => b.Displayed).Click();
        _ines.Until(() => _ines.Text("body").Contains("lanterns out", StringComparison.Ordinal), "the kept search");
        _ines.Open("/searches");
        _ines.Press("lanterns out");
        _ines.Until(() => _ines.Query == "lantern", "its query");
        _ines.Find("#keep summary").Click();
        _ines.Press("Be told of this");
        _ines.Find("#trial .verdict");
        Fill("Warning", "2");
        Fill("Critical", "5");
        Fill("InTheLast", "1m");
        Fill("CheckedEvery", "10s");
        _ines.Until(
            () => _ines.Text("#trial .says").Contains("above 2 (warning), above 5 (critical)", StringComparison.Ordinal),
            "the sentence"
        );
        Assert.Empty(_ines.Axe());
        Save("lanterns");
        await Send(3, ("body", "lantern out at pier 4"));
        Line("warning", "lanterns", "3 in 1 min");
        await Send(4, ("body", "lantern out at pier 5"));
        Line("critical", "lanterns");
        Line("ended", "lanterns", "was critical");
        Assert.Empty(_ines.Problems);
    }

    [Fact]
    public async Task A_host_that_goes_silent_is_told_by_its_name()
    {
        _ines.Open("/alerts");
        _ines.Press("New rule");
        Fill("Query", "\"buoy ticks\"");
        Fill("Keys", "buoy");
        Choose("Condition", "silent");
        Assert.False(_ines.Driver.FindElement(By.Name("Warning")).Displayed);
        Choose("Level", "critical");
        Fill("Expected", "1h");
        Fill("InTheLast", "1m");
        Fill("CheckedEvery", "10s");
        await Send(1, ("body", "buoy ticks"), ("buoy", "north"));
        await Send(1, ("body", "buoy ticks"), ("buoy", "south"));
        _ines.Until(() => _ines.Text("#trial .says").Contains("for each buoy", StringComparison.Ordinal), "the sentence");
        Save("buoys");
        _ines.Until(
            () =>
            {
                _ines.Open("/alerts");
                return _ines.Text(".alert-list").Contains("last check", StringComparison.Ordinal)
                    && !_ines.Text(".alert-list").Contains("not checked", StringComparison.Ordinal);
            },
            "the first check",
            timePasses: true
        );
        for (var i = 0; i < 8; i++)
        {
            await Send(1, ("body", "buoy ticks"), ("buoy", "south"));
            _demo.Clock.Advance(TimeSpan.FromSeconds(9));
        }
        var line = Line("critical", "buoys: north", "nothing came in 1 min");
        Assert.DoesNotContain("buoys: south", line.Text);
    }

    [Fact]
    public async Task A_value_never_seen_before_is_told_and_a_known_one_is_not()
    {
        await Send(2, ("body", "flag hoisted"), ("flag", "blue"));
        _demo.Clock.Advance(TimeSpan.FromMinutes(3));
        _ines.Open("/rules/new");
        Fill("Query", "\"flag hoisted\"");
        Fill("Keys", "flag");
        Choose("Condition", "new");
        Fill("History", "1d");
        Fill("InTheLast", "1m");
        Fill("CheckedEvery", "10s");
        _ines.Until(
            () => _ines.Text("#trial .says").Contains("never seen in the 1 d before", StringComparison.Ordinal),
            "the sentence"
        );
        Save("flags");
        await Send(1, ("body", "flag hoisted"), ("flag", "blue"));
        await Send(1, ("body", "flag hoisted"), ("flag", "black"));
        Line("warning", "flags: black", "not seen before");
        Assert.DoesNotContain("flags: blue", _ines.Text(".alert-list"));
    }

    [Fact]
    public async Task A_share_is_not_judged_with_fewer_than_the_least_cases()
    {
        _ines.Open("/rules/new");
        Choose("Quantity", "share");
        Fill("Query", "\"ramp\" and stuck = true");
        Fill("Whole", "\"ramp\"");
        Fill("Least", "10");
        Fill("Warning", "20%");
        Fill("Critical", "50%");
        Fill("InTheLast", "1m");
        Fill("CheckedEvery", "10s");
        _ines.Until(() => _ines.Text("#trial .says").Contains("at least 10", StringComparison.Ordinal), "the sentence");
        Save("ramps");
        await Send(4, ("body", "ramp moved"), ("stuck", true));
        Line("no data", "ramps");
        await Send(4, ("body", "ramp moved"), ("stuck", true));
        await Send(12, ("body", "ramp moved"), ("stuck", false));
        // 8 of 20, or less where the first have left the window.
        Line("warning", "ramps", "%");
    }

    [Fact]
    public async Task A_limit_comes_from_a_click_on_a_chart_and_is_dragged()
    {
        await Send(30, ("body", "crate weighed"));
        _ines.Open("/rules/new?q=crate%20%7C%20group%20count()%20per%201m&limit=12");
        Assert.Equal("12", _ines.Find("[name=Warning]").GetAttribute("value"));
        Assert.Equal("1m", _ines.Find("[name=InTheLast]").GetAttribute("value"));
        _ines.Until(() => _ines.All("rect.grip").Count == 1, "a limit that can be moved");
        var grip = _ines.Find("rect.grip");
        Assert.Equal("slider", grip.GetAttribute("role"));
        new Actions(_ines.Driver).MoveToElement(grip).ClickAndHold().MoveByOffset(0, -40).Release().Perform();
        var moved = _ines.Until(
            () => _ines.Find("[name=Warning]").GetAttribute("value") is var now && now != "12" ? now : null,
            "another limit"
        )!;
        Assert.True(double.Parse(moved, System.Globalization.CultureInfo.InvariantCulture) > 12, moved);
        _ines.Until(
            () =>
                _ines.Text("#trial .says").Contains("above", StringComparison.Ordinal)
                && !_ines.Text("#trial .says").Contains("above 12 ", StringComparison.Ordinal),
            "the trial with it"
        );
        // By the keyboard as well.
        _ines.Until(
            () =>
            {
                _ines.Find("rect.grip").SendKeys(Keys.ArrowDown);
                return _ines.Find("[name=Warning]").GetAttribute("value") != moved;
            },
            "a step down"
        );
    }

    [Fact]
    public void A_mark_of_a_chart_offers_a_rule_with_its_figure()
    {
        _ines.Open("/charts?" + Chart("level >= warn | group count() by service per 30m"));
        _ines.Find("svg[data-chart]").SendKeys(Keys.ArrowRight);
        _ines.Until(
            () =>
            {
                _ines.Find("svg[data-chart]").SendKeys(Keys.Enter);
                return _ines.All("a").Any(a => a.Displayed && a.Text.StartsWith("Be told of", StringComparison.Ordinal));
            },
            "the menu of a mark"
        );
        _ines.Press("Be told of");
        _ines.Until(() => _ines.Here.StartsWith("/rules/new", StringComparison.Ordinal), "the rule");
        Assert.Contains("limit=", _ines.Here);
        Assert.Equal("30m", _ines.Find("[name=InTheLast]").GetAttribute("value"));
        Assert.NotEqual("", _ines.Find("[name=Warning]").GetAttribute("value"));
        Assert.Equal("", _ines.Find("[name=Critical]").GetAttribute("value"));
    }

    private static string Chart(string query) =>
        "from=-6h&to=now&c="
        + Uri.EscapeDataString(new Kumiko.Charts.ChartBoard { Series = [new Kumiko.Charts.BoardSeries("n", query)] }.ToJson());

    [Fact]
    public async Task Two_rules_in_order_name_cause_and_effect()
    {
        foreach (var (name, query) in new[] { ("winch slips", "\"winch slips\""), ("ramp waits", "\"ramp waits\"") })
        {
            _ines.Open("/rules/new");
            Fill("Query", query);
            Fill("Keys", "quay");
            Fill("Warning", "1");
            Fill("Critical", "");
            Fill("InTheLast", "1m");
            Fill("CheckedEvery", "10s");
            Save(name);
        }
        _ines.Open("/rules/new");
        Choose("Quantity", "order");
        Assert.False(_ines.Driver.FindElement(By.Name("Condition")).Displayed);
        new SelectElement(_ines.Find("select[name=First]")).SelectByText("winch slips");
        new SelectElement(_ines.Find("select[name=Second]")).SelectByText("ramp waits");
        Fill("Within", "10m");
        Choose("Level", "critical");
        Fill("CheckedEvery", "10s");
        _ines.Until(
            () =>
                _ines
                    .Text("#trial .says")
                    .Contains("“winch slips”, then “ramp waits” within 10 min, of the same key", StringComparison.Ordinal),
            "the sentence"
        );
        Save("The winch holds up the ramp");
        await Send(3, ("body", "winch slips"), ("quay", "Orra"));
        Line("warning", "winch slips: Orra");
        await Send(3, ("body", "ramp waits"), ("quay", "Orra"));
        // Those that it is made of are folded under it.
        var line = Line("critical", "The winch holds up the ramp: Orra", "2 related alerts");
        _ines.Click(() => _ines.All("tr[data-line] .related summary")[0]);
        _ines.Until(() => _ines.All(".related li").Count(l => l.Displayed) == 2, "what is related");
        Assert.Contains(_ines.All("#strip rect.alert title"), t =>
            t.GetAttribute("textContent")!.Contains("The winch holds up the ramp", StringComparison.Ordinal)
        );
    }

    [Fact]
    public async Task An_objective_burns_and_its_page_says_how_fast()
    {
        await Send(90, ("body", "berth given"), ("fit", "good"));
        _ines.Open("/objectives");
        _ines.Press("New objective");
        Fill("Name", "Berths fit");
        Fill("All", "\"berth given\"");
        Fill("Good", "\"berth given\" and fit = good");
        Fill("Target", "95%");
        Choose("Days", "7");
        _ines.Press("Save the objective");
        _ines.Until(
            () =>
                _ines.Here.StartsWith("/objectives/", StringComparison.Ordinal)
                && _ines.Text(".standing").Contains("budget left", StringComparison.Ordinal),
            "its page"
        );
        Assert.Empty(_ines.Axe());
        _ines.Press("Be told when it burns");
        _ines.Until(
            () => _ines.Text("#trial .says").Contains("burn rate of “Berths fit”", StringComparison.Ordinal),
            "a rule on it"
        );
        Fill("Critical", "2");
        Fill("CheckedEvery", "1m");
        Save("berths burn");
        await Send(60, ("body", "berth given"), ("fit", "bad"));
        Line("critical", "berths burn");
        _ines.Open("/objectives");
        Assert.Contains("Berths fit", _ines.Text(".list"));
        _ines.Press("Berths fit");
        _ines.Until(() => _ines.All(".standing .wrong").Count > 0, "what is burnt");
        Assert.Contains("berths burn", _ines.Text(".trial-pane"));
        Assert.Equal(2, _ines.All(".trial-pane svg.chart-picture").Count);
    }

    [Fact]
    public async Task An_alert_is_acknowledged_snoozed_and_resolved_with_a_reason()
    {
        _ines.Open("/rules/new");
        Fill("Query", "\"horn sounds\"");
        Fill("Warning", "");
        Fill("Critical", "1");
        Fill("InTheLast", "5m");
        Fill("CheckedEvery", "10s");
        Fill("FollowUp", "\"horn sounds\" | group count() by ship");
        Fill("Runbook", "1. Look out\n2. <script>alert(1)</script> [no](javascript:alert(1))");
        Save("horns");
        await Send(5, ("body", "horn sounds"), ("ship", "Dunlin"));
        Line("critical", "horns");
        _ines.Press("Acknowledge");
        _ines.Until(() => _ines.Text(".alert-list").Contains("seen by Ines Halloran", StringComparison.Ordinal), "who saw it");
        _ines.Press("horns");
        _ines.Until(
            () => _ines.Text("#brief-follow ~ *").Length > 0 && _ines.Text(".brief").Contains("Dunlin", StringComparison.Ordinal),
            "the follow-up"
        );
        Assert.Contains("First: Look out", _ines.Text(".brief"));
        Assert.Contains("Look out", _ines.Text(".markdown"));
        Assert.Empty(_ines.All(".markdown script, .markdown a[href^=javascript]"));
        Assert.Empty(_ines.Axe());
        _ines.Press("Snooze");
        _ines.Until(() => _ines.Text(".events").Contains("snoozed by Ines Halloran", StringComparison.Ordinal), "the snooze");
        _ines.Find("input[name=text]").SendKeys("it is the fog" + Keys.Enter);
        _ines.Until(() => _ines.Text(".events").Contains("it is the fog", StringComparison.Ordinal), "the note");
        _ines.Find("input[name=reason]").SendKeys("fog has lifted");
        _ines.Press("Resolve");
        _ines.Until(
            () => _ines.Text(".events").Contains("resolved by Ines Halloran: fog has lifted", StringComparison.Ordinal),
            "the reason"
        );
        // It is still wrong, and stays closed until it was well once.
        for (var i = 0; i < 30; i++)
            _demo.Clock.Advance(TimeSpan.FromSeconds(1));
        _ines.Open("/alerts");
        Assert.DoesNotContain(_ines.All("tr.open"), l => l.Text.Contains("horns", StringComparison.Ordinal));
        _ines.Open("/alerts?state=ended");
        Assert.Contains("resolved by Ines Halloran", _ines.Text(".alert-list"));
        Assert.Empty(_ines.Problems);
    }

    [Fact]
    public void Ready_made_rules_open_filled_in_and_a_rule_is_copied_and_read_as_text()
    {
        _ines.Open("/rules/ready");
        Assert.Empty(_ines.Axe());
        _ines.Press("A host has gone silent");
        _ines.Until(() => _ines.Text("#trial .says").Contains("is silent", StringComparison.Ordinal), "the sentence");
        Save("silent hosts");
        _ines.Press("silent hosts");
        _ines.Press("Copy it as a new rule");
        Assert.Equal("silent hosts, copy", _ines.Find("[name=Name]").GetAttribute("value"));
        _ines.Click(() => _ines.Find(".as-text summary"));
        Assert.Contains("is silent as critical, expected for 1d", _ines.Find("textarea[name=text]").GetAttribute("value"));
        Fill("text", "count of\n    refused\nin the last 15m, checked every 5m\nis below 3 as a warning\nfor 2 checks");
        _ines.Press("Fill the form from this text");
        _ines.Until(
            () => _ines.Text("#trial .says").Contains("is below 3 (warning), for 2 checks", StringComparison.Ordinal),
            "the form from the text"
        );
        Assert.Equal("silent hosts, copy", _ines.Find("[name=Name]").GetAttribute("value"));
        Assert.Equal("refused", _ines.Find("[name=Query]").GetAttribute("value"));
    }
}
