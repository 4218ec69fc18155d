using System.Net;
using Kumiko.Core.Accounts;
using Kumiko.Web.Accounts;
using Microsoft.AspNetCore.Identity;
using Microsoft.Extensions.DependencyInjection;

namespace Kumiko.Web.Tests.Accounts;

/// <summary>Signing in under attack, and what a cookie is worth afterwards.</summary>
public sealed class SignInTests : IAsyncLifetime
{
    private RunningServer _server = null!;

    public async ValueTask InitializeAsync() => _server = await RunningServer.Start();

    public ValueTask DisposeAsync() => _server.DisposeAsync();

    private async Task<Person> Add(string email, Role role = Role.Analyst, string? hash = null) =>
        (
            await _server
                .Get<PeopleStore>()
                .Add(
                    "Ines Halloran",
                    email,
                    role,
                    hash ?? _server.Get<IPasswordHasher<Person>>().HashPassword(new Person(), RunningServer.Password)
                )
        )!;

    private static Task<HttpResponseMessage> SignIn(HttpClient client, string email, string password) =>
        RunningServer.Post(client, "/signin", ("email", email), ("password", password));

    [Fact]
    public async Task After_wrong_passwords_the_next_waits_and_a_known_browser_does_not()
    {
        await Add("ines@skerryline.example");
        using var owner = _server.Stranger();
        using var attacker = _server.Stranger();
        Assert.Equal(
            HttpStatusCode.Redirect,
            (await SignIn(owner, "ines@skerryline.example", RunningServer.Password)).StatusCode
        );
        await RunningServer.Post(owner, "/signin?handler=Out");
        foreach (var email in new[] { "ines@skerryline.example", "nobody@skerryline.example" })
        {
            // As many tries for one who exists as for one who does not, and the same words.
            for (var i = 0; i < 5; i++)
                Assert.Contains(
                    "do not belong together",
                    await (await SignIn(attacker, email, "wrong")).Content.ReadAsStringAsync()
                );
            var later = await SignIn(attacker, email, "wrong");
            Assert.Equal(HttpStatusCode.TooManyRequests, later.StatusCode);
            Assert.NotNull(later.Headers.RetryAfter);
            Assert.Contains("Too many wrong passwords", await later.Content.ReadAsStringAsync());
        }
        // From the attacker's address not even the right one is looked at; the owner's browser is known.
        Assert.Equal(
            HttpStatusCode.TooManyRequests,
            (await SignIn(attacker, "ines@skerryline.example", RunningServer.Password)).StatusCode
        );
        var entered = await SignIn(owner, "ines@skerryline.example", RunningServer.Password);
        Assert.Equal("/me?then=%2Fsearch", entered.Headers.Location!.ToString());
        Assert.Contains("5 wrong passwords were tried for your account", await owner.GetStringAsync("/me"));
        _server.Clock.Advance(TimeSpan.FromMinutes(16));
        Assert.Equal(
            "/search",
            (await SignIn(attacker, "ines@skerryline.example", RunningServer.Password)).Headers.Location!.ToString()
        );
    }

    private sealed class Held : IPasswordHasher<Person>
    {
        public TaskCompletionSource Go { get; } = new();
        public int AtOnce;
        public int Most;

        public string HashPassword(Person user, string password) => "hash";

        public PasswordVerificationResult VerifyHashedPassword(Person user, string hashedPassword, string providedPassword)
        {
            Most = Math.Max(Most, Interlocked.Increment(ref AtOnce));
            Go.Task.GetAwaiter().GetResult();
            Interlocked.Decrement(ref AtOnce);
            return PasswordVerificationResult.Failed;
        }
    }

    [Fact]
    public async Task One_password_is_looked_at_at_a_time_sixteen_wait_and_the_rest_come_later()
    {
        var held = new Held();
        var passwords = new Passwords(held);
        var all = Enumerable.Range(0, 64).Select(_ => passwords.Verify(null, "x")).ToList();
        var refused = all.Where(t => t.IsFaulted).ToList();
        Assert.Equal(64 - Passwords.MostWaiting - 1, refused.Count);
        Assert.All(refused, t => Assert.IsType<PasswordsBusyException>(t.Exception!.InnerException));
        held.Go.SetResult();
        foreach (var one in all.Except(refused))
            Assert.Equal(PasswordVerificationResult.Failed, await one);
        Assert.Equal(1, held.Most);
        Assert.Equal(PasswordVerificationResult.Failed, await passwords.Verify(null, "x"));
    }

    [Fact]
    public async Task An_older_hash_is_raised_at_the_next_sign_in()
    {
        var old = new PasswordHasher<Person>(
            Microsoft.Extensions.Options.Options.Create(new PasswordHasherOptions { IterationCount = 10 })
        ).HashPassword(new Person(), RunningServer.Password);
        var ines = await Add("ines@skerryline.example", hash: old);
        using var client = _server.Stranger();
        Assert.Equal(
            HttpStatusCode.Redirect,
            (await SignIn(client, "ines@skerryline.example", RunningServer.Password)).StatusCode
        );
        var raised = _server.Get<PeopleStore>().Find(ines.Id)!.Password!;
        Assert.NotEqual(old, raised);
        Assert.Equal(
            PasswordVerificationResult.Success,
            _server.Get<IPasswordHasher<Person>>().VerifyHashedPassword(ines, raised, RunningServer.Password)
        );
    }

    [Fact]
    public void As_many_rounds_are_made_as_are_meant() => Assert.Equal(210_000, Passwords.Rounds);

    [Theory]
    [InlineData("short")]
    [InlineData("password1234")]
    [InlineData("Password123!")]
    [InlineData("passwordpassword")]
    [InlineData("P@ssw0rd2026")]
    [InlineData("123456789012")]
    [InlineData("qwertyuiopas")]
    [InlineData("aaaaaaaaaaaaaa")]
    [InlineData("abcdefghijklm")]
    [InlineData("ines.halloran")]
    [InlineData("inesHalloran!")]
    [InlineData("!!!!2026!!!!11")]
    public void Short_and_common_passwords_are_refused(string password) =>
        Assert.NotNull(PasswordRules.Fault(password, "Ines Halloran", "ines.halloran@skerryline.example"));

    [Theory]
    [InlineData(RunningServer.Password)]
    [InlineData("lamp over nine quays")]
    [InlineData("tarnhead-9-buoys")]
    public void Long_ones_of_ones_own_are_taken(string password) =>
        Assert.Null(PasswordRules.Fault(password, "Ines Halloran", "ines@skerryline.example"));

    [Fact]
    public void Endless_ones_are_refused_at_once() => Assert.Contains("200", PasswordRules.Fault(new string('x', 10_000_000)));

    /// <summary>A browser that holds the cookies of another, as a thief does.</summary>
    private async Task<(HttpClient Owner, HttpClient Thief)> Copied(Role role)
    {
        var email = $"{Guid.NewGuid():N}@skerryline.example";
        await Add(email, role);
        var owner = _server.Stranger();
        var entered = await SignIn(owner, email, RunningServer.Password);
        var cookie = entered
            .Headers.GetValues("Set-Cookie")
            .First(c => c.StartsWith("kumiko=", StringComparison.Ordinal))
            .Split(';')[0];
        var thief = new HttpClient(new HttpClientHandler { AllowAutoRedirect = false, UseCookies = false })
        {
            BaseAddress = new Uri(_server.Address),
        };
        thief.DefaultRequestHeaders.Add("Cookie", cookie);
        Assert.Equal(HttpStatusCode.OK, (await thief.GetAsync("/alerts")).StatusCode);
        return (owner, thief);
    }

    private async Task AssertOut(HttpClient client)
    {
        Assert.Equal(HttpStatusCode.Redirect, (await client.GetAsync("/alerts")).StatusCode);
        Assert.Equal(HttpStatusCode.Redirect, (await client.GetAsync("/sources/tokens")).StatusCode);
    }

    [Fact]
    public async Task After_signing_out_the_cookie_is_worth_nothing()
    {
        var (owner, thief) = await Copied(Role.Administrator);
        using (owner)
        using (thief)
        {
            await RunningServer.Post(owner, "/signin?handler=Out");
            await AssertOut(thief);
        }
    }

    [Fact]
    public async Task A_lowered_role_counts_from_the_next_request()
    {
        await Add("last@skerryline.example", Role.Administrator);
        var (owner, thief) = await Copied(Role.Administrator);
        using (owner)
        using (thief)
        {
            Assert.Contains("Make it", await owner.GetStringAsync("/sources/tokens"));
            var me = _server.Get<PeopleStore>().All().Single(p => p.Email != "last@skerryline.example");
            await _server.Get<PeopleStore>().SetRole(me.Id, Role.Viewer);
            Assert.Equal(
                HttpStatusCode.Forbidden,
                (await RunningServer.Post(owner, "/sources/tokens?handler=Make", ("name", "x"))).StatusCode
            );
            Assert.Equal(HttpStatusCode.Forbidden, (await thief.GetAsync("/people")).StatusCode);
            Assert.Empty(_server.Get<TokenStore>().All());
        }
    }

    [Theory]
    [InlineData("off")]
    [InlineData("removed")]
    public async Task Whoever_is_switched_off_or_removed_is_out_at_once(string how)
    {
        await Add("last@skerryline.example", Role.Administrator);
        var (owner, thief) = await Copied(Role.Administrator);
        using (owner)
        using (thief)
        {
            var (people, me) = (
                _server.Get<PeopleStore>(),
                _server.Get<PeopleStore>().All().Single(p => p.Email != "last@skerryline.example")
            );
            Assert.True(how == "off" ? await people.SwitchOff(me.Id) : await people.Remove(me.Id));
            await AssertOut(thief);
            await AssertOut(owner);
            Assert.Contains(
                "do not belong together",
                await (await SignIn(owner, me.Email, RunningServer.Password)).Content.ReadAsStringAsync()
            );
        }
    }

    [Fact]
    public async Task A_cookie_from_before_sessions_lets_nobody_in()
    {
        var person = await Add("ines@skerryline.example", Role.Administrator);
        var options = _server
            .App.Services.GetRequiredService<Microsoft.Extensions.Options.IOptionsMonitor<Microsoft.AspNetCore.Authentication.Cookies.CookieAuthenticationOptions>>()
            .Get("Cookies");
        var identity = new System.Security.Claims.ClaimsIdentity(
            [
                new(System.Security.Claims.ClaimTypes.NameIdentifier, $"{person.Id}"),
                new(System.Security.Claims.ClaimTypes.Role, "Administrator"),
            ],
            "Cookies"
        );
        var ticket = options.TicketDataFormat.Protect(
            new Microsoft.AspNetCore.Authentication.AuthenticationTicket(new(identity), "Cookies")
        );
        using var client = new HttpClient(new HttpClientHandler { AllowAutoRedirect = false, UseCookies = false })
        {
            BaseAddress = new Uri(_server.Address),
        };
        client.DefaultRequestHeaders.Add("Cookie", "kumiko=" + ticket);
        await AssertOut(client);
    }
}
