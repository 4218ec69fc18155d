using Dapper;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Patterns;

/// <summary>Names that people give to patterns, and patterns that they put aside.</summary>
public sealed class PatternNoteStore(AppDatabase database, TimeProvider clock)
{
    /// <summary>What a person finds put aside, by themselves or for everybody, and not ended; the latest first.</summary>
    public IReadOnlyList<PatternAside> Aside(long person)
    {
        using var connection = database.Database.Read();
        return
        [
            .. connection.Query<PatternAside>(
                "SELECT a.pattern AS Pattern, a.person AS Person, a.reason AS Reason, a.until AS Until, a.hourly AS Hourly, a.author AS Author, p.name AS AuthorName, a.created AS Created FROM pattern_aside a JOIN person p ON p.id = a.author WHERE a.person IN (0, @person) AND (a.until IS NULL OR a.until > @now) ORDER BY a.created DESC, a.pattern",
                new { person, now = Now() }
            ),
        ];
    }

    /// <summary>Puts patterns aside; one that was already gets the new reason and end.</summary>
    public Task<int> PutAside(IEnumerable<PatternAside> patterns) =>
        database.Database.Writer.Write(connection =>
            patterns.Sum(aside =>
                connection.Execute(
                    "INSERT INTO pattern_aside (pattern, person, reason, until, hourly, author, created) VALUES (@Pattern, @Person, @Reason, @Until, @Hourly, @Author, @now) ON CONFLICT (pattern, person) DO UPDATE SET reason = @Reason, until = @Until, hourly = @Hourly, author = @Author, created = @now",
                    new
                    {
                        aside.Pattern,
                        aside.Person,
                        aside.Reason,
                        aside.Until,
                        aside.Hourly,
                        aside.Author,
                        now = Now(),
                    }
                )
            )
        );

    /// <summary>Brings a pattern back.</summary>
    /// <param name="pattern">Its id as it was put aside.</param>
    /// <param name="person">Whom for; 0 for everybody.</param>
    public async Task<bool> BringBack(string pattern, long person) =>
        await database.Database.Writer.Write(connection =>
            connection.Execute("DELETE FROM pattern_aside WHERE pattern = @pattern AND person = @person", new { pattern, person })
        ) > 0;

    /// <summary>The names that a person knows patterns by; their own hide those that everybody uses.</summary>
    public IReadOnlyList<PatternCalled> Called(long person)
    {
        using var connection = database.Database.Read();
        return
        [
            .. connection
                .Query<PatternCalled>(
                    "SELECT c.pattern AS Pattern, c.person AS Person, c.name AS Name, c.author AS Author, p.name AS AuthorName FROM pattern_called c JOIN person p ON p.id = c.author WHERE c.person IN (0, @person) ORDER BY c.person DESC, c.name COLLATE NOCASE",
                    new { person }
                )
                .DistinctBy(c => c.Pattern),
        ];
    }

    /// <summary>Gives a pattern a name; an empty one takes it away.</summary>
    /// <param name="person">Whom for; 0 for everybody.</param>
    public Task<int> Call(string pattern, long person, string name, long author) =>
        database.Database.Writer.Write(connection =>
            name.Length == 0
                ? connection.Execute(
                    "DELETE FROM pattern_called WHERE pattern = @pattern AND person = @person",
                    new { pattern, person }
                )
                : connection.Execute(
                    "INSERT INTO pattern_called (pattern, person, name, author, changed) VALUES (@pattern, @person, @name, @author, @now) ON CONFLICT (pattern, person) DO UPDATE SET name = @name, author = @author, changed = @now",
                    new
                    {
                        pattern,
                        person,
                        name,
                        author,
                        now = Now(),
                    }
                )
        );

    private long Now() => Instants.FromDateTime(clock.GetUtcNow());
}
