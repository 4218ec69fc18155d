using System.Collections.Concurrent;
using System.Net;
using Dapper;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Accounts;

/// <summary>Tokens by which programs send records or ask queries. Kept as hashes; read from memory.</summary>
public sealed class TokenStore(AppDatabase database, TimeProvider clock)
{
    private readonly ConcurrentDictionary<long, long> _used = new();
    private volatile IReadOnlyDictionary<string, Token>? _byHash;
    private int _version;

    private long Now => Instants.FromDateTime(clock.GetUtcNow());

    /// <summary>Makes a token and returns its text, which is shown this once.</summary>
    public Task<string> Create(string name, TokenPurpose purpose) => Create(new TokenWish(name, purpose));

    /// <inheritdoc cref="Create(string, TokenPurpose)"/>
    public async Task<string> Create(TokenWish wish)
    {
        var text = "kumiko_" + Secrets.New();
        await database.Database.Writer.Write(connection =>
            connection.Execute(
                "INSERT INTO token (name, purpose, hash, created, protocol, rate, sources, addresses, author, format) VALUES (@Name, @purpose, @hash, @Now, @Protocol, @Rate, @sources, @addresses, @Author, @Format)",
                new
                {
                    wish.Name,
                    purpose = Name(wish.Purpose),
                    hash = Secrets.Hash(text),
                    Now,
                    wish.Protocol,
                    wish.Rate,
                    sources = string.Join('\n', wish.Sources),
                    addresses = string.Join('\n', wish.Addresses),
                    wish.Author,
                    wish.Format,
                }
            )
        );
        Changed();
        return text;
    }

    /// <summary>The token behind a text that is good for a purpose and not revoked, or null. Its use is noted.</summary>
    public Token? Find(string text, TokenPurpose purpose)
    {
        if (!ByHash().TryGetValue(Secrets.Hash(text), out var token) || token.Purpose != purpose || token.Revoked is not null)
            return null;
        Touch(token);
        return token;
    }

    /// <summary>The sender that is known by its address: the one with the narrowest range that holds it.</summary>
    public Token? FindSender(IPAddress address)
    {
        if (address.IsIPv4MappedToIPv6)
            address = address.MapToIPv4();
        return ByHash()
            .Values.Where(t => t is { Purpose: TokenPurpose.Intake, Revoked: null })
            .SelectMany(t => t.Addresses.Where(a => a.Contains(address)).Select(a => (Token: t, a.PrefixLength)))
            .OrderByDescending(f => f.PrefixLength)
            .ThenBy(f => f.Token.Id)
            .FirstOrDefault()
            .Token;
    }

    /// <summary>Whether a token still works.</summary>
    public bool IsGood(long id) => ByHash().Values.Any(t => t.Id == id && t.Revoked is null);

    /// <summary>Notes that a token was used now.</summary>
    public void Touch(Token token) => _used[token.Id] = Now;

    /// <summary>All tokens, the newest first, revoked ones too.</summary>
    public IReadOnlyList<Token> All() =>
        [
            .. ByHash()
                .Values.Select(t => _used.TryGetValue(t.Id, out var used) ? t with { Used = used } : t)
                .OrderByDescending(t => t.Id),
        ];

    /// <summary>Ends a token at once, for good.</summary>
    /// <returns>False where there is none of this id that still works.</returns>
    public async Task<bool> Revoke(long id)
    {
        var changed = await database.Database.Writer.Write(c =>
            c.Execute("UPDATE token SET revoked = @Now WHERE id = @id AND revoked IS NULL", new { id, Now })
        );
        Changed();
        return changed > 0;
    }

    /// <summary>Writes down when tokens were last used.</summary>
    public Task Save()
    {
        var used = _used.Select(u => new { Id = u.Key, At = u.Value }).ToList();
        return used.Count == 0
            ? Task.CompletedTask
            : database.Database.Writer.Write(c => c.Execute("UPDATE token SET used = @At WHERE id = @Id", used));
    }

    private void Changed()
    {
        Interlocked.Increment(ref _version);
        _byHash = null;
    }

    private IReadOnlyDictionary<string, Token> ByHash()
    {
        if (_byHash is { } known)
            return known;
        var version = Volatile.Read(ref _version);
        using var connection = database.Database.Read();
        var all = connection
            .Query<Row>(
                "SELECT id AS Id, name AS Name, purpose AS Purpose, hash AS Hash, protocol AS Protocol, rate AS Rate, sources AS Sources, addresses AS Addresses, author AS Author, created AS Created, used AS Used, revoked AS Revoked, format AS Format FROM token"
            )
            .ToDictionary(
                r => r.Hash,
                r => new Token(
                    r.Id,
                    r.Name,
                    Enum.Parse<TokenPurpose>(r.Purpose, ignoreCase: true),
                    r.Protocol,
                    r.Rate,
                    Lines(r.Sources),
                    [.. Lines(r.Addresses).Select(a => IPNetwork.Parse(a))],
                    r.Author,
                    r.Created,
                    r.Used,
                    r.Revoked
                )
                {
                    Format = r.Format,
                },
                StringComparer.Ordinal
            );
        // What was read before a change must not be remembered after it.
        if (version == Volatile.Read(ref _version))
            _byHash = all;
        return all;
    }

    private static string[] Lines(string text) => text.Split('\n', StringSplitOptions.RemoveEmptyEntries);

    private static string Name(TokenPurpose purpose) => purpose.ToString().ToLowerInvariant();

    private sealed class Row
    {
        public long Id { get; init; }
        public string Name { get; init; } = "";
        public string Purpose { get; init; } = "";
        public string Hash { get; init; } = "";
        public string Protocol { get; init; } = "";
        public long? Rate { get; init; }
        public string Sources { get; init; } = "";
        public string Addresses { get; init; } = "";
        public string Author { get; init; } = "";
        public long Created { get; init; }
        public long? Used { get; init; }
        public long? Revoked { get; init; }
        public string Format { get; init; } = "";
    }
}
