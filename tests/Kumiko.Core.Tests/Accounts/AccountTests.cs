using Kumiko.Core.Accounts;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Tests.Accounts;

public sealed class AccountTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("kumiko-test-").FullName;
    private readonly AppDatabase _database;
    private readonly PeopleStore _people;
    private readonly TokenStore _tokens;

    public AccountTests()
    {
        _database = new AppDatabase(Path.Combine(_folder, "kumiko.db"));
        _people = new PeopleStore(_database, TimeProvider.System);
        _tokens = new TokenStore(_database, TimeProvider.System);
    }

    public void Dispose()
    {
        _database.Dispose();
        Directory.Delete(_folder, true);
    }

    [Fact]
    public async Task A_mail_address_belongs_to_one_person_in_any_case()
    {
        var ines = await _people.Add("Ines Halloran", "ines@skerryline.example", Role.Analyst, null);
        Assert.Null(await _people.Add("Somebody", "INES@skerryline.example", Role.Administrator, "x"));
        Assert.Equal(
            (ines!.Id, "Ines Halloran", Role.Analyst),
            (_people.FindByEmail("Ines@Skerryline.example")!.Id, ines.Name, ines.Role)
        );
        Assert.Single(_people.All());
    }

    [Fact]
    public async Task A_zone_is_kept_and_taken_back()
    {
        var ines = (await _people.Add("Ines Halloran", "ines@skerryline.example", Role.Analyst, null))!;
        await _people.SetZone(ines.Id, "Europe/Dublin");
        Assert.Equal("Europe/Dublin", _people.Find(ines.Id)!.Zone);
        await _people.SetZone(ines.Id, null);
        Assert.Null(_people.Find(ines.Id)!.Zone);
    }

    [Fact]
    public async Task A_token_opens_what_it_was_made_for()
    {
        var (intake, query) = (
            await _tokens.Create("quay", TokenPurpose.Intake),
            await _tokens.Create("report", TokenPurpose.Query)
        );
        Assert.Equal("quay", _tokens.Find(intake, TokenPurpose.Intake)?.Name);
        Assert.Null(_tokens.Find(intake, TokenPurpose.Query));
        Assert.Equal("report", _tokens.Find(query, TokenPurpose.Query)?.Name);
        Assert.Null(_tokens.Find(intake + "x", TokenPurpose.Intake));
        Assert.Null(_tokens.Find("", TokenPurpose.Intake));
        Assert.NotEqual(intake, await _tokens.Create("quay", TokenPurpose.Intake));
    }

    [Fact]
    public void A_folder_of_a_newer_version_is_refused_with_words()
    {
        var path = Path.Combine(_folder, "newer.db");
        using (new Database(path, "kumiko")) { }
        using (var connection = new Microsoft.Data.Sqlite.SqliteConnection("Data Source=" + path + ";Pooling=False"))
        {
            connection.Open();
            using var command = connection.CreateCommand();
            command.CommandText = "PRAGMA user_version = 99";
            command.ExecuteNonQuery();
        }
        Assert.Contains("newer Kumiko", Assert.Throws<InvalidOperationException>(() => new Database(path, "kumiko")).Message);
    }
}
