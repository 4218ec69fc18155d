using System.Collections.Concurrent;
using OpenQA.Selenium;
using OpenQA.Selenium.Chrome;

namespace Kumiko.Browser.Tests;

/// <summary>A running Chromium. Starting one takes longer than many a test, so those of the usual kind are handed on, with
/// nothing left of who had them.</summary>
internal sealed class Chromium : IDisposable
{
    private readonly string _profile = Directory.CreateTempSubdirectory("kumiko-profile-").FullName;

    public Chromium(bool scripts, string size)
    {
        var options = new ChromeOptions { BinaryLocation = "/usr/bin/chromium" };
        options.AddArguments(
            "--headless=new",
            "--no-sandbox",
            "--disable-gpu",
            "--disable-quic",
            "--no-first-run",
            "--disable-background-networking",
            "--disable-component-update",
            "--disable-sync",
            "--disable-dev-shm-usage",
            "--hide-scrollbars",
            "--force-device-scale-factor=1",
            "--window-size=" + size,
            "--user-data-dir=" + _profile
        );
        if (!scripts)
            options.AddUserProfilePreference("profile.managed_default_content_settings.javascript", 2);
        options.SetLoggingPreference(LogType.Browser, LogLevel.All);
        Driver = new ChromeDriver(ChromeDriverService.CreateDefaultService("/usr/bin", "chromedriver"), options);
        Driver.Manage().Timeouts().AsynchronousJavaScript = Browser.Patience;
    }

    /// <summary>Those that nobody uses.</summary>
    public static ConcurrentBag<Chromium> Idle { get; } = [];

    public ChromeDriver Driver { get; }
    public bool IsShared { get; init; }

    /// <summary>Hands it on; one that cannot be cleaned, or is of its own kind, ends.</summary>
    public void GiveBack(string address)
    {
        if (!IsShared || !Clean(address))
            Dispose();
        else
            Idle.Add(this);
    }

    private bool Clean(string address)
    {
        try
        {
            if (Driver.WindowHandles.Count != 1)
                return false;
            Driver.Navigate().GoToUrl("about:blank");
            Driver.ExecuteCdpCommand("Storage.clearDataForOrigin", new() { ["origin"] = address, ["storageTypes"] = "all" });
            Driver.ExecuteCdpCommand("Network.clearBrowserCookies", []);
            Driver.ExecuteCdpCommand("Emulation.clearDeviceMetricsOverride", []);
            Driver.Manage().Logs.GetLog(LogType.Browser);
            return true;
        }
        catch (WebDriverException)
        {
            return false;
        }
    }

    public void Dispose()
    {
        Driver.Quit();
        try
        {
            Directory.Delete(_profile, true);
        }
        catch (IOException)
        { /* the browser is still writing its last file */
        }
    }
}
