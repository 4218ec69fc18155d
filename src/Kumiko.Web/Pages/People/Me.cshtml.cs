using Kumiko.Core.Accounts;
using Kumiko.Core.Query;
using Kumiko.Web.Accounts;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Identity;
using Microsoft.AspNetCore.Mvc;
using NodaTime;

namespace Kumiko.Web.Pages.People;

/// <summary>One's own page: name, zone, theme, password, and where one is signed in.</summary>
public sealed class MeModel(
    PeopleStore people,
    SessionStore sessions,
    SessionCookies cookies,
    Passwords passwords,
    RunRegistry runs,
    StripBuilder strips,
    Viewer viewer,
    TimeProvider clock
) : StripPage(runs, strips, viewer, clock)
{
    public static readonly IReadOnlyList<(string Id, string Name)> Themes =
    [
        ("", "as the system"),
        ("paper", "paper"),
        ("lacquer", "lacquer"),
    ];

    public Person Me { get; private set; } = null!;
    public IReadOnlyList<Session> Sessions { get; private set; } = [];
    public Session? Current { get; private set; }
    public string? Problem { get; private set; }
    public string? Done { get; private set; }

    /// <summary>Where one was going when this page came instead; null where one came by oneself.</summary>
    public string? Then { get; private set; }

    public Task<IActionResult> OnGetAsync(string? when, string? then, string? done)
    {
        (Me, Sessions, Current) = (Viewer.Person!, sessions.Of(Viewer.Id), cookies.Current(HttpContext));
        Then = Url.IsLocalUrl(then) ? then : null;
        Done ??= done switch
        {
            "password" => "The password is changed. Other browsers were signed out.",
            "saved" => "Saved.",
            "elsewhere" => "You are signed in here alone.",
            _ => null,
        };
        return Show("/me", when);
    }

    public async Task<IActionResult> OnPostAsync(string? name, string? zone, string? theme)
    {
        Problem = PersonFaults.OfName(name);
        var chosen = string.IsNullOrWhiteSpace(zone) ? null : DateTimeZoneProviders.Tzdb.GetZoneOrNull(zone.Trim())?.Id;
        if (Problem is null && chosen is null && !string.IsNullOrWhiteSpace(zone))
            Problem = $"There is no zone “{zone}”. Use a name such as Europe/Dublin, or leave it empty.";
        if (Problem is not null)
            return await OnGetAsync(null, null, null);
        await people.SetName(Viewer.Id, name!.Trim());
        await people.SetZone(Viewer.Id, chosen);
        var known = Themes.Any(t => t.Id == theme) ? theme! : "";
        await people.SetTheme(Viewer.Id, known.Length == 0 ? null : known);
        Response.Cookies.Append(
            "theme",
            known,
            new CookieOptions
            {
                MaxAge = TimeSpan.FromDays(365),
                SameSite = SameSiteMode.Lax,
                Secure = Request.IsHttps,
            }
        );
        return Redirect("/me?done=saved");
    }

    public async Task<IActionResult> OnPostPasswordAsync(string? old, string? password, string? again)
    {
        var me = Viewer.Person!;
        Problem = PasswordRules.Fault(password, me.Name, me.Email)
            ?? (password != again ? "The two new passwords differ. Type the same twice." : null);
        try
        {
            // Whoever has none sets the first one.
            if (
                Problem is null
                && me.Password is not null
                && await passwords.Verify(me, old ?? "") == PasswordVerificationResult.Failed
            )
                Problem = "The present password is another.";
            if (Problem is null)
                await people.SetPassword(me.Id, await passwords.Hash(password!));
        }
        catch (PasswordsBusyException e)
        {
            Problem = e.Message;
        }
        if (Problem is not null)
            return await OnGetAsync(null, null, null);
        await sessions.EndAll(me.Id, cookies.Current(HttpContext)?.Id);
        return Redirect("/me?done=password");
    }

    public async Task<IActionResult> OnPostElsewhereAsync()
    {
        await sessions.EndAll(Viewer.Id, cookies.Current(HttpContext)?.Id);
        return Redirect("/me?done=elsewhere");
    }

    public async Task<IActionResult> OnPostEndAsync(string? session)
    {
        await sessions.End(Viewer.Id, session ?? "");
        return Redirect("/me");
    }
}
