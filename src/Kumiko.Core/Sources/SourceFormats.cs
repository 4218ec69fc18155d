using System.Collections.Concurrent;
using Dapper;
using Kumiko.Core.Intake.Formats;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Sources;

/// <summary>
/// How the lines of each source are read that come in without their format: told from the first of them, and kept; what a
/// person says counts from then on.
/// </summary>
public sealed class SourceFormats
{
    /// <summary>Told from fewer lines, it is looked at again.</summary>
    private const int Sure = 20;
    private const int MostSources = 20_000;

    private readonly AppDatabase _database;
    private readonly TimeProvider _clock;
    private readonly ConcurrentDictionary<string, FormatSettings> _known = new(StringComparer.Ordinal);

    public SourceFormats(AppDatabase database, TimeProvider clock)
    {
        (_database, _clock) = (database, clock);
        using var connection = database.Database.Read();
        foreach (var row in connection.Query<Row>("SELECT source AS Source, settings AS Settings FROM source_format"))
            if (FormatSettings.FromJson(row.Settings) is { } settings && FormatList.Find(settings.Format) is not null)
                _known[row.Source] = settings;
    }

    /// <summary>How a source's lines are read; null where none came yet.</summary>
    public FormatSettings? Find(string source) => _known.GetValueOrDefault(source);

    /// <summary>How lines of a source are to be read that begin so.</summary>
    public async Task<FormatSettings> Of(string source, ReadOnlyMemory<byte> start, bool isWhole)
    {
        var known = Find(source);
        if (known is not null && (known.IsCorrected || known.SeenLines >= Sure))
            return known;
        var now = Instants.FromDateTime(_clock.GetUtcNow());
        var sample = SampleText.Of(start.Span, now, isWhole);
        if (sample.Lines.Count == 0 || (known is not null && sample.Lines.Count <= known.SeenLines))
            return known ?? new FormatSettings("text");
        var guess = FormatGuess.Live(sample);
        if (_known.Count < MostSources || known is not null)
            await Save(source, guess);
        return guess;
    }

    /// <summary>The settings of a format that a sender named.</summary>
    public FormatSettings Complete(string format, ReadOnlyMemory<byte> start, bool isWhole)
    {
        var sample = SampleText.Of(start.Span, Instants.FromDateTime(_clock.GetUtcNow()), isWhole);
        return FormatGuess.Complete(sample, new FormatSettings(format) { IsLive = true });
    }

    /// <summary>Says how a source's lines are to be read from now on.</summary>
    public Task Correct(string source, FormatSettings settings) => Save(source, settings with { IsCorrected = true });

    /// <summary>Forgets what is known, so that it is told again from the next lines.</summary>
    public async Task Forget(string source)
    {
        await _database.Database.Writer.Write(c =>
            c.Execute("DELETE FROM source_format WHERE source = @source", new { source })
        );
        _known.TryRemove(source, out _);
    }

    private async Task Save(string source, FormatSettings settings)
    {
        await _database.Database.Writer.Write(c =>
            c.Execute(
                "INSERT OR REPLACE INTO source_format (source, settings, changed) VALUES (@source, @json, @now)",
                new
                {
                    source,
                    json = settings.ToJson(),
                    now = Instants.FromDateTime(_clock.GetUtcNow()),
                }
            )
        );
        _known[source] = settings;
    }

    private sealed class Row
    {
        public string Source { get; init; } = "";
        public string Settings { get; init; } = "";
    }
}
