namespace Kumiko.Web.Accounts;

/// <summary>What people call a browser, from what it calls itself.</summary>
public static class BrowserNames
{
    // The first that is named counts: most browsers also name those that they want to be taken for.
    private static readonly (string Sign, string Name)[] Browsers =
    [
        ("Edg/", "Edge"),
        ("OPR/", "Opera"),
        ("Firefox/", "Firefox"),
        ("Chromium/", "Chromium"),
        ("HeadlessChrome/", "Chromium"),
        ("Chrome/", "Chrome"),
        ("Safari/", "Safari"),
    ];
    private static readonly (string Sign, string Name)[] Systems =
    [
        ("Android", "Android"),
        ("iPhone", "iPhone"),
        ("iPad", "iPad"),
        ("Windows", "Windows"),
        ("Mac OS X", "macOS"),
        ("CrOS", "ChromeOS"),
        ("Linux", "Linux"),
    ];

    public static string Of(string agent)
    {
        var browser = Browsers.FirstOrDefault(b => agent.Contains(b.Sign, StringComparison.Ordinal)).Name;
        var system = Systems.FirstOrDefault(s => agent.Contains(s.Sign, StringComparison.Ordinal)).Name;
        return (browser, system) switch
        {
            (null, null) when agent.Length == 0 => "a program",
            (null, null) => agent.Length > 60 ? agent[..60] + "…" : agent,
            (null, var on) => "a browser on " + on,
            (var name, null) => name,
            var (name, on) => $"{name} on {on}",
        };
    }
}
