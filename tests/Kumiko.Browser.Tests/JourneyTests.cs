using OpenQA.Selenium;
using OpenQA.Selenium.Interactions;

namespace Kumiko.Browser.Tests;

/// <summary>One analyst's way through the whole product, from signing in to the second mail.</summary>
[Collection("watching")]
public sealed class JourneyTests(RunningDemo demo)
{
    /// <summary>Opens a stand-in of the demo by its menu.</summary>
    private static void Demo(Browser browser, string name)
    {
        browser.Click(() => browser.Find(".demo summary"));
        browser.Press(name);
    }

    [Fact]
    public void A_question_cut_out_of_bodies_understood_and_corrected()
    {
        using var ines = new Browser(demo);
        ines.SignIn("Ines Halloran");

        // 1. Fields cut out of bodies; a table of them; a count beside every stage.
        ines.Open("/search?from=-1d&to=now");
        ines.Until(() => ines.All("#counts .figure").Count == 1 && ines.Records > 1_000, "all records");
        ines.Ask(
            "refused\n| parse body as \"{} refused: {why} after {took:duration}\"\n| where took > 400ms\n| select time, why, took"
        );
        Assert.Equal(
            ["time", "why", "took"],
            ines.Until(
                () => ines.All("table.frame th .col-head > a") is { Count: 3 } heads ? heads.Select(h => h.Text).ToList() : null,
                "the table"
            )
        );
        ines.Until(() => ines.All("#counts .figure").Count == 4, "four counts");
        Assert.EndsWith("rows", ines.All("#counts .figure")[3].Text);
        Assert.Empty(ines.Axe());

        // 2. What each condition takes; its number opens exactly those records.
        ines.Ask("service = gate-control and level >= warn and terminal != Orra");
        ines.Press("How this is answered");
        ines.Until(() => ines.All(".conditions tbody tr").Count == 3, "three conditions");
        Assert.Contains(ines.All(".plan li"), l => l.Text.StartsWith("read logs:", StringComparison.Ordinal));
        Assert.Empty(ines.Axe());
        var alone = Digits(ines.All(".conditions tbody tr")[1].FindElements(By.CssSelector("td a"))[0].Text);
        ines.Click(() => ines.All(".conditions tbody tr")[1].FindElements(By.CssSelector("td a"))[0]);
        ines.Until(() => ines.Query == "level >= warn", "the condition alone");
        // Records go on arriving in the demo while one looks.
        ines.Until(() => ines.Records >= alone && ines.Records < alone + 500, "its records");

        // 3. A wrong name is told, with what was meant; one click asks it.
        ines.Ask("levle = error");
        ines.Until(
            () => ines.All(".hint").Any(h => h.Text.Contains("Did you mean level?", StringComparison.Ordinal)),
            "the advice"
        );
        ines.Press("Ask this instead");
        ines.Until(() => ines.Query == "level = error" && ines.Records > 0, "what was meant");

        // 4. A parameter has a field of its own, and stands in the address.
        ines.Ask("terminal = :terminal");
        ines.Until(
            () => ines.All("p.refused").Any(p => p.Text.Contains(":terminal has no value", StringComparison.Ordinal)),
            "the question for a value"
        );
        ines.Find("#parameters input").SendKeys("Tarnhead" + Keys.Enter);
        ines.Until(
            () => ines.Here.Contains("p.terminal=Tarnhead", StringComparison.Ordinal) && ines.Records > 0,
            "records of Tarnhead"
        );
        Assert.Empty(ines.Axe());
        Assert.Empty(ines.Problems);
    }

    [Fact]
    public void From_signing_in_to_the_second_mail()
    {
        using var ines = new Browser(demo);

        // 1. Sign in; Search opens with the last hours, newest first, and the strip at the foot.
        ines.SignIn("Ines Halloran");
        Assert.Equal("last 3h", ines.Find("#when").GetAttribute("value"));
        Assert.True(ines.Records > 1_000);
        Assert.InRange(ines.All("#strip rect[class^=bar-calm]").Count, 100, 200);
        Assert.Single(ines.All("#strip rect.focus"));
        var times = ines.All("details.record").Take(20).Select(r => r.GetAttribute("data-record")!.Split('.')[0]).ToList();
        Assert.Equal(times, times.OrderDescending());
        var everything = ines.Records;

        // 2. A word and Ctrl+Enter: records narrow, the count says how many are left, the strip follows.
        var strip = StripOf(ines);
        ines.Ask("refused");
        ines.Until(() => ines.Records < everything, "fewer records");
        var refused = ines.Records;
        Assert.Equal(Digits(ines.Text("#counts p:last-child .figure")), refused);
        Assert.NotEqual(strip, StripOf(ines));
        Assert.NotEmpty(ines.All(".record mark"));
        Assert.Equal("/search?q=refused", ines.Here);

        // 3. A value in Fields narrows further, ≠ leaves one out, Back undoes.
        ines.Click(() => ines.FieldValue("terminal", "Tarnhead"));
        ines.Until(() => ines.Query == "refused and terminal = Tarnhead", "the condition in the text");
        ines.Until(() => ines.Records < refused, "fewer records");
        var atTarnhead = ines.Records;
        ines.Until(() => ines.Field("reason"), "the field reason");
        var reason = ines.All("a.only")
            .First(a => a.GetAttribute("title")!.StartsWith("Only reason =", StringComparison.Ordinal))
            .Text;
        ines.Click(() => ines.Until(() => ines.Field("reason")?.FindElement(By.CssSelector("ul a.without")), "≠"));
        ines.Until(
            () => ines.Query.StartsWith("refused and terminal = Tarnhead and reason != ", StringComparison.Ordinal),
            $"≠ {reason} in the text"
        );
        ines.Until(() => ines.Records < atTarnhead, "fewer records");
        ines.Driver.Navigate().Back();
        ines.Until(() => ines.Query == "refused and terminal = Tarnhead", "Back undoes");
        ines.Until(() => ines.Records == atTarnhead, "the records of before");

        // 4. Drawing on the strip sets the focus; the address keeps it, for another person too.
        // By chance both stretches may have as many records; what the head tells of them differs.
        var head = ines.Text(".result-head");
        ines.Drag("svg[data-strip]", 0.3, 0.5, 0.5);
        ines.Until(
            () =>
                ines.Here.Contains("from=")
                && !ines.Find("#when").GetAttribute("value")!.StartsWith("last", StringComparison.Ordinal),
            "the focus that was drawn"
        );
        ines.Until(() => ines.Text(".result-head") != head && ines.All("#counts [data-load]").Count == 0, "other records");
        var (link, drawn) = (ines.Driver.Url, ines.Records);
        ines.Driver.Navigate().Refresh();
        ines.Until(() => ines.Records == drawn, "the same after a reload");
        using (var tomas = new Browser(demo))
        {
            tomas.SignIn("Tomas Verrall", link);
            Assert.Equal(drawn, tomas.Records);
            Assert.Equal(
                "refused and terminal = Tarnhead",
                tomas.Until(() => tomas.Query is { Length: > 0 } q ? q : null, "the same query")
            );
            Assert.Equal(ines.Find("#when").GetAttribute("value"), tomas.Find("#when").GetAttribute("value"));
        }

        // 5. Counted by reason over time: a chart with axes, legend, cross-hair and tooltip; dragging sets the focus.
        ines.Open("/search?q=refused");
        ines.Ask("\n| group count() by reason per 5m", append: true);
        ines.Find("svg[data-chart]");
        Assert.NotEmpty(ines.All("svg[data-chart] text.tick"));
        Assert.InRange(ines.All(".legend tbody tr").Count, 2, 10);
        Assert.NotEmpty(ines.All("svg[data-chart] path.line"));
        new Actions(ines.Driver).MoveToElement(ines.Find("svg[data-chart]")).Perform();
        Assert.Matches(@"\d\d:\d\d to \d\d:\d\d", ines.Text(".tooltip"));
        Assert.Equal("visible", ines.All("svg[data-chart] .hair")[0].GetAttribute("visibility"));
        ines.Drag("svg[data-chart]", 0.4, 0.6, 0.5);
        ines.Until(() => ines.Here.Contains("from="), "the focus drawn on the chart");
        ines.Click(() => ines.Find(".form-choice summary"));
        ines.Press("stacked columns");
        ines.Until(() => ines.All("svg[data-chart] rect.column").Count + ines.All(".chart-empty").Count > 0, "columns");

        // 6. A rule, tried on the past day before it is saved.
        ines.Open("/search?q=refused and terminal = Tarnhead");
        ines.Find("#keep summary").Click();
        ines.Press("Be told of this");
        ines.Find("#trial .verdict");
        Assert.Contains("alert", ines.Text("#trial .verdict"));
        Fill(ines, "Name", "gate refusals");
        Fill(ines, "Warning", "20");
        Fill(ines, "Critical", "40");
        Fill(ines, "InTheLast", "1m");
        Fill(ines, "CheckedEvery", "10s");
        // An address of its own: what other tests tell would use up the limit of hers.
        Fill(ines, "MailTo", "gates@skerryline.example");
        ines.Until(
            () => ines.Text("#trial").Contains("warning above 20", StringComparison.Ordinal),
            "the trial with the new limits"
        );
        Assert.Contains("message", ines.Text("#trial .verdict"));
        ines.Press("Save the rule");
        ines.Until(() => ines.Here == "/alerts", "the list of rules");
        Assert.Contains("gate refusals", ines.Text("main"));

        // 7. The release desk plays the disturbance; the rule fires; alert, strip and mail say so.
        Demo(ines, "Release desk");
        ines.Press("Send gate firmware 7.3 to Tarnhead");
        ines.Button("Roll back to 7.2");
        ines.Open("/alerts");
        ines.Until(
            () =>
            {
                ines.Driver.Navigate().Refresh();
                return ines.Text(".tabs-band h2").Contains("1 alert is open", StringComparison.Ordinal);
            },
            "the alert",
            timePasses: true
        );
        ines.Until(
            () =>
            {
                ines.Driver.Navigate().Refresh();
                return ines.Text(".list tbody").Contains("critical", StringComparison.Ordinal);
            },
            "a critical alert",
            timePasses: true
        );
        Assert.Contains(ines.All("#strip rect.alert title"), t =>
            t.GetAttribute("textContent")!.Contains("gate refusals", StringComparison.Ordinal)
        );
        // Its page is tall or short: the strip stands at the foot of the window.
        ines.Click(() => ines.All(".list tbody a").First(a => a.Text.Contains("gate refusals", StringComparison.Ordinal)));
        ines.Until(() => ines.Here.StartsWith("/alerts/", StringComparison.Ordinal), "the page of the alert");
        Assert.True(
            (bool)
                ines.Driver.ExecuteScript(
                    "return Math.abs(document.querySelector('#strip').getBoundingClientRect().bottom - innerHeight) < 2"
                )!
        );
        ines.Driver.ExecuteScript("document.querySelectorAll('.brief-split section').forEach(s => s.remove())");
        Assert.True(
            (bool)
                ines.Driver.ExecuteScript(
                    "return Math.abs(document.querySelector('#strip').getBoundingClientRect().bottom - innerHeight) < 2"
                )!
        );
        Demo(ines, "Mailbox");
        ines.Until(
            () =>
            {
                ines.Driver.Navigate().Refresh();
                return ines.All("article.mail h2").Any(h => h.Text.Contains("ritical: gate refusals", StringComparison.Ordinal));
            },
            "the mail",
            timePasses: true
        );
        ines.All("article.mail a").First(a => a.Text.Contains("/search?q=", StringComparison.Ordinal)).Click();
        ines.Until(() => ines.Query == "refused and terminal = Tarnhead", "the query of the mail");
        Assert.True(ines.Records > 20, $"{ines.Records} records behind the mail");
        Assert.Contains("from=", ines.Here);

        // Rolling back ends it, and a second mail says so.
        ines.Open("/demo/desk");
        ines.Press("Roll back to 7.2");
        ines.Button("Send gate firmware 7.3");
        Assert.Null(demo.Truth.Open(1, demo.Clock.GetUtcNow()));
        ines.Open("/demo/mailbox");
        ines.Until(
            () =>
            {
                ines.Driver.Navigate().Refresh();
                return ines.All("article.mail h2").Any(h => h.Text == "Ended: gate refusals");
            },
            "the second mail",
            timePasses: true
        );
        ines.Open("/alerts");
        Assert.Contains("No alert is open", ines.Text(".tabs-band h2"));
        Assert.Empty(ines.Problems);
    }

    private static string StripOf(Browser browser) => browser.Find("svg[data-strip]").GetAttribute("innerHTML")!;

    private static long Digits(string text) =>
        long.Parse(new string([.. text.Where(char.IsAsciiDigit)]), System.Globalization.CultureInfo.InvariantCulture);

    private static void Fill(Browser browser, string name, string value)
    {
        var field = browser.Find($"input[name={name}]");
        field.SendKeys(Keys.Control + "a");
        field.SendKeys(value);
    }
}
