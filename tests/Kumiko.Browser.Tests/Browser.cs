using System.Diagnostics;
using System.Globalization;
using OpenQA.Selenium;
using OpenQA.Selenium.Chrome;
using OpenQA.Selenium.Interactions;

namespace Kumiko.Browser.Tests;

/// <summary>A headless Chromium of one person, used as a person does.</summary>
public sealed class Browser : IDisposable
{
    internal static readonly TimeSpan Patience = TimeSpan.FromSeconds(120);

    /// <summary>How far the server's clock goes while one waits for what takes time: a page takes as long on a slow machine,
    /// however little passed.</summary>
    private const int SecondsBetweenLooks = 5;

    private const string UsualSize = "1280,943";

    private readonly RunningDemo _demo;
    private readonly Chromium _chromium;
    private readonly bool _scripts;

    public Browser(RunningDemo demo, bool scripts = true, string size = UsualSize)
    {
        _demo = demo;
        _scripts = scripts;
        _chromium =
            scripts && size == UsualSize && Chromium.Idle.TryTake(out var idle)
                ? idle
                : new Chromium(scripts, size) { IsShared = scripts && size == UsualSize };
    }

    public ChromeDriver Driver => _chromium.Driver;

    /// <summary>The path and query of the address line.</summary>
    public string Here => new Uri(Driver.Url).PathAndQuery;

    public void Open(string path) =>
        Driver.Navigate().GoToUrl(path.StartsWith("http", StringComparison.Ordinal) ? path : _demo.Address + path);

    /// <summary>Signs in on the way to a page, as one does who follows a link.</summary>
    public void SignIn(string name, string then = "/search")
    {
        Open(then);
        Press(name);
        Until(() => !Here.StartsWith("/signin", StringComparison.Ordinal), then + " opens");
    }

    public IWebElement Find(string css) =>
        Until(() => Driver.FindElements(By.CssSelector(css)).FirstOrDefault(e => e.Displayed), css);

    public IReadOnlyList<IWebElement> All(string css) => Driver.FindElements(By.CssSelector(css));

    /// <summary>What an element says; looked for again where the page changed meanwhile.</summary>
    public string Text(string css) =>
        Until(() => Driver.FindElements(By.CssSelector(css)).FirstOrDefault(e => e.Displayed)?.Text, css);

    /// <summary>The button or link with this text in it.</summary>
    public IWebElement Button(string text) =>
        Until(
            () => Clickable(text).FirstOrDefault(e => e.Displayed && e.Text.Contains(text, StringComparison.Ordinal)),
            "button " + text
        );

    // Chosen within the page: a page of records has thousands of links, and each question to the browser takes its time.
    private IEnumerable<IWebElement> Clickable(string text) =>
        (
            (System.Collections.IEnumerable)
                Driver.ExecuteScript(
                    """
                    const flat = t => (t ?? '').replace(/\s+/g, ' '), sought = flat(arguments[0]);
                    return [...document.querySelectorAll('button, a, summary')].filter(e => flat(e.innerText).includes(sought));
                    """,
                    text
                )!
        ).OfType<IWebElement>();

    /// <summary>Clicks the button or link with this text in it.</summary>
    public void Press(string text) => Click(() => Button(text));

    /// <summary>Clicks what a look finds, looking again where the page changed meanwhile.</summary>
    public void Click(Func<IWebElement> look) =>
        Until(
            () =>
            {
                look().Click();
                return true;
            },
            "a click"
        );

    /// <summary>Asks again and again until there is an answer; the clock of the server goes on meanwhile.</summary>
    public T Until<T>(Func<T?> ask, string what, bool timePasses = false)
    {
        var started = Stopwatch.GetTimestamp();
        while (true)
        {
            try
            {
                if (ask() is { } answer && answer is not false)
                    return answer;
            }
            catch (Exception e)
                when (e
                        is StaleElementReferenceException
                            or ElementClickInterceptedException
                            or ElementNotInteractableException
                            or NoSuchElementException
                            or InvalidOperationException
                            or UnknownErrorException
                )
            { /* the page changed meanwhile */
            }
            if (Stopwatch.GetElapsedTime(started) > Patience)
                throw new TimeoutException(
                    $"Waited in vain for: {what}\nat {Driver.Url}\n{Cut(Driver.FindElement(By.TagName("body")).Text)}"
                );
            // In steps of a second, so that what is timed to the second happens in its order.
            for (var second = 0; timePasses && second < SecondsBetweenLooks; second++)
                _demo.Clock.Advance(TimeSpan.FromSeconds(1));
            if (!timePasses)
                AwaitFrame();
        }
    }

    // One look for each picture that the page draws: more of them only take the time that it needs to draw.
    private void AwaitFrame()
    {
        if (!_scripts)
            return;
        try
        {
            Driver.ExecuteAsyncScript(
                "const done = arguments[0]; requestAnimationFrame(() => requestAnimationFrame(done)); setTimeout(done, 100);"
            );
        }
        catch (WebDriverException)
        { /* the page changed meanwhile */
        }
    }

    // A page of records is long, and what was waited for stands before it.
    private static string Cut(string text) => text.Length > 4_000 ? text[..4_000] + "…" : text;

    /// <summary>Types into the query editor, at its end or instead of what is there, runs it, and waits for the answer.</summary>
    public void Ask(string text, bool append = false)
    {
        Type(text, append);
        // A person sees the old answer go; what is clicked too early would be part of it.
        Driver.ExecuteScript("document.querySelector('.result').setAttribute('data-old', '')");
        new Actions(Driver).KeyDown(Keys.Control).SendKeys(Keys.Enter).KeyUp(Keys.Control).Perform();
        Until(() => All(".result").Count > 0 && All(".result[data-old]").Count == 0, "the answer");
    }

    public void Type(string text, bool append = false)
    {
        Find(".cm-content").Click();
        if (append)
            new Actions(Driver).KeyDown(Keys.Control).SendKeys(Keys.End).KeyUp(Keys.Control).Perform();
        else
            new Actions(Driver).KeyDown(Keys.Control).SendKeys("a").KeyUp(Keys.Control).SendKeys(Keys.Delete).Perform();
        new Actions(Driver).SendKeys(text).Perform();
    }

    public string Query => string.Join('\n', All(".cm-line").Select(l => l.Text));

    /// <summary>A field in the list of fields, opened; null where it is not there (yet).</summary>
    public IWebElement? Field(string field)
    {
        if (All(".field").FirstOrDefault(f => f.GetAttribute("data-field") == field) is not { } section)
            return null;
        if (section.FindElement(By.CssSelector("details")).GetAttribute("open") is null)
            section.FindElement(By.CssSelector("summary")).Click();
        return section;
    }

    /// <summary>The link of a value in the list of fields.</summary>
    public IWebElement FieldValue(string field, string value) =>
        Until(
            () =>
                Field(field)
                    ?.FindElements(By.CssSelector("ul a.only"))
                    .FirstOrDefault(a =>
                        a.GetAttribute("title")!.StartsWith($"Only {field} = {value} ", StringComparison.Ordinal)
                    ),
            $"{field} = {value}"
        );

    /// <summary>The number of records that the head of the result tells.</summary>
    public long Records =>
        long.Parse(new string([.. Text(".result-head strong").Where(char.IsAsciiDigit)]), CultureInfo.InvariantCulture);

    /// <summary>Drags over an element from one share of its width to another.</summary>
    public void Drag(string css, double from, double to, double down)
    {
        var element = Find(css);
        var (x, width, height) = (element.Location.X, element.Size.Width, element.Size.Height);
        var y = element.Location.Y + (int)(height * down);
        new Actions(Driver)
            .MoveToLocation(x + (int)(width * from), y)
            .ClickAndHold()
            .MoveToLocation(x + (int)(width * (from + to) / 2), y)
            .MoveToLocation(x + (int)(width * to), y)
            .Release()
            .Perform();
    }

    /// <summary>What axe-core finds wrong on the page, with its address. Of records it looks at the first thirty of a row: the
    /// others are made alike.</summary>
    public IReadOnlyList<string> Axe()
    {
        Driver.ExecuteScript(AxeScript.Value);
        var found =
            (IEnumerable<object>)
                Driver.ExecuteAsyncScript(
                    "const done = arguments[arguments.length - 1]; axe.run({ exclude: ['details.record:nth-of-type(n + 30)'] }, { resultTypes: ['violations'], preload: false }).then(r => done(r.violations.map(v => v.id + ': ' + v.nodes.map(n => n.target + ' ' + n.failureSummary).slice(0, 3).join(' | '))));"
                )!;
        return [.. found.Select(f => $"{Here}: {f}")];
    }

    private static readonly Lazy<string> AxeScript = new(() =>
    {
        var folder = new DirectoryInfo(AppContext.BaseDirectory);
        while (!File.Exists(Path.Combine(folder!.FullName, "Kumiko.slnx")))
            folder = folder.Parent;
        return File.ReadAllText(Path.Combine(folder.FullName, "src", "Kumiko.Web", "node_modules", "axe-core", "axe.min.js"));
    });

    /// <summary>Errors that the page wrote to the browser's console.</summary>
    public IReadOnlyList<string> Problems =>
        [.. Driver.Manage().Logs.GetLog(LogType.Browser).Where(l => l.Level == LogLevel.Severe).Select(l => l.Message)];

    public void Dispose() => _chromium.GiveBack(_demo.Address);
}
