using System.Text.Json;
using System.Text.Json.Serialization;
using Kumiko.Worlds.Disturbances;
using Kumiko.Worlds.Truth;

namespace Kumiko.Demo.World;

/// <summary>What really happened: one entry for each time that a disturbance was played, kept apart from the records.</summary>
/// <param name="Sign">A query that finds its records.</param>
public sealed record TruthEntry(
    int Disturbance,
    string Cause,
    DateTimeOffset Start,
    DateTimeOffset? End,
    IReadOnlyList<string> Affected,
    double Intensity,
    string Sign
)
{
    public bool IsOpen(DateTimeOffset at) => Start <= at && (End is not { } end || end > at);

    public Play AsPlay() => new(Disturbances.Of(Disturbance), Start, End, Intensity);
}

/// <summary>The truth of a demo world, in a file beside its data.</summary>
public sealed class Truth
{
    private static readonly JsonSerializerOptions Indented = new()
    {
        WriteIndented = true,
        Converters = { new JsonStringEnumConverter() },
    };
    private readonly string _path;
    private readonly string _toldPath;
    private readonly Lock _lock = new();
    private List<TruthEntry> _entries;
    private List<WorldTruth> _told;
    private IReadOnlyList<Play>? _plays;

    public Truth(string folder)
    {
        _path = Path.Combine(folder, "truth.json");
        _toldPath = Path.Combine(folder, "truth-told.json");
        _told = File.Exists(_toldPath)
            ? JsonSerializer.Deserialize<List<WorldTruth>>(File.ReadAllText(_toldPath), Indented) ?? []
            : [];
        _entries = File.Exists(_path) ? JsonSerializer.Deserialize<List<TruthEntry>>(File.ReadAllText(_path)) ?? [] : [];
    }

    public IReadOnlyList<TruthEntry> Entries
    {
        get
        {
            lock (_lock)
                return [.. _entries];
        }
    }

    /// <summary>Of those that are over what they really did: whom they touched in which order, when a person would have been
    /// paged.</summary>
    public IReadOnlyList<WorldTruth> Told
    {
        get
        {
            lock (_lock)
                return _told;
        }
    }

    /// <summary>Keeps what one really did, in place of what was known of it before.</summary>
    public void Tell(WorldTruth truth)
    {
        lock (_lock)
        {
            _told = [.. _told.Where(t => t.Disturbance != truth.Disturbance || t.Start != truth.Start), truth];
            File.WriteAllText(_toldPath, JsonSerializer.Serialize(_told, Indented));
        }
    }

    public IReadOnlyList<Play> Plays
    {
        get
        {
            lock (_lock)
                return _plays ??= [.. _entries.Select(e => e.AsPlay())];
        }
    }

    /// <summary>The one of a disturbance that goes on at a time, if any.</summary>
    public TruthEntry? Open(int disturbance, DateTimeOffset at) =>
        Entries.FirstOrDefault(e => e.Disturbance == disturbance && e.IsOpen(at));

    /// <summary>Begins a disturbance, or places it in the past.</summary>
    public void Begin(int disturbance, DateTimeOffset start, DateTimeOffset? end, double intensity) =>
        Change(entries =>
        {
            var of = Disturbances.Of(disturbance);
            entries.Add(new TruthEntry(disturbance, of.Cause, start, end, of.Affected, intensity, of.Sign));
        });

    /// <summary>Puts an end to it.</summary>
    public void RollBack(int disturbance, DateTimeOffset end) =>
        Change(entries =>
        {
            for (var i = 0; i < entries.Count; i++)
                if (entries[i].Disturbance == disturbance && entries[i].IsOpen(end))
                    entries[i] = entries[i] with { End = end };
        });

    private void Change(Action<List<TruthEntry>> change)
    {
        lock (_lock)
        {
            var entries = _entries.ToList();
            change(entries);
            File.WriteAllText(_path, JsonSerializer.Serialize(entries, Indented));
            (_entries, _plays) = (entries, null);
        }
    }
}
