using Kumiko.Core.Accounts;
using Kumiko.Web.Delivery;
using Microsoft.AspNetCore.Identity;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Kumiko.Web.Pages;

/// <summary>Where a one-time link leads: its bearer makes an account.</summary>
[Microsoft.AspNetCore.Authorization.AllowAnonymous]
public sealed class WelcomeModel(PeopleStore people, IPasswordHasher<Person> hasher) : PageModel
{
    public const int ShortestPassword = 10;

    public bool IsInvited { get; private set; }
    public string Key { get; private set; } = "";
    public string? Name { get; private set; }
    public string? Email { get; private set; }
    public string? Wrong { get; private set; }

    public void OnGet(string? key)
    {
        Key = key ?? "";
        IsInvited = people.IsInvited(Key);
    }

    public async Task<IActionResult> OnPostAsync(string? key, string? name, string? email, string? password)
    {
        OnGet(key);
        (Name, Email) = (name?.Trim(), email?.Trim());
        Wrong = string.IsNullOrEmpty(Name) || Name.Length > 100 ? "Write your name, in up to 100 characters."
            : !MailAddresses.IsValid(Email) ? "Write a mail address."
            : (password?.Length ?? 0) < ShortestPassword ? $"A password needs {ShortestPassword} characters or more."
            : people.FindByEmail(Email!) is not null ? "Somebody has this mail address already."
            : null;
        if (Wrong is not null || !IsInvited) return Page();
        var person = await people.Accept(Key, Name!, Email!, hasher.HashPassword(new Person(), password!));
        if (person is null) { IsInvited = false; return Page(); }
        await SignInModel.SignIn(HttpContext, person);
        return Redirect("/search");
    }
}
