using Kumiko.Core.Accounts;
using OpenQA.Selenium;
using OpenQA.Selenium.Support.UI;

namespace Kumiko.Browser.Tests;

/// <summary>Somebody is invited, arrives, gets another role, and signs out where she left a browser open.</summary>
[Collection("watching")]
public sealed class PeopleJourneyTests(RunningDemo demo)
{
    private const string Password = "nine lamps over hollin";

    private readonly string _email = $"quinn{Guid.NewGuid().ToString("N")[..6]}@skerryline.example";

    private static void Type(Browser browser, string css, string text)
    {
        browser.Find(css).Clear();
        browser.Find(css).SendKeys(text);
    }

    private static IWebElement RowOf(Browser browser, string text) =>
        browser.All("table.list tbody tr").First(r => r.Text.Contains(text, StringComparison.Ordinal));

    [Fact]
    public void Invited_arrived_changed_and_signed_out_elsewhere()
    {
        using var mirek = new Browser(demo);
        mirek.SignIn("Mirek Dane", "/alerts");

        // 1. Invite, from the menu of the person.
        mirek.Press("Mirek Dane");
        mirek.Press("People");
        mirek.Until(() => mirek.Here.StartsWith("/people", StringComparison.Ordinal), "the page of people");
        Type(mirek, "input[name=email]", _email);
        new SelectElement(mirek.Find(".inline-form select[name=role]")).SelectByValue("Viewer");
        mirek.Press("Mail a link");
        Assert.Contains("It was mailed.", mirek.Text(".made"));
        var link = mirek.Text(".made code");
        Assert.Contains("not arrived", RowOf(mirek, _email).Text);
        Assert.Empty(mirek.Axe());

        // 2. Arrive: a poor password is told, a good one opens Search.
        using var quinn = new Browser(demo);
        quinn.Open(link);
        Assert.Equal(_email, quinn.Find("input[name=email]").GetAttribute("value"));
        Assert.Empty(quinn.Axe());
        Type(quinn, "input[name=name]", "Quinn Asher");
        foreach (var field in new[] { "password", "again" })
            Type(quinn, $"input[name={field}]", "password12345");
        quinn.Press("Make the account");
        Assert.Contains("Many people have this password", quinn.Text("[role=alert]"));
        foreach (var field in new[] { "password", "again" })
            Type(quinn, $"input[name={field}]", Password);
        quinn.Press("Make the account");
        quinn.Until(() => quinn.Here.StartsWith("/search", StringComparison.Ordinal), "Search");
        Assert.Empty(quinn.All("a[href^='/rules/new']"));

        // 3. A viewer is told who can change a page; with another role she can, at the next look.
        quinn.Open("/alerts/routes");
        Assert.Contains("ask Mirek Dane", quinn.Text(".narrowed"));
        mirek.Open("/people");
        new SelectElement(RowOf(mirek, "Quinn Asher").FindElement(By.Name("role"))).SelectByValue("Analyst");
        mirek.Click(() => RowOf(mirek, "Quinn Asher").FindElement(By.CssSelector(".role-form button")));
        // The page looks the same before and after.
        mirek.Until(() => demo.Get<PeopleStore>().FindByEmail(_email)!.Role == Role.Analyst, "the role");
        quinn.Open("/search");
        quinn.Until(() => quinn.All("a[href^='/rules/new']").Count > 0, "what analysts may");

        // 4. Another browser is left open; from her own page she signs it out.
        using var elsewhere = new Browser(demo);
        elsewhere.Open("/search");
        Type(elsewhere, "input[name=email]", _email);
        Type(elsewhere, "input[name=password]", Password);
        elsewhere.Click(() => elsewhere.Find("form.stack button"));
        elsewhere.Until(() => elsewhere.Here.StartsWith("/search", StringComparison.Ordinal), "Search in the other browser");
        quinn.Press("Quinn Asher");
        quinn.Press("Your page");
        quinn.Until(() => quinn.All("table.list tbody tr").Count == 2, "two browsers");
        Assert.Empty(quinn.Axe());
        quinn.Press("Sign out elsewhere");
        quinn.Until(() => quinn.All("table.list tbody tr").Count == 1, "one browser");
        elsewhere.Open("/alerts");
        elsewhere.Until(() => elsewhere.Here.StartsWith("/signin", StringComparison.Ordinal), "the page of signing in");
        quinn.Open("/alerts");
        Assert.StartsWith("/alerts", quinn.Here);

        // 5. She is switched off, and is out at once.
        mirek.Open("/people");
        mirek.Click(() => mirek.Find("button[aria-label='Switch off Quinn Asher']"));
        mirek.Until(
            () => RowOf(mirek, "Quinn Asher").Text.Contains("switched off", StringComparison.Ordinal),
            "she is switched off"
        );
        quinn.Open("/search");
        quinn.Until(() => quinn.Here.StartsWith("/signin", StringComparison.Ordinal), "she is out");
    }
}
