using System.Text.Json;
using Dapper;
using Kumiko.Core.Intake.Formats;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Sources.Imports;

/// <summary>Imports as they are kept.</summary>
public sealed class ImportStore(AppDatabase database, TimeProvider clock)
{
    private const string Columns = """
        id AS Id, source AS Source, files AS Files, settings AS Settings, author AS Author, created AS Created,
        started AS Started, ended AS Ended, state AS State, bytes_read AS BytesRead, taken AS Taken, refused AS Refused, problem AS Problem
        """;

    private long Now => Instants.FromDateTime(clock.GetUtcNow());

    /// <summary>The latest imports, the newest first.</summary>
    public IReadOnlyList<Import> Latest(int most = 100)
    {
        using var connection = database.Database.Read();
        return
        [
            .. connection
                .Query<Row>($"SELECT {Columns} FROM import ORDER BY id DESC LIMIT @most", new { most })
                .Select(r => r.Import),
        ];
    }

    public Import? Find(long id)
    {
        using var connection = database.Database.Read();
        return connection.QuerySingleOrDefault<Row>($"SELECT {Columns} FROM import WHERE id = @id", new { id })?.Import;
    }

    /// <summary>Imports that are or were in the store and had a file of the same content.</summary>
    public IReadOnlyList<Import> WithFile(string mark, long except) =>
        [.. Latest(1_000).Where(i => i.Id != except && i.IsIn && i.Files.Any(f => f.Mark == mark))];

    /// <summary>Begins one.</summary>
    /// <returns>Its id.</returns>
    public Task<long> Create(string source, IReadOnlyList<ImportFile> files, FormatSettings? settings, string author) =>
        database.Database.Writer.Write(c =>
            c.ExecuteScalar<long>(
                """
                INSERT INTO import (source, files, settings, author, created, state)
                VALUES (@source, @files, @settings, @author, @Now, @state) RETURNING id
                """,
                new
                {
                    source,
                    files = JsonSerializer.Serialize(files),
                    settings = settings?.ToJson() ?? "",
                    author,
                    Now,
                    state = nameof(ImportState.Draft),
                }
            )
        );

    public Task Save(Import import) =>
        database.Database.Writer.Write(c =>
            c.Execute(
                """
                UPDATE import SET source = @Source, files = @files, settings = @settings, started = @Started, ended = @Ended,
                  state = @state, bytes_read = @BytesRead, taken = @Taken, refused = @Refused, problem = @Problem
                WHERE id = @Id
                """,
                new
                {
                    import.Id,
                    import.Source,
                    files = JsonSerializer.Serialize(import.Files),
                    settings = import.Settings?.ToJson() ?? "",
                    import.Started,
                    import.Ended,
                    state = import.State.ToString(),
                    import.BytesRead,
                    import.Taken,
                    import.Refused,
                    import.Problem,
                }
            )
        );

    /// <summary>Forgets a draft.</summary>
    public Task Forget(long id) =>
        database.Database.Writer.Write(c => c.Execute("DELETE FROM import WHERE id = @id AND state = 'Draft'", new { id }));

    private sealed class Row
    {
        public long Id { get; init; }
        public string Source { get; init; } = "";
        public string Files { get; init; } = "";
        public string Settings { get; init; } = "";
        public string Author { get; init; } = "";
        public long Created { get; init; }
        public long? Started { get; init; }
        public long? Ended { get; init; }
        public string State { get; init; } = "";
        public long BytesRead { get; init; }
        public long Taken { get; init; }
        public long Refused { get; init; }
        public string? Problem { get; init; }

        public Import Import =>
            new(
                Id,
                Source,
                JsonSerializer.Deserialize<ImportFile[]>(Files) ?? [],
                FormatSettings.FromJson(Settings),
                Author,
                Created
            )
            {
                State = Enum.Parse<ImportState>(State),
                Started = Started,
                Ended = Ended,
                BytesRead = BytesRead,
                Taken = Taken,
                Refused = Refused,
                Problem = Problem,
            };
    }
}
