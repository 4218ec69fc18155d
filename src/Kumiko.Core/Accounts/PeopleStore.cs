using System.Security.Cryptography;
using System.Text;
using Dapper;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Accounts;

/// <summary>What a person may do: look; search and keep; and run Kumiko.</summary>
public enum Role
{
    Viewer,
    Analyst,
    Administrator,
}

/// <summary>Somebody with an account.</summary>
public sealed class Person
{
    public long Id { get; init; }
    public string Name { get; init; } = "";
    public string Email { get; init; } = "";
    public Role Role { get; init; }

    /// <summary>A salted hash; null where the account has no password of its own.</summary>
    public string? Password { get; init; }

    /// <summary>The time zone they chose; null for the browser's.</summary>
    public string? Zone { get; init; }
}

/// <summary>People and the one-time links by which new ones arrive.</summary>
public sealed class PeopleStore(KeptDatabase kept, TimeProvider clock)
{
    private const string Columns = "id AS Id, name AS Name, email AS Email, role AS Role, password AS Password, zone AS Zone";

    public IReadOnlyList<Person> All()
    {
        using var connection = kept.Database.Read();
        return [.. connection.Query<Person>($"SELECT {Columns} FROM person ORDER BY name")];
    }

    public Person? Find(long id)
    {
        using var connection = kept.Database.Read();
        return connection.QuerySingleOrDefault<Person>($"SELECT {Columns} FROM person WHERE id = @id", new { id });
    }

    public Person? FindByEmail(string email)
    {
        using var connection = kept.Database.Read();
        return connection.QuerySingleOrDefault<Person>($"SELECT {Columns} FROM person WHERE email = @email", new { email });
    }

    /// <summary>Adds a person; null where somebody has this address already.</summary>
    public async Task<Person?> Add(string name, string email, Role role, string? password)
    {
        var id = await kept.Database.Writer.Write(connection => connection.ExecuteScalar<long?>(
            "INSERT INTO person (name, email, role, password, created) VALUES (@name, @email, @role, @password, @now) ON CONFLICT (email) DO NOTHING RETURNING id",
            new { name, email, role = Name(role), password, now = Now() }));
        return id is null ? null : Find(id.Value);
    }

    public Task<int> SetZone(long id, string? zone) =>
        kept.Database.Writer.Write(connection => connection.Execute("UPDATE person SET zone = @zone WHERE id = @id", new { id, zone }));

    /// <summary>Makes a secret that lets one person in with a role, once.</summary>
    public async Task<string> Invite(Role role)
    {
        var secret = Secrets.New();
        await kept.Database.Writer.Write(connection => connection.Execute(
            "INSERT INTO invitation (hash, role, created) VALUES (@hash, @role, @now)", new { hash = Secrets.Hash(secret), role = Name(role), now = Now() }));
        return secret;
    }

    public bool IsInvited(string secret)
    {
        using var connection = kept.Database.Read();
        return connection.ExecuteScalar<long>("SELECT COUNT(*) FROM invitation WHERE hash = @hash AND used IS NULL", new { hash = Secrets.Hash(secret) }) > 0;
    }

    /// <summary>Uses an invitation up and adds the person; null where it was used or never made, or the address is taken.</summary>
    public async Task<Person?> Accept(string secret, string name, string email, string password)
    {
        var id = await kept.Database.Writer.Write(connection =>
        {
            var role = connection.ExecuteScalar<string?>("UPDATE invitation SET used = @now WHERE hash = @hash AND used IS NULL RETURNING role", new { hash = Secrets.Hash(secret), now = Now() });
            return role is null ? null : connection.ExecuteScalar<long?>(
                "INSERT INTO person (name, email, role, password, created) VALUES (@name, @email, @role, @password, @now) RETURNING id",
                new { name, email, role, password, now = Now() });
        });
        return id is null ? null : Find(id.Value);
    }

    private long Now() => Instants.FromDateTime(clock.GetUtcNow());
    private static string Name(Role role) => role.ToString().ToLowerInvariant();
}

/// <summary>Random secrets, of which only a hash is kept.</summary>
internal static class Secrets
{
    /// <summary>32 random bytes in URL-safe Base64.</summary>
    public static string New() => System.Buffers.Text.Base64Url.EncodeToString(RandomNumberGenerator.GetBytes(32));

    public static string Hash(string secret) => Convert.ToHexString(SHA256.HashData(Encoding.UTF8.GetBytes(secret)));
}
