using System.Globalization;
using System.Security.Claims;
using System.Security.Cryptography;
using Kumiko.Core.Accounts;
using Microsoft.AspNetCore.Authentication;
using Microsoft.AspNetCore.Authentication.Cookies;
using Microsoft.AspNetCore.DataProtection;
using Microsoft.AspNetCore.Http;

namespace Kumiko.Web.Accounts;

/// <summary>Signs people in and out. A cookie holds the secret of a session; who somebody is and what they may comes from the
/// store, each time.</summary>
public sealed class SessionCookies(SessionStore sessions, PeopleStore people, IDataProtectionProvider protection)
{
    private const string SecretClaim = "session";
    private const string KnownCookie = "kumiko-known";
    private static readonly TimeSpan KnownFor = TimeSpan.FromDays(180);

    private readonly IDataProtector _known = protection.CreateProtector("Kumiko.Browser.Known");

    public async Task SignIn(HttpContext http, Person person)
    {
        // A sign-in over another is not to leave a session that nobody can end.
        await End(http);
        var secret = await sessions.Begin(
            person,
            http.Connection.RemoteIpAddress?.ToString() ?? "",
            http.Request.Headers.UserAgent.ToString()
        );
        if (person.Wrong.Count > 0)
            await people.ForgetWrong(person.Id);
        await http.SignInAsync(Principal(person, secret), new AuthenticationProperties { IsPersistent = true });
        if (person.Theme is { } theme)
            http.Response.Cookies.Append(
                "theme",
                theme,
                new CookieOptions
                {
                    MaxAge = TimeSpan.FromDays(365),
                    SameSite = SameSiteMode.Lax,
                    Secure = http.Request.IsHttps,
                }
            );
    }

    public async Task SignOut(HttpContext http)
    {
        await End(http);
        await http.SignOutAsync();
    }

    private static string? SecretOf(ClaimsPrincipal? user) => user?.FindFirstValue(SecretClaim);

    private Task End(HttpContext http) => SecretOf(http.User) is { } secret ? sessions.EndSecret(secret) : Task.CompletedTask;

    /// <summary>The session of a request; null for nobody's.</summary>
    public Session? Current(HttpContext http) => SecretOf(http.User) is { } secret ? sessions.Find(secret) : null;

    /// <summary>Looks at each request's cookie: whether its session goes on, and what its person may do by now.</summary>
    public Task Validate(CookieValidatePrincipalContext context)
    {
        if (
            SecretOf(context.Principal) is { } secret
            && sessions.Find(secret) is { } session
            && people.Find(session.Person) is { IsActive: true } person
        )
            context.ReplacePrincipal(Principal(person, secret));
        else
            context.RejectPrincipal();
        return Task.CompletedTask;
    }

    private static ClaimsPrincipal Principal(Person person, string secret) =>
        new(
            new ClaimsIdentity(
                [
                    new Claim(ClaimTypes.NameIdentifier, person.Id.ToString(CultureInfo.InvariantCulture)),
                    new Claim(ClaimTypes.Name, person.Name),
                    new Claim(ClaimTypes.Role, person.Role.ToString()),
                    new Claim(SecretClaim, secret),
                ],
                CookieAuthenticationDefaults.AuthenticationScheme
            )
        );

    /// <summary>Lets a browser be known again as one at which this person gave the right password.</summary>
    public void Remember(HttpContext http, Person person)
    {
        var value = _known.Protect(
            string.Create(CultureInfo.InvariantCulture, $"{person.Id} {Convert.ToHexString(RandomNumberGenerator.GetBytes(8))}")
        );
        http.Response.Cookies.Append(
            KnownCookie,
            value,
            new CookieOptions
            {
                MaxAge = KnownFor,
                HttpOnly = true,
                SameSite = SameSiteMode.Lax,
                Secure = http.Request.IsHttps,
                Path = "/signin",
            }
        );
    }

    /// <summary>What tells a browser that this person signed in at before; null where nobody did, or somebody else.</summary>
    public string? KnownAs(HttpContext http, Person? person)
    {
        if (person is null || http.Request.Cookies[KnownCookie] is not { Length: < 2_000 } value)
            return null;
        try
        {
            var parts = _known.Unprotect(value).Split(' ');
            return parts is [var id, var browser] && id == person.Id.ToString(CultureInfo.InvariantCulture) ? browser : null;
        }
        catch (Exception e) when (e is CryptographicException or FormatException)
        {
            return null;
        }
    }
}
