using System.Collections.Concurrent;
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

    /// <summary>Of so many sources the latest lines are held, to show how they read.</summary>
    private const int MostSamples = 200;
    private const int SampleBytes = 16 * 1024;

    private readonly SourceFormatStore _store;
    private readonly TimeProvider _clock;
    private readonly ConcurrentDictionary<string, FormatSettings> _known = new(StringComparer.Ordinal);
    private readonly ConcurrentDictionary<string, byte[]> _samples = new(StringComparer.Ordinal);

    public SourceFormats(AppDatabase database, TimeProvider clock)
    {
        (_store, _clock) = (new SourceFormatStore(database), clock);
        foreach (var (source, settings) in _store.All())
            _known[source] = settings;
    }

    /// <summary>How a source's lines are read; null where none came yet.</summary>
    public FormatSettings? Find(string source) => _known.GetValueOrDefault(source);

    /// <summary>The latest lines of a source since the server started; null where none came.</summary>
    public byte[]? Sample(string source) => _samples.GetValueOrDefault(source);

    /// <summary>How lines of a source are to be read that begin so.</summary>
    public async Task<FormatSettings> Of(string source, ReadOnlyMemory<byte> start, bool isWhole)
    {
        if (_samples.Count < MostSamples || _samples.ContainsKey(source))
            _samples[source] = start[..Math.Min(start.Length, SampleBytes)].ToArray();
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
        await _store.Forget(source);
        _known.TryRemove(source, out _);
    }

    private async Task Save(string source, FormatSettings settings)
    {
        await _store.Save(source, settings, Instants.FromDateTime(_clock.GetUtcNow()));
        _known[source] = settings;
    }
}
