using Dapper;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Accounts;

/// <summary>What a token opens.</summary>
public enum TokenPurpose
{
    Intake,
    Query,
}

/// <summary>Tokens by which programs send records or ask queries. Kept as hashes.</summary>
public sealed class TokenStore(KeptDatabase kept, TimeProvider clock)
{
    /// <summary>Makes a token and returns its text, which is shown this once.</summary>
    public async Task<string> Create(string name, TokenPurpose purpose)
    {
        var text = "kumiko_" + Secrets.New();
        await kept.Database.Writer.Write(connection => connection.Execute(
            "INSERT INTO token (name, purpose, hash, created) VALUES (@name, @purpose, @hash, @now)",
            new { name, purpose = Name(purpose), hash = Secrets.Hash(text), now = Instants.FromDateTime(clock.GetUtcNow()) }));
        return text;
    }

    /// <summary>The name of a token that is good for a purpose, or null.</summary>
    public string? Find(string text, TokenPurpose purpose)
    {
        using var connection = kept.Database.Read();
        return connection.ExecuteScalar<string?>("SELECT name FROM token WHERE hash = @hash AND purpose = @purpose", new { hash = Secrets.Hash(text), purpose = Name(purpose) });
    }

    private static string Name(TokenPurpose purpose) => purpose.ToString().ToLowerInvariant();
}
