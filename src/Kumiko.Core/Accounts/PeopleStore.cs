using Dapper;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Microsoft.Data.Sqlite;

namespace Kumiko.Core.Accounts;

/// <summary>People. Read from memory, as each request asks who it is from and what they may.</summary>
public sealed class PeopleStore(AppDatabase database, TimeProvider clock)
{
    private const string Administrators =
        "SELECT COUNT(*) FROM person WHERE role = 'administrator' AND off IS NULL AND removed IS NULL";

    private readonly Lock _lock = new();
    private IReadOnlyDictionary<long, Person>? _byId;
    private int _version;

    /// <summary>All who have an account, switched off or not, by name.</summary>
    public IReadOnlyList<Person> All() =>
        [.. ById().Values.Where(p => p.Removed is null).OrderBy(p => p.Name, StringComparer.CurrentCulture)];

    /// <summary>Somebody by number, removed ones too, as what they wrote keeps their name.</summary>
    public Person? Find(long id) => ById().GetValueOrDefault(id);

    public Person? FindByEmail(string email) =>
        ById().Values.FirstOrDefault(p => p.Removed is null && string.Equals(p.Email, email, StringComparison.OrdinalIgnoreCase));

    /// <summary>Adds a person; null where somebody has this address already.</summary>
    public async Task<Person?> Add(string name, string email, Role role, string? password)
    {
        var now = Now;
        var id = await database.Database.Writer.Write(connection => Insert(connection, name, email, role, password, now));
        Changed();
        return id is null ? null : Find(id.Value);
    }

    internal static long? Insert(SqliteConnection connection, string name, string email, Role role, string? password, long now) =>
        connection.ExecuteScalar<long?>(
            "INSERT INTO person (name, email, role, password, created) VALUES (@name, @email, @role, @password, @now) ON CONFLICT (email) DO NOTHING RETURNING id",
            new
            {
                name,
                email,
                role = NameOf(role),
                password,
                now,
            }
        );

    public Task SetName(long id, string name) => Update("name = @value", id, name);

    public Task SetZone(long id, string? zone) => Update("zone = @value", id, zone);

    public Task SetTheme(long id, string? theme) => Update("theme = @value", id, theme);

    public Task SetPassword(long id, string hash) => Update("password = @value", id, hash);

    /// <summary>Changes what somebody may do; false where that would leave no administrator.</summary>
    public Task<bool> SetRole(long id, Role role) =>
        UnlessLast("UPDATE person SET role = @role WHERE id = @id", id, new { id, role = NameOf(role) });

    /// <summary>Lets somebody in no more; false where nobody would be left to run Kumiko.</summary>
    public Task<bool> SwitchOff(long id) =>
        UnlessLast("UPDATE person SET off = @now WHERE id = @id AND off IS NULL", id, new { id, now = Now });

    public Task SwitchOn(long id) => Update("off = @value", id, null);

    /// <summary>Takes somebody off the lists and frees their address; false where nobody would be left to run Kumiko.</summary>
    public Task<bool> Remove(long id) =>
        UnlessLast(
            "UPDATE person SET removed = @now, password = NULL, email = 'removed ' || id WHERE id = @id",
            id,
            new { id, now = Now }
        );

    /// <summary>Notes a wrong password. On a full disk it is not noted, and signing in goes on.</summary>
    public Task TriedWrong(long id, string from) =>
        UnlessFull(c =>
            c.Execute(
                "UPDATE person SET wrong = wrong + 1, wrong_at = @now, wrong_from = @from WHERE id = @id",
                new
                {
                    id,
                    from,
                    now = Now,
                }
            )
        );

    /// <summary>Forgets the wrong passwords: they were told.</summary>
    public Task ForgetWrong(long id) =>
        UnlessFull(c => c.Execute("UPDATE person SET wrong = 0, wrong_at = NULL, wrong_from = NULL WHERE id = @id", new { id }));

    private Task Update(string assignment, long id, string? value) =>
        Changing(c => c.Execute($"UPDATE person SET {assignment} WHERE id = @id", new { id, value }));

    /// <summary>Of two that are done at once, the second sees what the first did: there is one writer.</summary>
    private async Task<bool> UnlessLast(string sql, long id, object parameters) =>
        await Changing(connection =>
        {
            var before = connection.ExecuteScalar<long>(Administrators);
            using var transaction = new Undo(connection);
            connection.Execute(sql, parameters);
            if (before > 0 && connection.ExecuteScalar<long>(Administrators) == 0)
                return false;
            transaction.Keep();
            return true;
        });

    /// <summary>What is done within it is undone unless it is kept.</summary>
    private sealed class Undo : IDisposable
    {
        private readonly SqliteConnection _connection;
        private bool _kept;

        public Undo(SqliteConnection connection)
        {
            _connection = connection;
            connection.Execute("SAVEPOINT undo");
        }

        public void Keep() => _kept = true;

        public void Dispose() => _connection.Execute(_kept ? "RELEASE undo" : "ROLLBACK TO undo; RELEASE undo");
    }

    private async Task UnlessFull(Func<SqliteConnection, int> change)
    {
        try
        {
            await Changing(change);
        }
        catch (DiskFullException)
        { /* as its caller says */
        }
    }

    private async Task<T> Changing<T>(Func<SqliteConnection, T> change)
    {
        var result = await database.Database.Writer.Write(change);
        Changed();
        return result;
    }

    private long Now => Instants.FromDateTime(clock.GetUtcNow());

    internal static string NameOf(Role role) => role.ToString().ToLowerInvariant();

    internal void Changed()
    {
        lock (_lock)
        {
            _version++;
            _byId = null;
        }
    }

    private IReadOnlyDictionary<long, Person> ById()
    {
        int version;
        lock (_lock)
        {
            if (_byId is { } known)
                return known;
            version = _version;
        }
        using var connection = database.Database.Read();
        var all = connection
            .Query<Row>(
                "SELECT id AS Id, name AS Name, email AS Email, role AS Role, password AS Password, zone AS Zone, theme AS Theme, off AS Off, removed AS Removed, wrong AS Wrong, wrong_at AS WrongAt, wrong_from AS WrongFrom FROM person"
            )
            .Select(r => new Person
            {
                Id = r.Id,
                Name = r.Name,
                Email = r.Email,
                Role = Enum.Parse<Role>(r.Role, ignoreCase: true),
                Password = r.Password,
                Zone = r.Zone,
                Theme = r.Theme,
                Off = r.Off,
                Removed = r.Removed,
                Wrong = new FailedTries(r.Wrong, r.WrongAt, r.WrongFrom),
            })
            .ToDictionary(p => p.Id);
        // What was read before a change must not be remembered after it.
        lock (_lock)
            if (version == _version)
                _byId = all;
        return all;
    }

    private sealed class Row
    {
        public long Id { get; init; }
        public string Name { get; init; } = "";
        public string Email { get; init; } = "";
        public string Role { get; init; } = "";
        public string? Password { get; init; }
        public string? Zone { get; init; }
        public string? Theme { get; init; }
        public long? Off { get; init; }
        public long? Removed { get; init; }
        public long Wrong { get; init; }
        public long? WrongAt { get; init; }
        public string? WrongFrom { get; init; }
    }
}
