using Kumiko.Core.Accounts;
using Kumiko.Core.Changes;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Core.Searches;
using Kumiko.Core.Storage;
using Microsoft.Extensions.Time.Testing;

namespace Kumiko.Core.Tests.Searches;

public sealed class SearchStoreTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("kumiko-test-").FullName;
    private readonly FakeTimeProvider _clock = new(new DateTimeOffset(2026, 11, 23, 18, 0, 0, TimeSpan.Zero));
    private readonly AppDatabase _database;
    private readonly SearchStore _searches;
    private readonly long _ines;
    private readonly long _tomas;

    public SearchStoreTests()
    {
        _database = new AppDatabase(Path.Combine(_folder, "kumiko.db"));
        _searches = new SearchStore(_database, _clock);
        var people = new PeopleStore(_database, _clock);
        _ines = people.Add("Ines Halloran", "ines@skerryline.example", Role.Analyst, null).GetAwaiter().GetResult()!.Id;
        _tomas = people.Add("Tomas Verrall", "tomas@skerryline.example", Role.Analyst, null).GetAwaiter().GetResult()!.Id;
    }

    public void Dispose()
    {
        _database.Dispose();
        Directory.Delete(_folder, true);
    }

    private KeptSearch Search(string name, bool shared) =>
        new()
        {
            Name = name,
            Query = "refused",
            Address = "?q=refused",
            Tags = "gates",
            Shared = shared,
            Author = _ines,
        };

    [Fact]
    public async Task A_private_search_is_its_authors_alone_and_a_shared_one_everybodys_to_see_but_not_to_change()
    {
        var mine = await _searches.Keep(Search("mine", shared: false));
        var ours = await _searches.Keep(Search("ours", shared: true));
        Assert.Equal(["mine", "ours"], _searches.Kept(_ines).Select(k => k.Name));
        Assert.Equal(["ours"], _searches.Kept(_tomas).Select(k => k.Name));
        Assert.Null(_searches.FindKept(mine, _tomas));
        Assert.Equal("Ines Halloran", _searches.FindKept(ours, _tomas)!.AuthorName);
        Assert.False(
            await _searches.Change(
                new KeptSearch
                {
                    Id = ours,
                    Name = "theirs",
                    Address = "",
                    Author = _tomas,
                }
            )
        );
        Assert.False(await _searches.Remove(ours, true, _tomas));
        Assert.Equal("ours", _searches.FindKept(ours, _ines)!.Name);
    }

    [Fact]
    public async Task Deleting_can_be_undone()
    {
        var id = await _searches.Keep(Search("gates", shared: true));
        Assert.True(await _searches.Remove(id, true, _ines));
        Assert.Empty(_searches.Kept(_ines));
        Assert.False(
            await _searches.Change(
                new KeptSearch
                {
                    Id = id,
                    Name = "x",
                    Address = "",
                    Author = _ines,
                }
            )
        );
        Assert.True(await _searches.Remove(id, false, _ines));
        Assert.Single(_searches.Kept(_ines));
    }

    [Fact]
    public async Task What_was_asked_again_moves_to_the_front_and_the_oldest_is_forgotten()
    {
        for (var i = 0; i < SearchStore.MostAsked + 20; i++)
        {
            await _searches.Remember(_ines, "sailing = " + i, "?q=" + i);
            _clock.Advance(TimeSpan.FromSeconds(1));
        }
        await _searches.Remember(_ines, "sailing = 50", "?q=50&from=-1d");
        var asked = _searches.Asked(_ines);
        Assert.Equal(SearchStore.MostAsked, asked.Count);
        Assert.Equal(("sailing = 50", "?q=50&from=-1d", 2), (asked[0].Query, asked[0].Address, (int)asked[0].Times));
        Assert.Empty(_searches.Asked(_tomas));
        await _searches.Forget(_ines);
        Assert.Empty(_searches.Asked(_ines));
    }

    [Fact]
    public async Task A_frozen_answer_is_read_by_whoever_has_its_id_and_deleted_by_its_author()
    {
        var id = await _searches.Freeze(
            new FrozenResult
            {
                Title = "refusals",
                Words = "17:00 to 18:00",
                Rows = 2,
                Author = _ines,
            },
            [1, 2, 3]
        );
        var (result, content) = _searches.FindFrozen(id)!.Value;
        Assert.Equal(("refusals", "Ines Halloran", 3), (result.Title, result.AuthorName, content.Length));
        Assert.False(await _searches.RemoveFrozen(id, true, _tomas));
        Assert.True(await _searches.RemoveFrozen(id, true, _ines));
        Assert.Null(_searches.FindFrozen(id));
        Assert.Null(_searches.FindFrozen("nonsense"));
    }

    [Theory]
    [InlineData("Gates, #Boarding gates", "gates boarding")]
    [InlineData("  ", "")]
    [InlineData(null, "")]
    [InlineData("a;b c", "a b c")]
    public void Tags_are_small_and_once_each(string? typed, string kept) => Assert.Equal(kept, KeptSearch.ReadTags(typed));

    [Fact]
    public void What_cannot_be_kept_says_why()
    {
        Assert.Null(Search("gates", true).Problem());
        Assert.Contains("name", new KeptSearch().Problem());
        Assert.Contains("name", new KeptSearch { Name = new string('x', 200) }.Problem());
        Assert.Contains("note", new KeptSearch { Name = "x", Note = new string('x', 3_000) }.Problem());
        Assert.Contains("tags", new KeptSearch { Name = "x", Tags = "a b c d e f g h i" }.Problem());
        Assert.Contains("tag", new KeptSearch { Name = "x", Tags = new string('t', 60) }.Problem());
        Assert.Contains("long", new KeptSearch { Name = "x", Address = new string('a', 50_000) }.Problem());
    }

    [Fact]
    public async Task A_change_told_twice_is_one()
    {
        var changes = new ChangeStore(_database);
        var change = new Change("desk-1", 1_000, "gate firmware", "Tarnhead", "7.2", "7.3", "release desk");
        await changes.Add(change);
        await changes.Add(change with { To = "7.4" });
        await changes.Add(change with { Key = "desk-2", At = 2_000, From = "7.3", To = "7.2" });
        Assert.Equal([change], changes.In(new Window(0, 1_500)));
        Assert.Equal("gate firmware 7.3", change.Short);
        var rows = Scanned.Rows(new ChangeSet(changes), new Window(0, 5_000));
        Assert.Equal(
            [
                Value.Time(2_000),
                Value.Missing,
                Value.Of("gate firmware"),
                Value.Of("Tarnhead"),
                Value.Of("7.3"),
                Value.Of("7.2"),
                Value.Of("release desk"),
                .. Enumerable.Repeat(Value.Missing, 9),
            ],
            rows[0]
        );
        Assert.Equal(2, rows.Count);
    }
}
