using Kumiko.Core.Accounts;
using Kumiko.Core.Storage;
using Microsoft.Extensions.Time.Testing;

namespace Kumiko.Core.Tests.Accounts;

/// <summary>People, the links by which they arrive, and where they are signed in.</summary>
public sealed class PeopleTests : IDisposable
{
    private readonly string _path = Directory.CreateTempSubdirectory("kumiko-people-").FullName;
    private readonly FakeTimeProvider _clock = new(new DateTimeOffset(2026, 11, 23, 17, 50, 0, TimeSpan.Zero));
    private readonly AppDatabase _database;
    private readonly PeopleStore _people;
    private readonly LinkStore _links;
    private SessionStore _sessions;

    public PeopleTests()
    {
        _database = new AppDatabase(Path.Combine(_path, "kumiko.db"));
        _people = new PeopleStore(_database, _clock);
        _links = new LinkStore(_database, _clock, _people);
        _sessions = new SessionStore(_database, _clock);
    }

    public void Dispose()
    {
        _database.Dispose();
        Directory.Delete(_path, true);
    }

    private async Task<Person> Add(string name, Role role) =>
        (await _people.Add(name, name.Split(' ')[0].ToLowerInvariant() + "@skerryline.example", role, "hash"))!;

    [Fact]
    public async Task A_link_works_once_even_when_two_come_at_the_same_time()
    {
        var secret = await _links.First();
        Assert.Equal((LinkKind.First, Role.Administrator), (_links.Find(secret)!.Kind, _links.Find(secret)!.Role));
        var both = await Task.WhenAll(
            _links.Accept(secret, "Mirek Dane", "mirek@skerryline.example", "hash"),
            _links.Accept(secret, "Oluchi Brandt", "oluchi@skerryline.example", "hash")
        );
        Assert.Equal(Role.Administrator, Assert.Single(both, p => p is not null)!.Role);
        Assert.Null(_links.Find(secret));
        Assert.Null(await _links.Accept("made up", "x", "x@skerryline.example", "hash"));
    }

    [Fact]
    public async Task A_link_survives_an_address_that_is_taken()
    {
        await Add("Mirek Dane", Role.Analyst);
        var secret = await _links.Invite(Role.Viewer, "mirek@skerryline.example", "Mirek Dane");
        Assert.Null(await _links.Accept(secret, "Mirek Dane", "mirek@skerryline.example", "hash"));
        Assert.NotNull(_links.Find(secret));
    }

    [Fact]
    public async Task A_first_administrators_link_ends_with_a_newer_one_with_an_administrator_and_after_a_day()
    {
        var older = await _links.First();
        var newer = await _links.First();
        Assert.Null(_links.Find(older));
        _clock.Advance(TimeSpan.FromHours(23));
        Assert.NotNull(_links.Find(newer));
        _clock.Advance(TimeSpan.FromHours(1));
        Assert.Null(_links.Find(newer));
        var last = await _links.First();
        await Add("Mirek Dane", Role.Administrator);
        Assert.Null(_links.Find(last));
        Assert.Null(await _links.Accept(last, "Oluchi Brandt", "oluchi@skerryline.example", "hash"));
    }

    [Fact]
    public async Task An_invitation_lasts_a_week_is_listed_and_can_be_taken_back()
    {
        var first = await _links.Invite(Role.Viewer, "ines@skerryline.example", "Mirek Dane");
        var again = await _links.Invite(Role.Analyst, "INES@skerryline.example", "Mirek Dane");
        Assert.Null(_links.Find(first));
        var listed = Assert.Single(_links.Invited());
        Assert.Equal((Role.Analyst, "Mirek Dane"), (listed.Role, listed.Author));
        _clock.Advance(TimeSpan.FromDays(6));
        Assert.NotNull(_links.Find(again));
        await _links.TakeBack(listed.Hash);
        Assert.Null(_links.Find(again));
        var late = await _links.Invite(Role.Viewer, "tomas@skerryline.example", "Mirek Dane");
        _clock.Advance(TimeSpan.FromDays(7));
        Assert.Null(_links.Find(late));
    }

    [Fact]
    public async Task A_reset_sets_the_password_of_its_person_alone_and_lets_them_in_again()
    {
        await Add("Mirek Dane", Role.Administrator);
        var ines = await Add("Ines Halloran", Role.Analyst);
        await _people.SwitchOff(ines.Id);
        var secret = await _links.Reset(ines, "Mirek Dane");
        Assert.Null(await _links.Accept(secret, "Somebody Else", "else@skerryline.example", "hash"));
        Assert.Equal("new", (await _links.AcceptReset(secret, "new"))!.Password);
        Assert.True(_people.Find(ines.Id)!.IsActive);
        Assert.Null(await _links.AcceptReset(secret, "newer"));
        Assert.Null(await _links.AcceptReset(await _links.Invite(Role.Viewer, "", ""), "newer"));
    }

    [Fact]
    public async Task The_last_administrator_stays()
    {
        var mirek = await Add("Mirek Dane", Role.Administrator);
        await Add("Ines Halloran", Role.Analyst);
        Assert.False(await _people.SetRole(mirek.Id, Role.Viewer));
        Assert.False(await _people.SwitchOff(mirek.Id));
        Assert.False(await _people.Remove(mirek.Id));
        Assert.Equal(
            (Role.Administrator, true, "mirek@skerryline.example"),
            (_people.Find(mirek.Id)!.Role, _people.Find(mirek.Id)!.IsActive, _people.Find(mirek.Id)!.Email)
        );
        var oluchi = await Add("Oluchi Brandt", Role.Administrator);
        // Of two who go at the same time one stays.
        var both = await Task.WhenAll(_people.SwitchOff(mirek.Id), _people.SetRole(oluchi.Id, Role.Viewer));
        Assert.Single(both, went => went);
        Assert.Single(_people.All(), p => p is { IsActive: true, Role: Role.Administrator });
    }

    [Fact]
    public async Task Whoever_is_removed_keeps_the_name_and_frees_the_address()
    {
        await Add("Mirek Dane", Role.Administrator);
        var ines = await Add("Ines Halloran", Role.Analyst);
        Assert.True(await _people.Remove(ines.Id));
        Assert.DoesNotContain(_people.All(), p => p.Id == ines.Id);
        Assert.Equal(("Ines Halloran", false), (_people.Find(ines.Id)!.Name, _people.Find(ines.Id)!.IsActive));
        Assert.Null(_people.FindByEmail("ines@skerryline.example"));
        Assert.NotNull(await _people.Add("Ines Halloran", "ines@skerryline.example", Role.Viewer, null));
    }

    [Fact]
    public async Task Wrong_passwords_are_counted_until_they_are_told()
    {
        var ines = await Add("Ines Halloran", Role.Analyst);
        for (var i = 0; i < 3; i++)
            await _people.TriedWrong(ines.Id, "198.51.100.7");
        var session = _sessions.Find(await _sessions.Begin(_people.Find(ines.Id)!, "127.0.0.1", "a browser"))!;
        Assert.Equal((3L, "198.51.100.7"), (session.Wrong.Count, session.Wrong.From));
        await _people.ForgetWrong(ines.Id);
        Assert.Equal(FailedTries.None, _people.Find(ines.Id)!.Wrong);
    }

    [Fact]
    public async Task A_session_ends_by_itself_when_it_is_not_seen_or_is_old()
    {
        var ines = await Add("Ines Halloran", Role.Analyst);
        var unseen = await _sessions.Begin(ines, "127.0.0.1", "");
        _clock.Advance(TimeSpan.FromDays(15));
        Assert.Null(_sessions.Find(unseen));
        var seen = await _sessions.Begin(ines, "127.0.0.1", "");
        for (var day = 0; day < 90; day += 10)
        {
            _clock.Advance(TimeSpan.FromDays(10));
            Assert.NotNull(_sessions.Find(seen));
        }
        _clock.Advance(TimeSpan.FromDays(1));
        Assert.Null(_sessions.Find(seen));
        Assert.Null(_sessions.Find("made up"));
    }

    [Fact]
    public async Task Sessions_outlive_a_restart_and_those_that_ended_stay_ended()
    {
        var ines = await Add("Ines Halloran", Role.Analyst);
        var (here, there, gone) = (
            await _sessions.Begin(ines, "127.0.0.1", "here"),
            await _sessions.Begin(ines, "127.0.0.1", "there"),
            await _sessions.Begin(ines, "127.0.0.1", "gone")
        );
        await _sessions.EndSecret(gone);
        _clock.Advance(TimeSpan.FromHours(1));
        var hereId = _sessions.Find(here)!.Id;
        await _sessions.Save();
        _sessions = new SessionStore(_database, _clock);
        Assert.Null(_sessions.Find(gone));
        Assert.Equal(["here", "there"], _sessions.Of(ines.Id).Select(s => s.Browser));
        await _sessions.EndAll(ines.Id, hereId);
        Assert.Null(_sessions.Find(there));
        Assert.NotNull(_sessions.Find(here));
        // Somebody else's cannot be ended by its id.
        await _sessions.End(ines.Id + 1, hereId);
        Assert.NotNull(_sessions.Find(here));
    }
}
