using System.Globalization;
using System.Net;
using System.Security.Claims;
using Kumiko.Core.Accounts;
using Kumiko.Web.Accounts;
using Kumiko.Web.Delivery;
using Kumiko.Web.Hosting;
using Kumiko.Web.Receivers;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Identity;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.Extensions.Logging;
using NodaTime;

namespace Kumiko.Web.Pages;

[Microsoft.AspNetCore.Authorization.AllowAnonymous]
public sealed class SignInModel(
    PeopleStore people,
    Passwords passwords,
    SignInTries tries,
    SessionCookies cookies,
    ServerOptions options,
    ILogger<SignInModel> log
) : PageModel
{
    /// <summary>So many wrong passwords before a right one are no slips: the person is told.</summary>
    private const long WorthTelling = 5;

    private static readonly TimeSpan BusyWait = TimeSpan.FromSeconds(5);

    public IReadOnlyList<Person> Offered { get; private set; } = [];
    public string? Then { get; private set; }
    public string? Wrong { get; private set; }
    public string? Email { get; private set; }

    public IActionResult OnGet(string? then)
    {
        if (User.Identity?.IsAuthenticated == true)
            return Redirect(Local(then));
        Show(then);
        return Page();
    }

    public async Task<IActionResult> OnPostAsync(string? email, string? password, string? then)
    {
        Email = email;
        Show(then);
        var person = people.FindByEmail(email?.Trim() ?? "");
        var tried = new SignInTry(
            email ?? "",
            HttpContext.Connection.RemoteIpAddress ?? IPAddress.None,
            cookies.KnownAs(HttpContext, person)
        );
        if (tries.Wait(tried) is var wait && wait > TimeSpan.Zero)
            return Later(
                $"Too many wrong passwords came from here. Try again in {IntakeGate.RetryAfter(wait)} s, or ask an administrator for a new password.",
                wait
            );
        var inARow = tries.Count(tried);
        PasswordVerificationResult verified;
        try
        {
            verified = await passwords.Verify(person, password ?? "");
        }
        catch (PasswordsBusyException e)
        {
            tries.Right(tried);
            return Later(e.Message, BusyWait);
        }
        if (person is not { IsActive: true } || verified == PasswordVerificationResult.Failed)
            return await Refused(person, tried, inARow);
        tries.Right(tried);
        if (verified == PasswordVerificationResult.SuccessRehashNeeded)
            await people.SetPassword(person.Id, await passwords.Hash(password!));
        cookies.Remember(HttpContext, person);
        // What was tried meanwhile counts, so it is read again.
        return await Enter(people.Find(person.Id)!, then);
    }

    private async Task<IActionResult> Refused(Person? person, SignInTry tried, int inARow)
    {
        if (person is not null)
            await people.TriedWrong(person.Id, tried.Address.ToString());
        // Each doubling is worth a line; a flood of tries is not to be a flood of lines.
        if (inARow >= 4 && System.Numerics.BitOperations.IsPow2(inARow))
            log.LogWarning(
                "{Count} wrong passwords in a row for {Account} from {Address}",
                inARow,
                PlainText.Line(tried.Email, 100),
                tried.Address
            );
        Wrong = "That address and password do not belong together.";
        return Page();
    }

    private PageResult Later(string reason, TimeSpan wait)
    {
        Wrong = reason;
        Response.StatusCode = StatusCodes.Status429TooManyRequests;
        Response.Headers.RetryAfter = IntakeGate.RetryAfter(wait);
        return Page();
    }

    /// <summary>A made-up account of a demonstration, which has no password.</summary>
    public async Task<IActionResult> OnPostOfferedAsync(long id, string? then) =>
        options.Offered(people).FirstOrDefault(p => p.Id == id && p.IsActive) is { } person
            ? await Enter(person, then)
            : NotFound();

    public async Task<IActionResult> OnPostOutAsync()
    {
        await cookies.SignOut(HttpContext);
        return Redirect("/signin");
    }

    public async Task<IActionResult> OnPostZoneAsync(string? zone, string? then)
    {
        if (User.Identity?.IsAuthenticated != true)
            return Redirect("/signin");
        var known =
            zone is { Length: > 0 and <= 64 } && DateTimeZoneProviders.Tzdb.GetZoneOrNull(zone.Trim()) is { } found
                ? found.Id
                : null;
        await people.SetZone(long.Parse(User.FindFirstValue(ClaimTypes.NameIdentifier)!, CultureInfo.InvariantCulture), known);
        return Redirect(Local(then));
    }

    private void Show(string? then) => (Offered, Then) = (options.Offered(people), Local(then));

    private string Local(string? then) => Url.IsLocalUrl(then) ? then : "/search";

    private async Task<IActionResult> Enter(Person person, string? then)
    {
        await cookies.SignIn(HttpContext, person);
        return Redirect(person.Wrong.Count >= WorthTelling ? "/me?then=" + Uri.EscapeDataString(Local(then)) : Local(then));
    }
}
