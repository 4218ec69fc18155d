using System.Globalization;
using System.Security.Claims;
using Kumiko.Core.Accounts;
using Kumiko.Web.Hosting;
using Microsoft.AspNetCore.Authentication;
using Microsoft.AspNetCore.Authentication.Cookies;
using Microsoft.AspNetCore.Identity;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using NodaTime;

namespace Kumiko.Web.Pages;

[Microsoft.AspNetCore.Authorization.AllowAnonymous]
public sealed class SignInModel(PeopleStore people, IPasswordHasher<Person> hasher, ServerOptions options) : PageModel
{
    // Checked when the address is unknown, so that an unknown one takes as long as a wrong password.
    private static readonly string Decoy = new PasswordHasher<Person>().HashPassword(new Person(), Guid.NewGuid().ToString());

    public IReadOnlyList<Person> Offered { get; private set; } = [];
    public string? Then { get; private set; }
    public string? Wrong { get; private set; }
    public string? Email { get; private set; }

    public IActionResult OnGet(string? then)
    {
        if (User.Identity?.IsAuthenticated == true) return Redirect(Local(then));
        Show(then);
        return Page();
    }

    public async Task<IActionResult> OnPostAsync(string? email, string? password, string? then)
    {
        var person = people.FindByEmail(email?.Trim() ?? "");
        var verified = hasher.VerifyHashedPassword(person ?? new Person(), person?.Password ?? Decoy, password ?? "");
        if (person?.Password is not null && verified != PasswordVerificationResult.Failed) return await Enter(person, then);
        (Wrong, Email) = ("That address and password do not belong together.", email);
        Show(then);
        return Page();
    }

    /// <summary>A made-up account of a demonstration, which has no password.</summary>
    public async Task<IActionResult> OnPostOfferedAsync(long id, string? then) =>
        options.Offered(people).FirstOrDefault(p => p.Id == id) is { } person ? await Enter(person, then) : NotFound();

    public async Task<IActionResult> OnPostOutAsync()
    {
        await HttpContext.SignOutAsync();
        return Redirect("/signin");
    }

    public async Task<IActionResult> OnPostZoneAsync(string? zone, string? then)
    {
        if (User.Identity?.IsAuthenticated != true) return Redirect("/signin");
        var known = zone is { Length: > 0 and <= 64 } && DateTimeZoneProviders.Tzdb.GetZoneOrNull(zone.Trim()) is { } found ? found.Id : null;
        await people.SetZone(long.Parse(User.FindFirstValue(ClaimTypes.NameIdentifier)!, CultureInfo.InvariantCulture), known);
        return Redirect(Local(then));
    }

    private void Show(string? then) => (Offered, Then) = (options.Offered(people), Local(then));

    private string Local(string? then) => Url.IsLocalUrl(then) ? then : "/search";

    private async Task<IActionResult> Enter(Person person, string? then)
    {
        await SignIn(HttpContext, person);
        return Redirect(Local(then));
    }

    internal static Task SignIn(Microsoft.AspNetCore.Http.HttpContext http, Person person)
    {
        var identity = new ClaimsIdentity(
        [
            new Claim(ClaimTypes.NameIdentifier, person.Id.ToString(CultureInfo.InvariantCulture)),
            new Claim(ClaimTypes.Name, person.Name),
            new Claim(ClaimTypes.Role, person.Role.ToString()),
        ], CookieAuthenticationDefaults.AuthenticationScheme);
        return http.SignInAsync(new ClaimsPrincipal(identity), new AuthenticationProperties { IsPersistent = true });
    }
}
