using Dapper;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Microsoft.Data.Sqlite;

namespace Kumiko.Core.Accounts;

/// <summary>One-time links: of the first administrator, of people who are invited, of people who set a new password.</summary>
public sealed class LinkStore(AppDatabase database, TimeProvider clock, PeopleStore people)
{
    private static readonly long InvitedFor = 7 * Instants.Day;
    private static readonly long OtherFor = Instants.Day;

    // A first administrator's link is worth nothing once there is an administrator.
    private const string Works = """
        used IS NULL AND expires > @now AND (kind <> 'first' OR NOT EXISTS (SELECT 1 FROM person WHERE role = 'administrator' AND removed IS NULL))
        AND (person IS NULL OR EXISTS (SELECT 1 FROM person WHERE person.id = invitation.person AND removed IS NULL))
        """;

    private const string Columns =
        "hash AS Hash, kind AS Kind, role AS Role, person AS Person, email AS Email, author AS Author, created AS Created, expires AS Expires";

    private long Now => Instants.FromDateTime(clock.GetUtcNow());

    /// <summary>A link by which the first administrator makes an account, for a day; earlier ones end.</summary>
    public Task<string> First() => Make(LinkKind.First, Role.Administrator, null, "", "", OtherFor);

    /// <summary>A link by which somebody makes an account, for a week.</summary>
    public Task<string> Invite(Role role, string email, string author) =>
        Make(LinkKind.Invited, role, null, email, author, InvitedFor);

    /// <summary>A link by which somebody sets a new password, for a day; earlier ones of theirs end.</summary>
    public Task<string> Reset(Person person, string author) =>
        Make(LinkKind.Reset, person.Role, person.Id, person.Email, author, OtherFor);

    private async Task<string> Make(LinkKind kind, Role role, long? person, string email, string author, long lasts)
    {
        var secret = Secrets.New();
        var now = Now;
        await database.Database.Writer.Write(connection =>
        {
            if (kind != LinkKind.Invited)
                connection.Execute(
                    "DELETE FROM invitation WHERE used IS NULL AND kind = @kind AND person IS @person",
                    new { kind = NameOf(kind), person }
                );
            // One address is invited once at a time.
            else if (email.Length > 0)
                connection.Execute(
                    "DELETE FROM invitation WHERE used IS NULL AND kind = 'invited' AND email = @email COLLATE NOCASE",
                    new { email }
                );
            return connection.Execute(
                "INSERT INTO invitation (hash, role, created, kind, person, email, author, expires) VALUES (@hash, @role, @now, @kind, @person, @email, @author, @expires)",
                new
                {
                    hash = Secrets.Hash(secret),
                    role = PeopleStore.NameOf(role),
                    now,
                    kind = NameOf(kind),
                    person,
                    email,
                    author,
                    expires = now + lasts,
                }
            );
        });
        return secret;
    }

    /// <summary>The link of a secret; null where it was used, is too old, was taken back or never made.</summary>
    public OneTimeLink? Find(string secret)
    {
        using var connection = database.Database.Read();
        return connection
            .QuerySingleOrDefault<Row>(
                $"SELECT {Columns} FROM invitation WHERE hash = @hash AND {Works}",
                new { hash = Secrets.Hash(secret), now = Now }
            )
            ?.Link;
    }

    /// <summary>Links of invited people that still work, the newest first.</summary>
    public IReadOnlyList<OneTimeLink> Invited()
    {
        using var connection = database.Database.Read();
        return
        [
            .. connection
                .Query<Row>(
                    $"SELECT {Columns} FROM invitation WHERE kind = 'invited' AND {Works} ORDER BY created DESC",
                    new { now = Now }
                )
                .Select(r => r.Link),
        ];
    }

    /// <summary>Takes an invitation back.</summary>
    public Task<int> TakeBack(string hash) =>
        database.Database.Writer.Write(c =>
            c.Execute("DELETE FROM invitation WHERE hash = @hash AND used IS NULL", new { hash })
        );

    /// <summary>Uses a link up and adds the person; null where it does not work, or the address is taken.</summary>
    public async Task<Person?> Accept(string secret, string name, string email, string password)
    {
        var now = Now;
        var id = await database.Database.Writer.Write(connection =>
        {
            // A link is not used up for an address that somebody has.
            if (connection.ExecuteScalar<long>("SELECT COUNT(*) FROM person WHERE email = @email", new { email }) > 0)
                return null;
            if (Use(connection, secret, isReset: false, now) is not { } link)
                return null;
            return PeopleStore.Insert(connection, name, email, link.Role, password, now);
        });
        people.Changed();
        return id is null ? null : people.Find(id.Value);
    }

    /// <summary>Uses a link up and sets the password; null where it does not work.</summary>
    public async Task<Person?> AcceptReset(string secret, string password)
    {
        var now = Now;
        var id = await database.Database.Writer.Write(connection =>
        {
            if (Use(connection, secret, isReset: true, now) is not { Person: { } person })
                return null;
            connection.Execute("UPDATE person SET password = @password, off = NULL WHERE id = @person", new { password, person });
            return (long?)person;
        });
        people.Changed();
        return id is null ? null : people.Find(id.Value);
    }

    private static OneTimeLink? Use(SqliteConnection connection, string secret, bool isReset, long now) =>
        connection
            .QuerySingleOrDefault<Row>(
                $"UPDATE invitation SET used = @now WHERE hash = @hash AND (kind = 'reset') = @isReset AND {Works} RETURNING {Columns}",
                new
                {
                    hash = Secrets.Hash(secret),
                    isReset,
                    now,
                }
            )
            ?.Link;

    private static string NameOf(LinkKind kind) => kind.ToString().ToLowerInvariant();

    private sealed class Row
    {
        public string Hash { get; init; } = "";
        public string Kind { get; init; } = "";
        public string Role { get; init; } = "";
        public long? Person { get; init; }
        public string Email { get; init; } = "";
        public string Author { get; init; } = "";
        public long Created { get; init; }
        public long Expires { get; init; }

        public OneTimeLink Link =>
            new(
                Enum.Parse<LinkKind>(Kind, ignoreCase: true),
                Enum.Parse<Role>(Role, ignoreCase: true),
                Person,
                Email,
                Author,
                Created,
                Expires
            )
            {
                Hash = Hash,
            };
    }
}
