using Kumiko.Core.Sources.Imports;
using Kumiko.Core.Storage;
using Kumiko.Demo.StandIns;
using OpenQA.Selenium;
using OpenQA.Selenium.Support.UI;

namespace Kumiko.Browser.Tests;

/// <summary>Files are imported, corrected, taken out again, and followed, as a person does it.</summary>
[Collection("watching")]
public sealed class FilesJourneyTests(RunningDemo demo) : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("kumiko-test-").FullName;

    public void Dispose() => Directory.Delete(_folder, true);

    private string Write(string name, string text)
    {
        var path = Path.Combine(_folder, name);
        File.WriteAllText(path, text);
        return path;
    }

    [Fact]
    public void A_file_is_imported_with_a_wrong_guess_corrected_and_taken_out_again()
    {
        var lines = Enumerable
            .Range(0, 40)
            .Select(i => $"04/05/2026 10:{i:00}:00 INFO [gate-{i % 3}] ferry.Gate - ticket {i} read");
        var path = Write("gates.log", string.Join('\n', lines) + "\nbroken by hand\n\tat Gate.read(Gate.java:3)\n");
        using var browser = new Browser(demo);
        browser.SignIn("Ines Halloran", "/sources/files");
        Assert.Empty(browser.Axe());
        browser.All("[data-drop-files]")[0].SendKeys(path);
        browser.Until(() => browser.Here.StartsWith("/sources/import/", StringComparison.Ordinal), "the import opens");
        Assert.Empty(browser.Axe());
        // What cannot be told is asked, and nothing begins before.
        Assert.Contains(
            "Which number of 04/05/2026 10:00:00 is the day?",
            browser.Text("#reading .refused"),
            StringComparison.Ordinal
        );
        browser.Press("Import");
        Assert.Contains("Which number", browser.Text(".rule-form .refused"), StringComparison.Ordinal);
        new SelectElement(browser.Find("select[name=order]")).SelectByText("day, month, year");
        browser.Until(() => browser.Text(".sample-rows").Contains("2026-05-04", StringComparison.Ordinal), "days first");
        var service = browser.Find("input[name=service]");
        service.SendKeys("gate-control\t");
        browser.Until(() => browser.Text(".sample-rows").Contains("service gate-control", StringComparison.Ordinal), "a service");
        var renamed = browser.Until(
            () => browser.All("input[name=as]").FirstOrDefault(i => i.GetDomProperty("value") == "thread.name"),
            "a field"
        );
        renamed.SendKeys(Keys.Control + "a");
        renamed.SendKeys("gate\t");
        browser.Until(
            () => browser.Text(".sample-rows").Contains("gate gate-0", StringComparison.Ordinal),
            "the field under its name"
        );
        browser.Find("input[name=source]").SendKeys(Keys.Control + "a");
        browser.Find("input[name=source]").SendKeys("old gates");
        browser.Press("Import");
        browser.Until(() => browser.Text(".import-state").Contains("40 records in", StringComparison.Ordinal), "all are in");
        Assert.Empty(browser.Axe());
        var id = long.Parse(browser.Here.Split('/')[^1], System.Globalization.CultureInfo.InvariantCulture);
        Assert.Equal(40, demo.Get<RecordStore>().CountOf(id));

        browser.Press("40 records in");
        browser.Until(
            () => browser.Text("details.record").Contains("broken by hand", StringComparison.Ordinal),
            "the last record with its trace, in Search"
        );

        // The same file again is noticed.
        browser.Open("/sources/files");
        browser.All("[data-drop-files]")[0].SendKeys(path);
        browser.Until(() => browser.Text(".notice").Contains("was imported before", StringComparison.Ordinal), "it is noticed");
        browser.Press("Leave it");
        browser.Until(() => browser.Text("table.list").Contains("old gates", StringComparison.Ordinal), "the list of imports");

        browser.Open($"/sources/import/{id}");
        browser.Press("Take it out again");
        browser.Press("Take out 40 records");
        browser.Until(() => browser.Text(".import-state").Contains("none is now", StringComparison.Ordinal), "it is out");
        Assert.Equal(0, demo.Get<RecordStore>().CountOf(id));
        Assert.Equal(ImportState.TakenOut, demo.Get<ImportStore>().Find(id)!.State);
        Assert.Empty(browser.Problems);
    }

    [Fact]
    public void A_growing_file_is_followed_and_its_format_corrected()
    {
        var data = demo.Get<DataFolder>().Path;
        var log = Path.Combine(FileSender.FolderIn(data), "berths.log");
        File.WriteAllText(log, "2026-11-23 17:51:04 INFO berth 3 is free\n2026-11-23 17:51:05 INFO berth 4 is free\n");
        using var browser = new Browser(demo);
        browser.SignIn("Mirek Dane", "/sources/files");
        var path = browser.Find("form[action*=Follow] input[name=path]");
        path.SendKeys("/etc/passwd");
        browser.Find("form[action*=Follow] input[name=source]").SendKeys("berths");
        browser.Press("Follow");
        Assert.Contains("may be read", browser.Text("p.refused"), StringComparison.Ordinal);
        path = browser.Find("form[action*=Follow] input[name=path]");
        path.Clear();
        path.SendKeys(log + Keys.Enter);
        browser.Until(() => Row(browser).Contains("berth 4 is free", StringComparison.Ordinal), "it is read", timePasses: true);
        File.AppendAllText(log, "2026-11-23 17:51:06 INFO berth 5 is free\n");
        browser.Until(
            () => Row(browser).Contains("berth 5 is free", StringComparison.Ordinal),
            "it is read on",
            timePasses: true
        );
        Assert.Empty(browser.Axe());

        browser.Press(log);
        browser.Find("input[name=host]").SendKeys("berth-1\t");
        browser.Until(() => browser.Text(".sample-rows").Contains("host berth-1", StringComparison.Ordinal), "the preview");
        Assert.Empty(browser.Axe());
        browser.Press("Read it so from now on");
        browser.Until(() => browser.Text(".notice").Contains("from now on", StringComparison.Ordinal), "it is kept");
        File.AppendAllText(log, "2026-11-23 17:51:07 INFO berth 6 is free\n");
        browser.Open("/sources/files");
        browser.Until(() => Row(browser).Contains("berth 6 is free", StringComparison.Ordinal), "read as said", timePasses: true);
        browser.Press(log);
        browser.Press("Follow no more");
        browser.Until(() => browser.Here.StartsWith("/sources/files", StringComparison.Ordinal), "the files");
        Assert.DoesNotContain("berths.log", browser.Text(".followed"), StringComparison.Ordinal);
        Assert.Empty(browser.Problems);
    }

    private static string Row(Browser browser) =>
        browser.All(".followed tr").Select(r => r.Text).FirstOrDefault(t => t.StartsWith("berths.log", StringComparison.Ordinal))
        ?? "";
}
