using Kumiko.Core.Accounts;
using Kumiko.Core.Query;
using Kumiko.Web.Accounts;
using Kumiko.Web.Delivery;
using Kumiko.Web.Delivery.Channels;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Authorization;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Web.Pages.People;

/// <summary>A link that was just made.</summary>
/// <param name="Address">Shown this once.</param>
/// <param name="Mailed">How the mail went; null where none was sent.</param>
public sealed record MadeLink(string For, string Address, LinkKind Kind, string? Mailed);

/// <summary>Who has an account and what they may do; administrators invite, change, switch off and remove.</summary>
[Authorize(Policy = Policies.Run)]
public sealed class IndexModel(
    PeopleStore people,
    LinkStore links,
    SessionStore sessions,
    InvitationMail mail,
    ServerOptions options,
    RunRegistry runs,
    StripBuilder strips,
    Viewer viewer,
    TimeProvider clock
) : StripPage(runs, strips, viewer, clock)
{
    private const string LastOne = "Nobody would be left to run Kumiko. Make somebody else an administrator first.";

    public IReadOnlyList<Person> All { get; private set; } = [];
    public IReadOnlyList<OneTimeLink> Invited { get; private set; } = [];
    public MadeLink? Made { get; private set; }
    public string? Problem { get; private set; }
    public string? Email { get; private set; }
    public long Me => Viewer.Id;
    public bool HasMail => mail.IsSetUp;

    public Task<IActionResult> OnGetAsync(string? when)
    {
        (All, Invited) = (people.All(), links.Invited());
        return Show("/people", when);
    }

    public long? SeenAt(Person person) => sessions.Of(person.Id).Select(s => (long?)s.Seen).FirstOrDefault();

    public async Task<IActionResult> OnPostInviteAsync(string? email, Role role)
    {
        Email = email?.Trim();
        if (!MailAddresses.IsValid(Email))
            Problem = "Write a mail address.";
        else if (people.FindByEmail(Email) is not null)
            Problem = "Somebody has this mail address already.";
        else if (!Enum.IsDefined(role))
            Problem = "Choose what they may do.";
        else
        {
            var address = AddressOf(await links.Invite(role, Email, Viewer.Name));
            Made = new MadeLink(
                Email,
                address,
                LinkKind.Invited,
                await mail.Send(Email, LinkKind.Invited, address, Viewer.Name, HttpContext.RequestAborted)
            );
            Email = null;
        }
        return await OnGetAsync(null);
    }

    public async Task<IActionResult> OnPostTakeBackAsync(string? link)
    {
        await links.TakeBack(link ?? "");
        return Redirect("/people");
    }

    public async Task<IActionResult> OnPostResetAsync(long id)
    {
        if (Existing(id) is not { } person)
            return NotFound();
        var address = AddressOf(await links.Reset(person, Viewer.Name));
        Made = new MadeLink(
            person.Email,
            address,
            LinkKind.Reset,
            await mail.Send(person.Email, LinkKind.Reset, address, Viewer.Name, HttpContext.RequestAborted)
        );
        return await OnGetAsync(null);
    }

    public Task<IActionResult> OnPostRoleAsync(long id, Role role) =>
        Change(id, _ => Enum.IsDefined(role) ? people.SetRole(id, role) : Task.FromResult(true));

    public Task<IActionResult> OnPostOffAsync(long id) => Change(id, _ => WithoutSessions(people.SwitchOff(id), id));

    public Task<IActionResult> OnPostOnAsync(long id) => Change(id, async _ =>
        {
            await people.SwitchOn(id);
            return true;
        });

    public Task<IActionResult> OnPostRemoveAsync(long id) => Change(id, _ => WithoutSessions(people.Remove(id), id));

    private async Task<bool> WithoutSessions(Task<bool> change, long id)
    {
        var done = await change;
        if (done)
            await sessions.EndAll(id);
        return done;
    }

    private async Task<IActionResult> Change(long id, Func<Person, Task<bool>> change)
    {
        if (Existing(id) is not { } person)
            return NotFound();
        if (await change(person))
            return Redirect("/people");
        Problem = LastOne;
        return await OnGetAsync(null);
    }

    private Person? Existing(long id) => people.Find(id) is { Removed: null } person ? person : null;

    private string AddressOf(string secret) => $"{options.PublicAddress}/welcome?key={secret}";
}
