using System.Text.Json;

namespace Kumiko.Demo.World;

/// <summary>What really happened: one line for each disturbance that was played, kept apart from the records.</summary>
public sealed record TruthEntry(int Disturbance, string Cause, DateTimeOffset Start, DateTimeOffset? End, IReadOnlyList<string> Affected, double Intensity);

/// <summary>The truth of a demo world, in a file beside its data.</summary>
public sealed class Truth
{
    private static readonly JsonSerializerOptions Indented = new() { WriteIndented = true };
    private readonly string _path;
    private readonly Lock _lock = new();
    private List<TruthEntry> _entries;

    public Truth(string folder)
    {
        _path = Path.Combine(folder, "truth.json");
        _entries = File.Exists(_path) ? JsonSerializer.Deserialize<List<TruthEntry>>(File.ReadAllText(_path)) ?? [] : [];
    }

    public IReadOnlyList<TruthEntry> Entries { get { lock (_lock) return [.. _entries]; } }

    public IReadOnlyList<FirmwarePlay> Plays => [.. Entries.Select(e => new FirmwarePlay(e.Start, e.End, e.Intensity))];

    /// <summary>The roll-out that is out there now, if any.</summary>
    public TruthEntry? Open => Entries.FirstOrDefault(e => e.End is null);

    public void SendFirmware(DateTimeOffset start, DateTimeOffset? end, double intensity) => Change(entries => entries.Add(new TruthEntry(
        1, "gate firmware 7.3 on the gates at Tarnhead", start, end, ["gate-control at Tarnhead: gate-t1, gate-t2, gate-t3", "seat-ledger", "booking-web"], intensity)));

    public void RollBack(DateTimeOffset end) => Change(entries =>
    {
        for (var i = 0; i < entries.Count; i++) if (entries[i].End is null) entries[i] = entries[i] with { End = end };
    });

    private void Change(Action<List<TruthEntry>> change)
    {
        lock (_lock)
        {
            var entries = _entries.ToList();
            change(entries);
            File.WriteAllText(_path, JsonSerializer.Serialize(entries, Indented));
            _entries = entries;
        }
    }
}
