using Kumiko.Demo.World;
using OpenQA.Selenium;
using OpenQA.Selenium.Interactions;

namespace Kumiko.Browser.Tests;

/// <summary>From something odd to the line, the host and the moment, without leaving Search.</summary>
[Collection("asking")]
public sealed class SearchJourneyTests(RunningDemo demo)
{
    private TruthEntry Firmware => demo.Truth.Entries.First(e => e.Disturbance == 1 && e.End is not null);

    private static string Iso(DateTimeOffset time) =>
        time.UtcDateTime.ToString("yyyy-MM-ddTHH:mm:ss", System.Globalization.CultureInfo.InvariantCulture) + "Z";

    private static void Press(Browser browser, params string[] keys)
    {
        foreach (var key in keys)
            new Actions(browser.Driver).SendKeys(key).Perform();
    }

    [Fact]
    public void Changes_have_counts_fields_and_conditions_as_records_have()
    {
        using var ines = new Browser(demo);
        ines.SignIn("Ines Halloran", "/search?q=from changes&from=-30h&to=now");
        ines.Until(() => ines.All(".fields [data-value]").Count > 0, "values of fields");
        var all = ines.All("tbody tr").Count;
        Assert.Equal($"{all} rows", ines.Text("#total"));
        Assert.Empty(ines.Axe());
        ines.Click(() => ines.FieldValue("after", "7.3"));
        ines.Until(() => ines.Query == "from changes after = \"7.3\"", "one of the changes");
        ines.Until(() => ines.All("tbody tr").Count is > 0 and var fewer && fewer < all, "fewer rows");
        var left = ines.All("tbody tr").Count;
        Assert.Equal(left == 1 ? "1 row" : $"{left} rows", ines.Text("#total"));
        // Beside the line stands what it left.
        ines.Until(() => ines.Text("#counts").Contains(left == 1 ? "1 row" : $"{left} rows"), "the count beside the line");
    }

    [Fact]
    public void A_hosts_errors_narrowed_by_three_clicks_the_first_record_and_what_stands_around_it()
    {
        using var ines = new Browser(demo);
        ines.SignIn("Ines Halloran", $"/search?from={Iso(Firmware.Start.AddMinutes(-20))}&to={Iso(Firmware.End!.Value)}");
        ines.Click(() => ines.FieldValue("level", "error"));
        ines.Until(() => ines.Query == "level = error", "errors");
        ines.Click(() => ines.FieldValue("service", "gate-control"));
        ines.Until(() => ines.Query == "level = error and service = gate-control", "errors of the gates");
        ines.Click(() => ines.FieldValue("host", "gate-t3"));
        ines.Until(
            () => ines.Query == "level = error and service = gate-control and host = gate-t3" && ines.Records > 0,
            "errors of one gate"
        );
        Assert.Contains("host = gate-t3", ines.Text(".cm-editor"));

        ines.Press("newest first");
        ines.Until(
            () => ines.Here.Contains("order=oldest", StringComparison.Ordinal) && ines.All("details.record").Count > 0,
            "the oldest first"
        );
        var times = ines.All("details.record").Take(10).Select(r => r.GetAttribute("data-record")!.Split('.')[0]).ToList();
        Assert.Equal(times.Order(), times);
        var first = ines.Find("details.record").GetAttribute("data-record")!;
        ines.Click(() => ines.Find("details.record summary"));
        Assert.Empty(ines.Axe());
        ines.Press("Around this");

        ines.Until(
            () =>
                ines.Driver.Url.Contains("/search/around", StringComparison.Ordinal)
                && ines.All(".this-one details.record").Count == 1,
            "what stands around it"
        );
        Assert.Equal(first, ines.Find(".this-one details.record").GetAttribute("data-record"));
        // The page may read on at once where there is room.
        ines.Until(() => ines.All("details.record").Count >= 50, "neighbours");
        Assert.All(ines.All("details.record .host").Take(20), h => Assert.Equal("gate-t3", h.GetAttribute("textContent")));
        Assert.NotEmpty(ines.All("details.record.meets"));
        Assert.NotEmpty(ines.All("details.record:not(.meets)"));
        var before = ines.All("details.record").Count;
        ines.Driver.ExecuteScript("document.querySelector('.scroll').scrollTo(0, 1e6)");
        ines.Until(() => ines.All("details.record").Count > before, "more after it");
        before = ines.All("details.record").Count;
        ines.Driver.ExecuteScript("document.querySelector('.scroll').scrollTo(0, 0)");
        ines.Until(() => ines.All("details.record").Count > before, "more before it");
        var order = ines.All("details.record")
            .Select(r => r.GetAttribute("data-record")!)
            .Select(id => (long.Parse(id.Split('.')[0], null), long.Parse(id.Split('.')[1], null)))
            .ToList();
        Assert.Equal(order.Order(), order);
        ines.Until(() => ines.Axe().Count == 0, "no violation");
        ines.Click(() => ines.All(".choices a").First(a => a.Text == "all"));
        ines.Until(
            () => ines.All("details.record .host").Select(h => h.GetAttribute("textContent")).Distinct().Count() > 3,
            "other hosts too"
        );
        ines.Press("Back to the search");
        ines.Until(() => ines.Query == "level = error and service = gate-control and host = gate-t3", "the search again");
        Assert.Empty(ines.Problems);
    }

    [Fact]
    public void A_spike_on_the_strip_leads_to_one_firmware_version_by_fields()
    {
        using var ines = new Browser(demo);
        ines.SignIn("Ines Halloran", "/search?q=service = gate-control&from=-1d&to=now&span=30h&base=before");
        var strip = ines.Until(() => ines.All("svg[data-strip]").FirstOrDefault(), "the strip");
        var (from, to) = (long.Parse(strip.GetAttribute("data-from")!, null), long.Parse(strip.GetAttribute("data-to")!, null));
        double Share(DateTimeOffset time) => (double)(time.ToUnixTimeMilliseconds() - from) / (to - from);
        new Actions(ines.Driver).MoveToElement(strip).Perform();
        Assert.Contains(
            "records",
            ines.Until(() => ines.All(".strip-tip").FirstOrDefault(t => t.Displayed)?.Text, "what a bar holds")
        );
        // Shift draws anew inside the frame.
        new Actions(ines.Driver).KeyDown(Keys.Shift).Perform();
        ines.Drag("svg[data-strip]", Share(Firmware.Start.AddMinutes(6)), Share(Firmware.Start.AddMinutes(54)), 0.4);
        new Actions(ines.Driver).KeyUp(Keys.Shift).Perform();
        ines.Until(() => ines.Here.Contains("from=20", StringComparison.Ordinal), "the focus that was drawn");
        ines.Until(() => ines.All(".field").Take(5).Any(f => f.GetAttribute("data-field") == "firmware"), "what moved most");
        ines.Click(() => ines.FieldValue("firmware", "7.3"));
        ines.Until(
            () => ines.Query == "service = gate-control and firmware = \"7.3\"" && ines.Records > 100,
            "one firmware version"
        );

        // The wheel shows more around it, the answer stays; a double click shows all there is; Home does too.
        var focus = ines.Here;
        var records = ines.Records;
        ines.Driver.ExecuteScript(
            "document.querySelector('svg[data-strip]').dispatchEvent(new WheelEvent('wheel', { deltaY: 100, clientX: 700, clientY: 700, bubbles: true, cancelable: true }))"
        );
        ines.Until(() => ines.Here.Contains("span=20", StringComparison.Ordinal), "a wider strip");
        Assert.Equal(records, ines.Records);
        new Actions(ines.Driver).MoveToElement(ines.Find("svg[data-strip]")).DoubleClick().Perform();
        ines.Until(() => ines.Here.Contains("span=all", StringComparison.Ordinal), "all of it");

        // A bar alone, by its menu; the baseline drawn by hand; by a condition; none.
        ines.Click(() => ines.Find("#strip .baseline summary"));
        ines.Press("Draw it on the strip");
        ines.Drag("svg[data-strip]", 0.2, 0.3, 0.4);
        ines.Until(
            () => ines.Here.Contains("base=20", StringComparison.Ordinal) && ines.All("#strip .baseline-frame").Count == 1,
            "the baseline that was drawn"
        );
        ines.Click(() => ines.Find("#strip .baseline summary"));
        Assert.Empty(ines.Axe());
        var set = ines.Find("input[name=base-set]");
        set.Clear();
        set.SendKeys("firmware = \"7.2\"" + Keys.Enter);
        ines.Until(
            () => ines.Text("#strip .baseline summary").Contains("vs firmware = \"7.2\"", StringComparison.Ordinal),
            "the set"
        );
        ines.Click(() => ines.Find("#strip .baseline summary"));
        ines.Press("Nothing");
        ines.Until(() => ines.Text("#strip .baseline summary").Contains("no baseline", StringComparison.Ordinal), "none");
        Assert.Empty(ines.Problems);
    }

    [Fact]
    public async Task A_number_that_is_a_status_in_one_field_and_a_sailing_in_another()
    {
        await demo.Send([
            .. Enumerable
                .Range(0, 6)
                .Select(i => $"{{\"body\":\"answered 412 to quay {i}\",\"service\":\"quay-desk\",\"status\":412}}"),
            .. Enumerable
                .Range(0, 4)
                .Select(i => $"{{\"body\":\"sailing 412 boards lane {i}\",\"service\":\"quay-desk\",\"sailing\":\"412\"}}"),
        ]);
        using var ines = new Browser(demo);
        ines.SignIn("Ines Halloran");
        ines.Ask("service = quay-desk and 412");
        ines.Until(() => ines.Records == 10, "both");
        ines.Until(
            () => ines.All(".hint").Count(h => h.Text.Contains("412 is a value of", StringComparison.Ordinal)) == 2,
            "advice for both fields"
        );
        ines.Find("[data-field-search]").SendKeys("412");
        ines.Until(
            () =>
                ines.All(".field")
                    .Where(f => f.Displayed)
                    .Select(f => f.GetAttribute("data-field"))
                    .Order()
                    .SequenceEqual(["sailing", "status"]),
            "the two fields that hold it"
        );
        ines.Click(() =>
            ines.All(".hint")
                .First(h => h.Text.Contains("value of status", StringComparison.Ordinal))
                .FindElement(By.TagName("a"))
        );
        ines.Until(() => ines.Query == "service = quay-desk and status = 412" && ines.Records == 6, "the status");
        ines.Driver.Navigate().Back();
        ines.Until(() => ines.Query == "service = quay-desk and 412" && ines.Records == 10, "both again");
        ines.Click(() => ines.FieldValue("sailing", "412"));
        ines.Until(() => ines.Query == "service = quay-desk and 412 and sailing = \"412\"" && ines.Records == 4, "the sailing");
        // A word of a body, pointed at.
        ines.Until(() => ines.All("details.record .body").Count == 4, "four rows");
        new Actions(ines.Driver).MoveToElement(ines.All("details.record .body mark")[0]).DoubleClick().Perform();
        ines.Until(() => ines.All(".point-menu a").Any(a => a.Text == "Count by sailing"), "the menu of the word");
        Assert.Empty(ines.Axe());
        ines.Click(() => ines.All(".point-menu a").First(a => a.Text == "Count by sailing"));
        ines.Until(
            () =>
                ines.Query.EndsWith("| group count() by sailing", StringComparison.Ordinal)
                && ines.All("table.frame tbody tr").Count == 1,
            "counted by it"
        );
        ines.Click(() => ines.Find("table.frame [data-point]"));
        ines.Click(() => ines.All(".point-menu a").First(a => a.Text == "Its records"));
        ines.Until(
            () => ines.Query == "service = quay-desk and 412 and sailing = \"412\"" && ines.Records == 4,
            "the records of the row"
        );
        Assert.Empty(ines.Problems);
    }

    [Fact]
    public void A_contradictory_query_is_explained_and_mended_with_one_click()
    {
        using var ines = new Browser(demo);
        ines.SignIn("Ines Halloran", "/search?from=-1d&to=now");
        ines.Ask("service = gate-control and terminal = Tarnhead and terminal = Orra");
        ines.Until(
            () => ines.All(".conditions tbody tr").Count == 3 && ines.All(".conditions tbody tr")[2].Displayed,
            "what each condition took, without being asked"
        );
        Assert.Equal("0", ines.All(".conditions tbody tr")[2].FindElements(By.CssSelector("td a"))[1].Text);
        ines.Until(
            () => ines.All(".hint").FirstOrDefault(h => h.Text.Contains("cannot both hold", StringComparison.Ordinal)),
            "why"
        );
        Assert.Empty(ines.Axe());
        ines.Press("Ask this instead");
        ines.Until(
            () => ines.Query == "service = gate-control and terminal in (Tarnhead, Orra)" && ines.Records > 100,
            "both terminals"
        );
        Assert.Empty(ines.Problems);
    }

    [Fact]
    public async Task Yesterday_morning_kept_and_opened_by_somebody_else()
    {
        // Times are the person's: the browser's zone here is UTC.
        var morning = new DateTimeOffset(demo.Clock.GetUtcNow().UtcDateTime.Date.AddDays(-1).AddHours(6), TimeSpan.Zero);
        await demo.Send([
            .. Enumerable
                .Range(0, 7)
                .Select(i =>
                    $"{{\"time\":\"{Iso(morning.AddMinutes(i))}\",\"level\":\"warn\",\"service\":\"quay-clock\",\"body\":\"chimed {i} late\"}}"
                ),
        ]);
        using var ines = new Browser(demo);
        ines.SignIn("Ines Halloran", "/search?q=level >= warn");
        var when = ines.Find("#when");
        when.SendKeys(Keys.Control + "a");
        when.SendKeys("yesterday 5:30 to 7:00");
        ines.Until(
            () =>
                ines.All("#when-means").FirstOrDefault(m => m.Displayed)?.Text is { } text
                && text.Contains("05:30", StringComparison.Ordinal)
                && text.Contains("1 h 30 min", StringComparison.Ordinal),
            "what was understood"
        );
        when.SendKeys(Keys.Enter);
        ines.Until(() => ines.Find("#when").GetAttribute("value") == "yesterday 05:30 to 07:00", "the focus");
        ines.Until(() => ines.Text("#total") is { Length: > 0 } total && !total.StartsWith('≥'), "all counted");
        var records = ines.Records;

        ines.Find("#keep summary").Click();
        Assert.Empty(ines.Axe());
        ines.Find("#keep input[name=name]").SendKeys("the morning before");
        ines.Find("#keep input[name=tags]").SendKeys("Mornings");
        ines.Find("#keep input[name=withTime]").Click();
        ines.Click(() => ines.All("#keep button").First(b => b.Text == "Keep"));
        ines.Until(
            () => ines.All(".notice").Any(n => n.Text.Contains("Kept as “the morning before”", StringComparison.Ordinal)),
            "that it is kept"
        );

        using (var tomas = new Browser(demo))
        {
            tomas.SignIn("Tomas Verrall");
            Press(tomas, "/");
            tomas.Until(() => tomas.All("#find input").FirstOrDefault(i => i.Displayed), "find anything");
            Press(tomas, "morning before");
            tomas.Until(
                () => tomas.All("#found a").FirstOrDefault()?.Text.Contains("the morning before", StringComparison.Ordinal),
                "the kept search"
            );
            Assert.Empty(tomas.Axe());
            Press(tomas, Keys.Enter);
            tomas.Until(
                () =>
                    tomas.Query == "level >= warn"
                    && tomas.Find("#when").GetAttribute("value") == "yesterday 05:30 to 07:00"
                    && tomas.Records == records,
                "the same records"
            );
        }
        // Edited, deleted, brought back; the answer frozen.
        ines.Open("/searches");
        Assert.Empty(ines.Axe());
        ines.Click(() => ines.All(".edit-row summary")[0]);
        var name = ines.Find(".edit-row input[name=name]");
        name.Clear();
        name.SendKeys("mornings");
        ines.Press("Save");
        ines.Until(() => ines.Text(".list tbody").StartsWith("mornings", StringComparison.Ordinal), "the new name");
        ines.Press("Delete");
        ines.Until(() => ines.All(".undo").Count == 1, "the way back");
        ines.Press("Undo");
        ines.Until(
            () => ines.All(".list tbody").FirstOrDefault()?.Text.Contains("mornings", StringComparison.Ordinal),
            "it is back"
        );
        ines.Click(() => ines.Find(".list tbody strong"));
        ines.Until(() => ines.All("details.record").Count > 0, "its records");
        ines.Find("#keep summary").Click();
        ines.Press("Freeze this answer");
        ines.Until(
            () => ines.Here.StartsWith("/frozen/", StringComparison.Ordinal) && ines.All("table.frame tbody tr").Count > 0,
            "the frozen answer"
        );
        Assert.Empty(ines.Axe());
        ines.Open("/searches?tab=asked");
        Assert.Contains("level >= warn", ines.Text("main"));
        Assert.Empty(ines.Axe());
        Assert.Empty(ines.Problems);
    }

    [Fact]
    public void All_of_it_by_keyboard()
    {
        using var ines = new Browser(demo);
        ines.SignIn("Ines Halloran", $"/search?from={Iso(Firmware.Start)}&to={Iso(Firmware.End!.Value)}");
        ines.Until(() => ines.All("details.record").Count > 0, "records");

        // The query, with completion of a field and of a value.
        Press(ines, "q");
        new Actions(ines.Driver).KeyDown(Keys.Control).SendKeys("a").KeyUp(Keys.Control).SendKeys(Keys.Delete).Perform();
        Press(ines, "service = gate-control and rea");
        ines.Until(
            () => ines.All(".cm-tooltip-autocomplete li").FirstOrDefault()?.Text.StartsWith("reason", StringComparison.Ordinal),
            "the field"
        );
        Press(ines, Keys.Tab);
        ines.Until(() => ines.Query == "service = gate-control and reason", "the field written");
        Press(ines, " = seat");
        ines.Until(
            () =>
                ines.All(".cm-tooltip-autocomplete li")
                    .FirstOrDefault()
                    ?.Text.StartsWith("seat already claimed", StringComparison.Ordinal),
            "the value with its count"
        );
        Assert.Matches(@"seat already claimed\s+\d", ines.All(".cm-tooltip-autocomplete li")[0].Text);
        Press(ines, Keys.Tab);
        ines.Until(() => ines.Query == "service = gate-control and reason = \"seat already claimed\"", "the value written");
        new Actions(ines.Driver).KeyDown(Keys.Control).SendKeys(Keys.Enter).KeyUp(Keys.Control).Perform();
        ines.Until(() => ines.Here.Contains("q=service", StringComparison.Ordinal) && ines.Records > 100, "its records");
        Press(ines, Keys.Escape);

        // Records walked, unfolded, a value included, what stands around one.
        ines.Until(() => ines.All("#counts .figure").Count == 1, "counts");
        Press(ines, "j", "j", "k", "o");
        ines.Until(() => ines.All("details.record[open]").Count == 1, "an unfolded record");
        ines.Until(() => ines.All("details.record[open] [data-include]").Count > 3, "its fields");
        Press(ines, "i");
        ines.Until(
            () =>
                ines
                    .Driver.SwitchTo()
                    .ActiveElement()
                    .GetAttribute("aria-label")
                    ?.StartsWith("Only level", StringComparison.Ordinal),
            "its first value"
        );
        Press(ines, "x");
        ines.Until(() => ines.Query.EndsWith("and level != error", StringComparison.Ordinal), "without its level");
        ines.Driver.Navigate().Back();
        ines.Until(
            () =>
                ines.Query.EndsWith("\"seat already claimed\"", StringComparison.Ordinal) && ines.All("details.record").Count > 0,
            "back"
        );
        Press(ines, "j", "c");
        ines.Until(() => ines.Here.StartsWith("/search/around", StringComparison.Ordinal), "what stands around it");
        ines.Driver.Navigate().Back();
        ines.Until(() => ines.All("details.record").Count > 0, "back again");

        // Time: moved, widened, typed; the strip by its own keys; baselines.
        var when = ines.Find("#when").GetAttribute("value");
        Press(ines, "[");
        ines.Until(() => ines.Find("#when").GetAttribute("value") != when, "an earlier focus");
        Press(ines, "]");
        ines.Until(() => ines.Find("#when").GetAttribute("value") == when, "the focus of before");
        Press(ines, "-");
        ines.Until(() => ines.Find("#when").GetAttribute("value") != when, "a wider one");
        Press(ines, "b");
        ines.Until(
            () => ines.Text("#strip .baseline summary").Contains("the stretch before", StringComparison.Ordinal),
            "the next baseline"
        );
        Press(ines, "t");
        new Actions(ines.Driver).SendKeys("last 2h" + Keys.Enter).Perform();
        ines.Until(() => ines.Here.Contains("from=-2h", StringComparison.Ordinal), "the typed time");
        ines.Driver.ExecuteScript("document.querySelector('svg[data-strip]').focus()");
        Press(ines, Keys.ArrowLeft);
        ines.Until(() => ines.Here.Contains("from=20", StringComparison.Ordinal), "moved on the strip");

        // The list of keys, and sections.
        Press(ines, "?");
        ines.Until(
            () => ines.All("#keys").FirstOrDefault(k => k.Displayed)?.Text.Contains("walk records", StringComparison.Ordinal),
            "the keys"
        );
        Assert.Empty(ines.Axe());
        Press(ines, Keys.Escape);
        Press(ines, "g", "k");
        ines.Until(() => ines.Here == "/searches", "kept searches");
        Press(ines, "g", "s");
        ines.Until(() => ines.Here == "/search", "Search");
        Assert.Empty(ines.Problems);
    }

    [Fact]
    public void What_is_offered_belongs_to_the_last_key_however_late_an_earlier_answer_comes()
    {
        using var ines = new Browser(demo);
        ines.SignIn("Ines Halloran", $"/search?from={Iso(Firmware.Start)}&to={Iso(Firmware.End!.Value)}");
        // The first answer is kept back until more was typed, and has nothing to offer.
        ines.Driver.ExecuteScript(
            """
            const real = window.fetch;
            window.fetch = (to, how) => window.answerFirst || !String(to).includes('handler=Complete') ? real(to, how)
                : new Promise(answer => window.answerFirst = () => answer(new Response('{"from":0,"to":0,"options":[]}')));
            """
        );
        ines.Type("service = gate-control an");
        ines.Until(() => ines.Driver.ExecuteScript("return !!window.answerFirst"), "the first question");
        new Actions(ines.Driver).SendKeys("d rea").Perform();
        ines.Driver.ExecuteScript("window.answerFirst()");
        ines.Until(
            () => ines.All(".cm-tooltip-autocomplete li").FirstOrDefault()?.Text.StartsWith("reason", StringComparison.Ordinal),
            "the field"
        );
        Assert.Empty(ines.Problems);
    }

    [Fact]
    public async Task New_records_come_by_themselves_and_never_move_what_is_read()
    {
        using var ines = new Browser(demo);
        ines.SignIn("Ines Halloran");
        ines.Ask("service = quay-lights");
        ines.Until(() => ines.All(".nothing").Count == 1, "nothing yet");
        await demo.Send([.. Enumerable.Range(0, 60).Select(i => $"{{\"body\":\"lamp {i} lit\",\"service\":\"quay-lights\"}}")]);
        demo.Clock.Advance(TimeSpan.FromSeconds(1));
        ines.Open("/search?q=service = quay-lights");
        ines.Until(() => ines.All("details.record").Count == 60, "sixty");
        Press(ines, "l");
        ines.Until(() => ines.Find("[data-live-switch]").GetAttribute("aria-pressed") == "true", "live");
        await demo.Send("{\"body\":\"lamp 100 lit\",\"service\":\"quay-lights\"}");
        demo.Clock.Advance(TimeSpan.FromSeconds(1));
        ines.Until(
            () => ines.All("details.record").FirstOrDefault()?.Text.Contains("lamp 100", StringComparison.Ordinal),
            "the new one on top"
        );
        // While one reads further down, what is read stays where it is.
        ines.Driver.ExecuteScript("document.querySelector('.result').scrollTo(0, 400)");
        var read = ines.All("details.record").First(r => r.Text.Contains("lamp 40 ", StringComparison.Ordinal));
        var place = read.Location.Y;
        await demo.Send("{\"body\":\"lamp 200 lit\",\"service\":\"quay-lights\"}");
        demo.Clock.Advance(TimeSpan.FromSeconds(1));
        ines.Until(() => ines.All("#fresh").FirstOrDefault(f => f.Displayed)?.Text == "1 new above", "a word of it");
        Assert.InRange(
            ines.All("details.record").First(r => r.Text.Contains("lamp 40 ", StringComparison.Ordinal)).Location.Y,
            place - 2,
            place + 2
        );
        Assert.Empty(ines.Axe());
        Press(ines, "l");
        ines.Until(() => ines.Find("[data-live-switch]").GetAttribute("aria-pressed") == "false", "paused");
        Assert.Empty(ines.Problems);
    }

    [Fact]
    public void Marks_pins_wrapping_and_histograms_change_what_is_shown()
    {
        using var ines = new Browser(demo);
        ines.SignIn(
            "Ines Halloran",
            $"/search?q=refused and exists(wait)&from={Iso(Firmware.Start)}&to={Iso(Firmware.End!.Value)}"
        );
        ines.Click(() => ines.Find(".marks summary"));
        ines.Find("[data-mark-form] input").SendKeys("already" + Keys.Enter);
        ines.Until(() => ines.All(".record mark.colour-0").Count > 10, "the term set off");
        ines.Click(() => ines.Find(".marks summary"));
        ines.Click(() => ines.All(".mark-row .dot")[2]);
        ines.Until(
            () => ines.All(".record mark.colour-2").Count > 10 && ines.Here.Contains("marks=2already", StringComparison.Ordinal),
            "in another colour"
        );
        ines.Press("cut");
        ines.Until(() => ines.All(".records.wrapped").Count == 1, "wrapped bodies");

        var wait = ines.Until(
            () => ines.All(".field").FirstOrDefault(f => f.GetAttribute("data-field") == "wait"),
            "the field of numbers"
        )!;
        ines.Driver.ExecuteScript(
            "arguments[0].scrollIntoView({ block: 'center' }); arguments[0].querySelector('[data-pin]').click()",
            wait
        );
        ines.Until(() => ines.All(".field")[0].GetAttribute("data-field") == "wait", "the pinned field on top");
        ines.Driver.Navigate().Refresh();
        ines.Until(() => ines.All(".field").FirstOrDefault()?.GetAttribute("data-field") == "wait", "pinned after a reload");
        ines.Driver.ExecuteScript("document.querySelector('.field [data-histogram]')?.scrollIntoView()");
        ines.Until(() => ines.All(".field [data-histogram] svg").Count > 0, "its histogram");
        Assert.Empty(ines.Axe());
        ines.Drag(".field [data-histogram] svg", 0.3, 0.6, 0.5);
        ines.Until(
            () =>
                System.Text.RegularExpressions.Regex.IsMatch(ines.Query, @"^refused and exists\(wait\) and wait in \S+\.\.\S+$")
                && ines.Records > 0,
            "the range that was brushed"
        );
        ines.Until(() => ines.All("[data-pin][aria-pressed=true]").FirstOrDefault(), "the pin");
        ines.Driver.ExecuteScript("document.querySelector('[data-pin][aria-pressed=true]').click()");
        Assert.Empty(ines.Problems);
    }

    [Fact]
    public void The_dark_theme_is_chosen_stays_and_has_no_violation()
    {
        using var ines = new Browser(demo);
        ines.SignIn("Ines Halloran");
        ines.Find(".person summary").Click();
        ines.Press("lacquer");
        foreach (
            var path in new[]
            {
                "/search?q=refused&from=-1d&to=now",
                "/search?q=refused%0A%7C%20group%20count()%20by%20reason%20per%201h&from=-1d&to=now",
                "/search?q=refused%20%7C%20group%20count()%20by%20reason",
                "/alerts",
                "/searches",
                "/rules/new?q=refused",
            }
        )
        {
            ines.Open(path);
            ines.Until(() => ines.All("[data-load]:not([data-load-on])").Count == 0, "all parts");
            Assert.Equal("lacquer", ines.Find("html").GetAttribute("data-theme"));
            Assert.Empty(ines.Axe());
        }
        ines.Open("/search?q=refused&from=-1d&to=now");
        ines.Click(() => ines.Find("details.record summary"));
        ines.Until(() => ines.All(".unfolded dl").Count > 0, "an unfolded record");
        Assert.Empty(ines.Axe());
        ines.Find(".person summary").Click();
        ines.Press("as the system");
    }
}
