using System.Collections.Concurrent;
using Dapper;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Accounts;

/// <summary>Somebody signed in at one browser.</summary>
/// <param name="Id">Tells it from others; no secret.</param>
/// <param name="Seen">When it was last used, UTC nanoseconds.</param>
/// <param name="Browser">What the browser calls itself.</param>
/// <param name="Wrong">Wrong passwords that came before it, since the sign-in before.</param>
public sealed record Session(string Id, long Person, long Created, long Seen, string Address, string Browser, FailedTries Wrong);

/// <summary>Who is signed in where. Looked at on each request, so all of it is in memory; what ends here ends at once.</summary>
public sealed class SessionStore
{
    private const int LongestBrowser = 200;

    /// <summary>A browser that is not seen for so long has to sign in again, and any after so long.</summary>
    public static readonly long IdleFor = 14 * Instants.Day;
    public static readonly long LastsFor = 90 * Instants.Day;

    private readonly AppDatabase _database;
    private readonly TimeProvider _clock;
    private readonly ConcurrentDictionary<string, Session> _all;

    public SessionStore(AppDatabase database, TimeProvider clock)
    {
        (_database, _clock) = (database, clock);
        using var connection = database.Database.Read();
        _all = new(
            connection
                .Query<Row>(
                    "SELECT hash AS Hash, person AS Person, created AS Created, seen AS Seen, address AS Address, browser AS Browser, wrong AS Wrong, wrong_at AS WrongAt, wrong_from AS WrongFrom FROM session"
                )
                .Select(r =>
                    KeyValuePair.Create(
                        r.Hash,
                        new Session(
                            r.Hash,
                            r.Person,
                            r.Created,
                            r.Seen,
                            r.Address,
                            r.Browser,
                            new FailedTries(r.Wrong, r.WrongAt, r.WrongFrom)
                        )
                    )
                )
        );
    }

    private long Now => Instants.FromDateTime(_clock.GetUtcNow());

    /// <summary>Begins a session; the answer is the secret that the browser holds.</summary>
    public async Task<string> Begin(Person person, string address, string browser)
    {
        var secret = Secrets.New();
        var session = new Session(
            Secrets.Hash(secret),
            person.Id,
            Now,
            Now,
            address,
            browser.Length > LongestBrowser ? browser[..LongestBrowser] : browser,
            person.Wrong
        );
        try
        {
            await _database.Database.Writer.Write(c =>
                c.Execute(
                    "INSERT INTO session (hash, person, created, seen, address, browser, wrong, wrong_at, wrong_from) VALUES (@Id, @Person, @Created, @Seen, @Address, @Browser, @Count, @At, @From)",
                    new
                    {
                        session.Id,
                        session.Person,
                        session.Created,
                        session.Seen,
                        session.Address,
                        session.Browser,
                        session.Wrong.Count,
                        session.Wrong.At,
                        session.Wrong.From,
                    }
                )
            );
        }
        // Whoever is to free the disk has to get in; the session is gone with the process.
        catch (DiskFullException) { }
        _all[session.Id] = session;
        return secret;
    }

    /// <summary>The session of a secret, which is now seen; null where it ended.</summary>
    public Session? Find(string secret)
    {
        var (id, now) = (Secrets.Hash(secret), Now);
        if (!_all.TryGetValue(id, out var session) || IsOver(session, now))
            return null;
        var seen = session with { Seen = now };
        // Where it ends meanwhile it stays ended.
        return _all.TryUpdate(id, seen, session) || _all.ContainsKey(id) ? seen : null;
    }

    /// <summary>Where somebody is signed in, the latest seen first.</summary>
    public IReadOnlyList<Session> Of(long person) =>
        [.. _all.Values.Where(s => s.Person == person && !IsOver(s, Now)).OrderByDescending(s => s.Seen)];

    private static bool IsOver(Session session, long now) => now - session.Seen > IdleFor || now - session.Created > LastsFor;

    /// <summary>Ends the session of a secret.</summary>
    public Task EndSecret(string secret) => End([Secrets.Hash(secret)]);

    /// <summary>Ends one session of a person by its id.</summary>
    public Task End(long person, string id) =>
        _all.TryGetValue(id, out var session) && session.Person == person ? End([id]) : Task.CompletedTask;

    /// <summary>Ends all sessions of a person.</summary>
    /// <param name="except">The id of one that stays; null for none.</param>
    public Task EndAll(long person, string? except = null) =>
        End([.. _all.Values.Where(s => s.Person == person && s.Id != except).Select(s => s.Id)]);

    private Task End(IReadOnlyList<string> ids)
    {
        foreach (var id in ids)
            _all.TryRemove(id, out _);
        return ids.Count == 0
            ? Task.CompletedTask
            : _database.Database.Writer.Write(c =>
                c.Execute("DELETE FROM session WHERE hash = @id", ids.Select(id => new { id }))
            );
    }

    /// <summary>Writes down when sessions were last seen, and forgets those that are over.</summary>
    public async Task Save()
    {
        var now = Now;
        await End([.. _all.Values.Where(s => IsOver(s, now)).Select(s => s.Id)]);
        var seen = _all.Values.Select(s => new { s.Id, s.Seen }).ToList();
        if (seen.Count > 0)
            await _database.Database.Writer.Write(c =>
                c.Execute("UPDATE session SET seen = @Seen WHERE hash = @Id AND seen < @Seen", seen)
            );
    }

    private sealed class Row
    {
        public string Hash { get; init; } = "";
        public long Person { get; init; }
        public long Created { get; init; }
        public long Seen { get; init; }
        public string Address { get; init; } = "";
        public string Browser { get; init; } = "";
        public long Wrong { get; init; }
        public long? WrongAt { get; init; }
        public string? WrongFrom { get; init; }
    }
}
