using System.Net;
using System.Text.RegularExpressions;
using Kumiko.Core.Accounts;

namespace Kumiko.Web.Tests.Accounts;

/// <summary>Administrators invite, change and remove people; everybody has a page of their own.</summary>
public sealed partial class PeoplePageTests : IAsyncLifetime
{
    private const string Ines = "ines@skerryline.example";
    private const string Other = "another long password";

    private RunningServer _server = null!;
    private HttpClient _mirek = null!;

    public async ValueTask InitializeAsync()
    {
        _server = await RunningServer.Start();
        _mirek = await _server.Person(Role.Administrator);
    }

    public ValueTask DisposeAsync()
    {
        _mirek.Dispose();
        return _server.DisposeAsync();
    }

    [GeneratedRegex("/welcome\\?key=([A-Za-z0-9_-]+)")]
    private static partial Regex LinkIn();

    private async Task<string> LinkOf(string handler, params (string, string)[] fields)
    {
        var page = await (await RunningServer.Post(_mirek, "/people?handler=" + handler, fields)).Content.ReadAsStringAsync();
        return LinkIn().Match(page).Value;
    }

    private static Task<HttpResponseMessage> Arrive(HttpClient client, string link, string password, string email = Ines) =>
        RunningServer.Post(
            client,
            link,
            ("key", link.Split('=')[1]),
            ("name", "Ines Halloran"),
            ("email", email),
            ("password", password),
            ("again", password)
        );

    private async Task<(HttpClient Client, Person Person)> Invited(Role role)
    {
        var link = await LinkOf("Invite", ("email", Ines), ("role", role.ToString()));
        var client = _server.Stranger();
        Assert.Equal("/search", (await Arrive(client, link, RunningServer.Password)).Headers.Location!.ToString());
        return (client, _server.Get<PeopleStore>().FindByEmail(Ines)!);
    }

    private static string Id(Person person) => person.Id.ToString(System.Globalization.CultureInfo.InvariantCulture);

    [Fact]
    public async Task Somebody_is_invited_arrives_and_gets_another_role()
    {
        var (client, ines) = await Invited(Role.Viewer);
        using (client)
        {
            Assert.Equal(Role.Viewer, ines.Role);
            Assert.Equal(HttpStatusCode.Forbidden, (await client.GetAsync("/rules/new")).StatusCode);
            await RunningServer.Post(_mirek, "/people?handler=Role", ("id", Id(ines)), ("role", "Analyst"));
            Assert.Equal(HttpStatusCode.OK, (await client.GetAsync("/rules/new")).StatusCode);
            Assert.Contains("Ines Halloran", await _mirek.GetStringAsync("/people"));
        }
    }

    [Fact]
    public async Task What_is_wrong_with_an_invitation_is_told_and_it_can_be_taken_back()
    {
        Assert.Contains(
            "Write a mail address",
            await (
                await RunningServer.Post(_mirek, "/people?handler=Invite", ("email", "nobody"), ("role", "Viewer"))
            ).Content.ReadAsStringAsync()
        );
        var link = await LinkOf("Invite", ("email", Ines), ("role", "Viewer"));
        var hash = Regex.Match(await _mirek.GetStringAsync("/people"), "name=\"link\" value=\"([0-9A-F]+)\"").Groups[1].Value;
        using var client = _server.Stranger();
        foreach (
            var (password, words) in new[]
            {
                ("short", "12 characters"),
                ("password1234", "Many people"),
                ("ines halloran", "little more than your name"),
            }
        )
            Assert.Contains(words, await (await Arrive(client, link, password)).Content.ReadAsStringAsync());
        Assert.Contains(
            "differ",
            await (
                await RunningServer.Post(
                    client,
                    link,
                    ("key", link.Split('=')[1]),
                    ("name", "Ines"),
                    ("email", Ines),
                    ("password", RunningServer.Password),
                    ("again", Other)
                )
            ).Content.ReadAsStringAsync()
        );
        await RunningServer.Post(_mirek, "/people?handler=TakeBack", ("link", hash));
        Assert.Contains("has been used", await client.GetStringAsync(link));
        Assert.Null(_server.Get<PeopleStore>().FindByEmail(Ines));
    }

    [Fact]
    public async Task The_last_administrator_cannot_go()
    {
        var me = _server.Get<PeopleStore>().All().Single();
        foreach (var (handler, role) in new[] { ("Role", "Viewer"), ("Off", ""), ("Remove", "") })
            Assert.Contains(
                "Nobody would be left to run Kumiko",
                await (
                    await RunningServer.Post(_mirek, "/people?handler=" + handler, ("id", Id(me)), ("role", role))
                ).Content.ReadAsStringAsync()
            );
        Assert.Equal(HttpStatusCode.OK, (await _mirek.GetAsync("/people")).StatusCode);
    }

    [Fact]
    public async Task Switched_off_is_out_at_once_and_a_new_password_lets_in_again()
    {
        var (client, ines) = await Invited(Role.Analyst);
        using (client)
        {
            await RunningServer.Post(_mirek, "/people?handler=Off", ("id", Id(ines)));
            Assert.Equal(HttpStatusCode.Redirect, (await client.GetAsync("/search")).StatusCode);
            var link = await LinkOf("Reset", ("id", Id(ines)));
            using var elsewhere = _server.Stranger();
            Assert.DoesNotContain("Mail address", await elsewhere.GetStringAsync(link));
            Assert.Equal("/search", (await Arrive(elsewhere, link, Other)).Headers.Location!.ToString());
            Assert.Equal(HttpStatusCode.OK, (await elsewhere.GetAsync("/search")).StatusCode);
        }
    }

    [Fact]
    public async Task The_command_line_makes_a_link_for_who_is_shut_out()
    {
        using var machine = new HttpClient { BaseAddress = new Uri(_server.Address) };
        Assert.Equal(
            HttpStatusCode.Unauthorized,
            (await machine.PostAsync("/control/person/reset?email=" + Ines, null)).StatusCode
        );
        machine.DefaultRequestHeaders.Authorization = new("Bearer", _server.Get<Kumiko.Web.Hosting.ServerState>().ControlToken);
        Assert.Equal(
            HttpStatusCode.BadRequest,
            (await machine.PostAsync("/control/person/reset?email=" + Ines, null)).StatusCode
        );
        await Invited(Role.Administrator);
        var link = LinkIn()
            .Match(await (await machine.PostAsync("/control/person/reset?email=" + Ines, null)).Content.ReadAsStringAsync())
            .Value;
        using var client = _server.Stranger();
        Assert.Equal("/search", (await Arrive(client, link, Other)).Headers.Location!.ToString());
    }

    [Fact]
    public async Task Ones_own_page_changes_name_zone_theme_and_password_and_signs_out_elsewhere()
    {
        var (client, ines) = await Invited(Role.Viewer);
        using var here = client;
        using var elsewhere = _server.Stranger();
        await RunningServer.Post(elsewhere, "/signin", ("email", Ines), ("password", RunningServer.Password));
        var people = _server.Get<PeopleStore>();
        await RunningServer.Post(here, "/me", ("name", "Ines H."), ("zone", "Europe/Dublin"), ("theme", "lacquer"));
        Assert.Equal(
            ("Ines H.", "Europe/Dublin", "lacquer"),
            (people.Find(ines.Id)!.Name, people.Find(ines.Id)!.Zone, people.Find(ines.Id)!.Theme)
        );
        var page = await here.GetStringAsync("/me");
        Assert.Contains("data-theme=\"lacquer\"", page);
        Assert.Contains("Sign out elsewhere", page);
        Assert.Contains(
            "There is no zone",
            await (await RunningServer.Post(here, "/me", ("name", "Ines"), ("zone", "Nowhere"))).Content.ReadAsStringAsync()
        );
        await RunningServer.Post(here, "/me?handler=Elsewhere");
        Assert.Equal(HttpStatusCode.Redirect, (await elsewhere.GetAsync("/me")).StatusCode);
        Assert.Equal(HttpStatusCode.OK, (await here.GetAsync("/me")).StatusCode);
        await RunningServer.Post(elsewhere, "/signin", ("email", Ines), ("password", RunningServer.Password));
        Assert.Contains(
            "present password is another",
            await (
                await RunningServer.Post(here, "/me?handler=Password", ("old", "wrong"), ("password", Other), ("again", Other))
            ).Content.ReadAsStringAsync()
        );
        Assert.Equal(
            "/me?done=password",
            (
                await RunningServer.Post(
                    here,
                    "/me?handler=Password",
                    ("old", RunningServer.Password),
                    ("password", Other),
                    ("again", Other)
                )
            ).Headers.Location!.ToString()
        );
        Assert.Equal(HttpStatusCode.Redirect, (await elsewhere.GetAsync("/me")).StatusCode);
        Assert.Equal(HttpStatusCode.OK, (await here.GetAsync("/me")).StatusCode);
        Assert.Equal(
            "/search",
            (await RunningServer.Post(elsewhere, "/signin", ("email", Ines), ("password", Other))).Headers.Location!.ToString()
        );
    }

    [Fact]
    public async Task An_address_in_the_address_leads_nowhere_else()
    {
        var page = await _mirek.GetStringAsync("/me?then=https://elsewhere.example/&done=%3Cscript%3E");
        Assert.DoesNotContain("href=\"https://elsewhere.example", page);
        Assert.DoesNotContain("&lt;script", page);
    }
}
