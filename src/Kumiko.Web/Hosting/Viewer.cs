using System.Globalization;
using System.Security.Claims;
using Kumiko.Core.Accounts;
using Microsoft.AspNetCore.Http;
using NodaTime;

namespace Kumiko.Web.Hosting;

/// <summary>The person at the browser: name, role, zone, width of the window.</summary>
public sealed class Viewer(IHttpContextAccessor http, PeopleStore people)
{
    /// <summary>Up to here the sheet puts panes below each other.</summary>
    private const int NarrowWidth = 900;

    private readonly HttpContext _http = http.HttpContext!;
    private Person? _person;

    public long Id => long.Parse(_http.User.FindFirstValue(ClaimTypes.NameIdentifier) ?? "0", CultureInfo.InvariantCulture);
    public string Name => _http.User.Identity?.Name ?? "";
    public bool IsSignedIn => _http.User.Identity?.IsAuthenticated == true;

    /// <summary>Whether they may make and change what is kept.</summary>
    public bool MayKeep => _http.User.IsInRole(nameof(Role.Analyst)) || _http.User.IsInRole(nameof(Role.Administrator));

    /// <summary>Whether they may run Kumiko: tokens, channels, scripts, scraped targets, people.</summary>
    public bool MayRun => _http.User.IsInRole(nameof(Role.Administrator));

    /// <summary>The administrators by name, for whoever has to ask one.</summary>
    public string Administrators =>
        string.Join(", ", people.All().Where(p => p.IsActive && p.Role == Role.Administrator).Select(p => p.Name));

    /// <summary>How the page looks: as this browser was told last, or as the person chose; null for as the system does.</summary>
    public string? Theme =>
        (_http.Request.Cookies["theme"] ?? Person?.Theme) is ("paper" or "lacquer") and { } theme ? theme : null;

    public Person? Person => _person ??= people.Find(Id);

    /// <summary>The zone of the link, then of the person, then of the browser, then UTC.</summary>
    public DateTimeZone Zone(string? fromLink) =>
        Find(fromLink) ?? Find(Person?.Zone) ?? Find(_http.Request.Cookies["zone"]) ?? DateTimeZone.Utc;

    /// <summary>Whether the browser's script has ever told something.</summary>
    public bool HasScripts => _http.Request.Cookies.ContainsKey("width");

    /// <summary>The width of the browser's window in pixels, as its script last said.</summary>
    public int Width =>
        int.TryParse(_http.Request.Cookies["width"], NumberStyles.None, CultureInfo.InvariantCulture, out var width)
            ? Math.Clamp(width, 360, 4000)
            : 1280;

    /// <summary>The width that is left beside panes of a given width; on a narrow window they stand below instead.</summary>
    public int WidthBeside(int panes) => Math.Max(320, Width <= NarrowWidth ? Width : Width - panes);

    private static DateTimeZone? Find(string? id) =>
        string.IsNullOrEmpty(id) || id.Length > 64 ? null : DateTimeZoneProviders.Tzdb.GetZoneOrNull(Uri.UnescapeDataString(id));
}
