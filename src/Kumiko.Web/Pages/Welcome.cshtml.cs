using Kumiko.Core.Accounts;
using Kumiko.Web.Accounts;
using Kumiko.Web.Delivery;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Kumiko.Web.Pages;

/// <summary>Where a one-time link leads: its bearer makes an account, or sets a new password.</summary>
[Microsoft.AspNetCore.Authorization.AllowAnonymous]
public sealed class WelcomeModel(
    PeopleStore people,
    LinkStore links,
    SessionStore sessions,
    SessionCookies cookies,
    Passwords passwords
) : PageModel
{
    /// <summary>Null where it does not work any more.</summary>
    public OneTimeLink? Link { get; private set; }

    /// <summary>Whose password it sets; null where it makes an account.</summary>
    public Person? Owner { get; private set; }
    public string Key { get; private set; } = "";
    public string? Name { get; private set; }
    public string? Email { get; private set; }
    public string? Wrong { get; private set; }

    public void OnGet(string? key)
    {
        Key = key ?? "";
        Link = links.Find(Key);
        Owner = Link?.Person is { } id ? people.Find(id) : null;
        Email = Link?.Email;
    }

    public async Task<IActionResult> OnPostAsync(string? key, string? name, string? email, string? password, string? again)
    {
        OnGet(key);
        if (Link is null)
            return Page();
        if (Owner is null)
            (Name, Email) = (name?.Trim(), email?.Trim());
        Wrong = Owner is null ? FaultOf(Name, Email) : null;
        Wrong ??= PasswordRules.Fault(password, Owner?.Name ?? Name, Owner?.Email ?? Email);
        Wrong ??= password != again ? "The two passwords differ. Type the same twice." : null;
        if (Wrong is not null)
            return Page();
        Person? person;
        try
        {
            var hash = await passwords.Hash(password!);
            person = Owner is null ? await links.Accept(Key, Name!, Email!, hash) : await links.AcceptReset(Key, hash);
        }
        catch (PasswordsBusyException e)
        {
            Wrong = e.Message;
            return Page();
        }
        if (person is null)
        {
            Link = null;
            return Page();
        }
        // Whoever held the old password is out.
        if (Owner is not null)
            await sessions.EndAll(person.Id);
        cookies.Remember(HttpContext, person);
        await cookies.SignIn(HttpContext, person);
        return Redirect("/search");
    }

    private string? FaultOf(string? name, string? email) =>
        PersonFaults.OfName(name)
        ?? email switch
        {
            _ when !MailAddresses.IsValid(email) => "Write a mail address.",
            _ when people.FindByEmail(email) is not null => "Somebody has this mail address already.",
            _ => null,
        };
}
