using Kumiko.Core.Accounts;
using Kumiko.Core.Analysis;
using Kumiko.Core.Patterns;
using Kumiko.Core.Query.Gathering;
using Kumiko.Core.Storage;
using Kumiko.Core.Tests.Storage;

namespace Kumiko.Core.Tests.Searches;

/// <summary>What people note of patterns.</summary>
public sealed class PatternNoteTests : StoreTest
{
    private async Task<(PatternNoteStore Notes, long Ines, long Tomas)> Opened(AppDatabase database)
    {
        var people = new PeopleStore(database, Clock);
        var ines = await people.Add("Ines Halloran", "ines@skerryline.example", Role.Analyst, null);
        var tomas = await people.Add("Tomas Brandt", "tomas@skerryline.example", Role.Analyst, null);
        return (new PatternNoteStore(database, Clock), ines!.Id, tomas!.Id);
    }

    private static PatternAside Aside(long author, long person, long? until = null) =>
        new()
        {
            Pattern = "#00000001",
            Person = person,
            Reason = "known",
            Until = until,
            Hourly = 4,
            Author = author,
        };

    [Fact]
    public async Task What_is_put_aside_ends_by_itself_and_is_seen_by_whom_it_is_for()
    {
        using var database = new AppDatabase(Path.Combine(Folder, "kumiko.db"), Clock);
        var (notes, ines, tomas) = await Opened(database);
        var day = Core.Records.Instants.FromDateTime(Clock.GetUtcNow()) + Core.Records.Instants.Day;
        await notes.PutAside([Aside(ines, ines, day)]);
        Assert.Equal("Ines Halloran", Assert.Single(notes.Aside(ines)).AuthorName);
        Assert.Empty(notes.Aside(tomas));
        await notes.PutAside([Aside(tomas, 0)]);
        Assert.Equal(2, notes.Aside(ines).Count);
        Clock.Advance(TimeSpan.FromDays(2));
        Assert.True(Assert.Single(notes.Aside(ines)).IsForAll);
        Assert.True(await notes.BringBack("#00000001", 0));
        Assert.False(await notes.BringBack("#00000001", 0));
        Assert.Empty(notes.Aside(tomas));
    }

    [Fact]
    public async Task A_name_of_ones_own_hides_that_of_everybody()
    {
        using var database = new AppDatabase(Path.Combine(Folder, "kumiko.db"), Clock);
        var (notes, ines, tomas) = await Opened(database);
        await notes.Call("#00000001", 0, "seat quarrels", ines);
        await notes.Call("#00000001", tomas, "refusals", tomas);
        Assert.Equal("seat quarrels", Assert.Single(notes.Called(ines)).Name);
        Assert.Equal("refusals", Assert.Single(notes.Called(tomas)).Name);
        await notes.Call("#00000001", tomas, "", tomas);
        Assert.Equal("seat quarrels", Assert.Single(notes.Called(tomas)).Name);
    }

    [Theory]
    [InlineData("", null, "Say why")]
    [InlineData("known", -1L, "passed already")]
    [InlineData("known", 1L, null)]
    [InlineData("known", null, null)]
    public void A_reason_and_an_end_to_come_are_asked_for(string reason, long? until, string? says)
    {
        var problem = new PatternAside { Reason = reason, Until = until }.Problem(0);
        if (says is null)
            Assert.Null(problem);
        else
            Assert.Contains(says, problem);
    }

    [Theory]
    [InlineData(RateDifference.More, 50, 10, true)]
    [InlineData(RateDifference.More, 15, 10, false)]
    [InlineData(RateDifference.UsuallyNone, 50, 0, true)]
    [InlineData(RateDifference.MaybeChance, 50, 10, false)]
    [InlineData(RateDifference.Gone, 0, 10, false)]
    public void What_grows_beyond_its_usual_comes_back(RateDifference difference, long now, double usual, bool back) =>
        Assert.Equal(back, Aside(1, 1).ComesBack(Gathered(now, new RateShift(now, usual, 1, 0.001, difference)), 1));

    // Where nothing is compared, three times as often as when it was put aside: four an hour.
    [Theory]
    [InlineData(12, 1, false)]
    [InlineData(13, 1, true)]
    [InlineData(13, 3, false)]
    [InlineData(9, 0.1, false)]
    public void Without_a_baseline_it_comes_back_when_it_grew_since(long now, double hours, bool back) =>
        Assert.Equal(back, Aside(1, 1).ComesBack(Gathered(now, null), hours));

    private static GatheredPattern Gathered(long count, RateShift? shift) =>
        new(null, count, 1, new long[7], 0, 0, [count], null, shift);
}
