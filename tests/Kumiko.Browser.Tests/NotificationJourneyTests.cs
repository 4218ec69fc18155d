using Kumiko.Demo.StandIns;
using OpenQA.Selenium;
using OpenQA.Selenium.Support.UI;

namespace Kumiko.Browser.Tests;

/// <summary>Who is told of what, how, and when not.</summary>
[Collection("watching")]
public sealed class NotificationJourneyTests : IAsyncLifetime
{
    private const int PhoneWidth = 390;
    private const int PhoneHeight = 844;

    private readonly RunningDemo _demo;
    private readonly Browser _mirek;

    // Stand-ins keep what other tests sent; a word of its own tells each test's messages.
    private readonly string _word = "lamp" + Guid.NewGuid().ToString("N")[..8];

    public NotificationJourneyTests(RunningDemo demo)
    {
        _demo = demo;
        _mirek = new Browser(demo);
        _mirek.SignIn("Mirek Dane", "/alerts");
    }

    public async ValueTask InitializeAsync()
    {
        await _demo.AddTelling();
        // The flood of another test may have used up the briefs of its minute.
        _demo.Clock.Advance(TimeSpan.FromMinutes(1));
    }

    public async ValueTask DisposeAsync()
    {
        _mirek.Dispose();
        _demo.Get<HookInboxes>().Chat.IsBroken = false;
        await _demo.ForgetRules();
        await _demo.ForgetTelling();
    }

    private void Fill(string name, string value)
    {
        var field = _mirek.Find($"[name={name}]");
        field.Clear();
        field.SendKeys(value);
    }

    private void MakeRule(
        string name,
        string team = "",
        string labels = "",
        string keys = "",
        string followUp = "",
        string runbook = ""
    )
    {
        _mirek.Open("/rules/new");
        Fill("Query", _word);
        Fill("Warning", "");
        Fill("Critical", "3");
        Fill("InTheLast", "30m");
        Fill("CheckedEvery", "10s");
        Fill("Keys", keys);
        Fill("MailTo", "");
        Fill("Team", team);
        Fill("Labels", labels);
        Fill("FollowUp", followUp);
        Fill("Runbook", runbook);
        Fill("Name", name);
        _mirek.Press("Save the rule");
        _mirek.Until(() => _mirek.Here == "/alerts", "the list");
    }

    private Task Send(int count, string fields = "") =>
        _demo.Send([.. Enumerable.Repeat($"{{\"body\":\"{_word} is out\"{fields}}}", count)]);

    /// <summary>Looks at a page again and again, while time passes, until something is on it.</summary>
    private void Wait(string path, Func<bool> there, string what) =>
        _mirek.Until(
            () =>
            {
                _mirek.Open(path);
                return there();
            },
            what,
            timePasses: true
        );

    private List<string> Mails(string to, string subject) =>
        [
            .. _mirek
                .All("article.mail")
                .Where(m =>
                    m.Text.Contains("to " + to, StringComparison.Ordinal)
                    && m.FindElement(By.CssSelector("h2")).Text.Contains(subject, StringComparison.Ordinal)
                )
                .Select(m => m.Text),
        ];

    private void MarkStorm(int daysAhead)
    {
        var day = _demo
            .Clock.GetUtcNow()
            .AddDays(daysAhead)
            .ToString("yyyy-MM-dd", System.Globalization.CultureInfo.InvariantCulture);
        _mirek.Driver.ExecuteScript("document.querySelector('[name=date]').value = arguments[0]", day);
        Fill("mark", NotificationDesk.Storm);
        _mirek.Press("Add the day");
        _mirek.Until(() => _mirek.Text(".trial-pane").Contains(day, StringComparison.Ordinal), "the storm day");
    }

    [Fact]
    public async Task A_brief_is_read_on_a_phone_and_acknowledged_from_the_mails_link()
    {
        var name = "Lamps " + _word;
        MakeRule(name, "Quayside", followUp: $"{_word} | group count() as lamps by quay", runbook: "1. Bring a lantern");
        await Send(9, ",\"quay\":\"North\"");
        string? link = null;
        // By day the quay is told, by night the office: either has the link.
        Wait(
            "/demo/mailbox",
            () =>
                (
                    link = _mirek
                        .All("article.mail a")
                        .Where(a =>
                            a.Text.Contains("/brief/", StringComparison.Ordinal)
                            && a.FindElement(By.XPath("ancestor::article")).Text.Contains(name, StringComparison.Ordinal)
                        )
                        .Select(a => a.GetAttribute("href"))
                        .FirstOrDefault()
                )
                    is not null,
            "the mail"
        );
        _mirek.Click(() =>
            _mirek
                .All("article.mail")
                .First(m => m.Text.Contains(name, StringComparison.Ordinal))
                .FindElement(By.LinkText("As a mail program shows it"))
        );
        _mirek.Until(
            () =>
                _mirek.Text("body").Contains("Bring a lantern", StringComparison.Ordinal)
                && _mirek.Text("body").Contains("North", StringComparison.Ordinal),
            "the mail as HTML"
        );
        Assert.True(
            (bool)_mirek.Driver.ExecuteScript("return document.images.length === 1 && document.images[0].naturalWidth > 300")!
        );

        using var phone = new Browser(_demo, size: "500,900");
        phone.Driver.ExecuteCdpCommand(
            "Emulation.setDeviceMetricsOverride",
            new()
            {
                ["width"] = PhoneWidth,
                ["height"] = PhoneHeight,
                ["deviceScaleFactor"] = 1,
                ["mobile"] = true,
            }
        );
        phone.Open(link!);
        Assert.Contains($"{name}: 9 in 30 min; critical above 3, since", phone.Text(".brief-sentence"));
        Assert.Contains("Bring a lantern", phone.Text(".first-step"));
        Assert.Contains("North", phone.Text(".brief"));
        Assert.NotEmpty(phone.All(".brief svg.chart-picture"));
        Assert.InRange((long)phone.Driver.ExecuteScript("return document.documentElement.scrollWidth")!, 1, PhoneWidth);
        Assert.Empty(phone.Axe());
        phone.Press("Acknowledge");
        phone.Until(
            () => phone.Text(".brief-head").Contains("Acknowledged. Nobody else is called", StringComparison.Ordinal),
            "the answer"
        );
        phone.Open(link!);
        Assert.Empty(phone.All("form.acknowledge"));
        Assert.Contains("acknowledged by", phone.Text("#since"));

        _mirek.Open("/alerts");
        _mirek.Press(name);
        _mirek.Until(() => _mirek.Text(".events").Contains("acknowledged by", StringComparison.Ordinal), "who has it");
        _mirek.Until(
            () =>
                _mirek.All(".later svg.chart-picture").Count == 1
                && _mirek.Text(".behind").Contains(_word, StringComparison.Ordinal),
            "figure and records"
        );
        Assert.Contains("critical above 3", _mirek.Text(".later"));
        Assert.Empty(_mirek.Axe());
        _mirek.Press("Its records in Search");
        _mirek.Until(() => _mirek.Query == _word && _mirek.Records == 9, "its records with their focus");
        Assert.Empty(_mirek.Problems);
    }

    [Fact]
    public async Task On_a_storm_day_quay_and_office_are_told_otherwise_one_of_them()
    {
        MakeRule("Calm " + _word, "Quayside", keys: "quay");
        await Send(9, ",\"quay\":\"North\"");
        Wait(
            "/demo/mailbox",
            () =>
                Mails(NotificationDesk.QuayMail, "Calm " + _word).Count
                    + Mails(NotificationDesk.OfficeMail, "Calm " + _word).Count
                > 0,
            "one of them"
        );
        Assert.Single(
            Mails(NotificationDesk.QuayMail, "Calm " + _word).Concat(Mails(NotificationDesk.OfficeMail, "Calm " + _word))
        );

        _mirek.Open("/alerts/routes");
        _mirek.Press(NotificationDesk.Calendar);
        _mirek.Find(".add-day");
        MarkStorm(0);
        MarkStorm(1);
        _mirek.Open("/alerts/routes");
        _mirek.Until(
            () => _mirek.Text(".routes-split").Contains(NotificationDesk.Storm, StringComparison.Ordinal),
            "today's mark"
        );
        new SelectElement(_mirek.Find("select[name=rule]")).SelectByText("Calm " + _word);
        _mirek.Press("Say who");
        _mirek.Until(
            () =>
                _mirek.Text(".who-answer") is var who
                && who.Contains("Quay duty", StringComparison.Ordinal)
                && who.Contains("Harbour office", StringComparison.Ordinal),
            "both would be told"
        );
        Assert.Empty(_mirek.Axe());
        // The first message is a while ago, so that the next one is not gathered with what follows it.
        for (var i = 0; i < 70; i++)
            _demo.Clock.Advance(TimeSpan.FromSeconds(1));
        await Send(9, ",\"quay\":\"South\"");
        Wait(
            "/demo/mailbox",
            () => Mails(NotificationDesk.QuayMail, "South").Count > 0 && Mails(NotificationDesk.OfficeMail, "South").Count > 0,
            "both are told"
        );
        Assert.Empty(_mirek.Problems);
    }

    [Fact]
    public async Task Nobody_acknowledges_and_the_pager_is_called()
    {
        _mirek.Open("/alerts/routes");
        _mirek.Press("New route");
        Fill("Name", "Lamps");
        Fill("Labels", _word);
        Check("Channels", "Chat room");
        Fill("After1", "2m");
        Check("Step1", "On-call pager");
        Assert.Empty(_mirek.Axe());
        _mirek.Press("Save the route");
        _mirek.Until(
            () => _mirek.Text(".routes").Contains("after 2 min unacknowledged to On-call pager", StringComparison.Ordinal),
            "the route"
        );
        MakeRule("Lamps " + _word, labels: _word);
        await Send(9);
        Wait(
            "/demo/chat",
            () => _mirek.All(".chat li").Any(l => l.Text.Contains("Critical: Lamps " + _word, StringComparison.Ordinal)),
            "the chat"
        );
        _mirek.Open("/demo/pager");
        Assert.DoesNotContain(_word, _mirek.Text(".scroll"));
        Wait(
            "/demo/pager",
            () => _mirek.All(".page-call h2").Any(h => h.Text == "Nobody has acknowledged: Lamps " + _word),
            "the pager"
        );
        _mirek.Open("/alerts");
        _mirek.Press("Lamps " + _word);
        _mirek.Until(() => _mirek.Text(".told").Contains("nobody acknowledged", StringComparison.Ordinal), "who was told");
        Assert.Empty(_mirek.Problems);
    }

    private void Check(string name, string label) =>
        _mirek.Click(() => _mirek.All($"input[name={name}]").First(i => i.FindElement(By.XPath("..")).Text.Trim() == label));

    private void MakeRoute(string channel)
    {
        _mirek.Open("/alerts/routes/new");
        Fill("Name", "To " + channel);
        Fill("Labels", _word);
        Check("Channels", channel);
        _mirek.Press("Save the route");
        _mirek.Until(() => _mirek.Here == "/alerts/routes", "the routes");
    }

    [Fact]
    public async Task A_flood_makes_few_messages_that_say_how_many()
    {
        MakeRoute("Chat room");
        MakeRule("Flood " + _word, labels: _word, keys: "ticket");
        await _demo.Send([
            .. Enumerable
                .Range(0, 150)
                .SelectMany(t => Enumerable.Repeat($"{{\"body\":\"{_word} is out\",\"ticket\":\"SK-{t:000}\"}}", 5)),
        ]);
        Wait(
            "/demo/chat",
            () => _mirek.All(".chat li").Any(l => l.Text.Contains($"150 critical: Flood {_word}", StringComparison.Ordinal)),
            "the one message"
        );
        Assert.Single(_mirek.All(".chat li"), l => l.Text.Contains(_word, StringComparison.Ordinal));
        Wait(
            "/alerts/sent",
            () => _mirek.All(".sent-list").Any(l => l.Text.Contains("150 tellings in one", StringComparison.Ordinal)),
            "what was sent"
        );
        _mirek.Press($"150 critical: Flood {_word}");
        _mirek.Until(() => _mirek.Text(".scroll").Contains("and 130 more", StringComparison.Ordinal), "what it is about");
        Assert.Empty(_mirek.Axe());
        Assert.Empty(_mirek.Problems);
    }

    [Fact]
    public async Task A_planned_quiet_time_holds_back_and_its_end_tells()
    {
        MakeRoute("Chat room");
        _mirek.Open("/alerts/quiet");
        Fill("Labels", _word);
        Fill("Reason", "new lamps are put up");
        Assert.Empty(_mirek.Axe());
        _mirek.Press("Be quiet then");
        _mirek.Until(() => _mirek.Text(".list").Contains("new lamps are put up", StringComparison.Ordinal), "the quiet time");
        MakeRule("Quiet " + _word, labels: _word);
        await Send(9);
        Wait(
            "/alerts",
            () => _mirek.All("tr.open").Any(l => l.Text.Contains("Quiet " + _word, StringComparison.Ordinal)),
            "the alert"
        );
        _mirek.Press("Quiet " + _word);
        _mirek.Until(
            () =>
            {
                _mirek.Driver.Navigate().Refresh();
                return _mirek.All(".told").Any(t => t.Text.Contains("quiet: new lamps are put up", StringComparison.Ordinal));
            },
            "why nobody is told",
            timePasses: true
        );
        _mirek.Open("/demo/chat");
        Assert.DoesNotContain(_word, _mirek.Text(".scroll"));
        _mirek.Open("/alerts/quiet");
        _mirek.Press("End it");
        _mirek.Until(() => _mirek.Text(".scroll").Contains("The quiet time is over", StringComparison.Ordinal), "its end");
        Wait(
            "/demo/chat",
            () => _mirek.Text(".scroll").Contains("Critical: Quiet " + _word, StringComparison.Ordinal),
            "what was held"
        );
        Assert.Empty(_mirek.Problems);
    }

    [Fact]
    public async Task A_broken_template_is_said_in_the_preview_and_the_message_goes_all_the_same()
    {
        MakeRoute("Chat room");
        MakeRule("Broken " + _word, labels: _word);
        await Send(9);
        Wait(
            "/demo/chat",
            () => _mirek.Text(".scroll").Contains("Critical: Broken " + _word, StringComparison.Ordinal),
            "the first message"
        );
        _mirek.Open("/alerts/channels");
        _mirek.Click(() => _mirek.All(".list a").First(a => a.Text == "Chat room"));
        Fill("Template", "{ \"text\": \"{{ subject \" }");
        _mirek.Until(
            () => _mirek.Text("#preview").Contains("The template is broken", StringComparison.Ordinal),
            "the preview says so"
        );
        Assert.Empty(_mirek.Axe());
        _mirek.Press("Save the channel");
        _mirek.Until(
            () => _mirek.Text("#preview").Contains("usual text is sent instead", StringComparison.Ordinal),
            "saved all the same"
        );
        _mirek.Press("Send a test");
        _mirek.Until(
            () => _mirek.Text(".tested").Contains("its template is broken", StringComparison.Ordinal),
            "the test says so"
        );
        Assert.Contains("200 OK", _mirek.Text(".tested"));
        MakeRule("Still " + _word, labels: _word);
        Wait(
            "/demo/chat",
            () => _mirek.All(".chat li").Any(l => l.Text.Contains("Still " + _word, StringComparison.Ordinal)),
            "the usual text"
        );
        _mirek.Open("/alerts/sent?text=" + Uri.EscapeDataString("Still " + _word));
        Assert.Contains("The template is broken", _mirek.Text(".sent-list"));
        Assert.Empty(_mirek.Problems);
    }

    [Fact]
    public async Task What_was_sent_is_sent_again_and_what_was_out_of_order_comes_later()
    {
        MakeRoute("Chat room");
        _mirek.Open("/demo/chat");
        _mirek.Press("Put it out of order");
        _mirek.Button("Put it in order");
        MakeRule("Again " + _word, labels: _word);
        await Send(9);
        Wait(
            "/alerts/sent",
            () =>
                _mirek.Text(".scroll").Contains("trying again", StringComparison.Ordinal)
                && _mirek.Text(".scroll").Contains("It answered 503", StringComparison.Ordinal),
            "a failed try"
        );
        _mirek.Open("/demo/chat");
        Assert.DoesNotContain(_word, _mirek.Text(".scroll"));
        _mirek.Press("Put it in order");
        _mirek.Button("Put it out of order");
        Wait(
            "/demo/chat",
            () => _mirek.All(".chat li").Count(l => l.Text.Contains(_word, StringComparison.Ordinal)) == 1,
            "it comes later, once"
        );
        _mirek.Open("/alerts/sent");
        _mirek.Press("Critical: Again " + _word);
        _mirek.Press("Send it again");
        _mirek.Until(() => _mirek.Text(".facts").Contains("repeats", StringComparison.Ordinal), "a message that repeats");
        Wait(
            "/demo/chat",
            () => _mirek.All(".chat li").Count(l => l.Text.Contains(_word, StringComparison.Ordinal)) == 2,
            "it comes again"
        );
        // The browser notes an answer of 503 nowhere: the server asked for it.
        Assert.Empty(_mirek.Problems);
    }
}
