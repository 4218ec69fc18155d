using System.Collections.Concurrent;
using Kumiko.Charts;

namespace Kumiko.Web.Hosting;

/// <summary>What became of an export.</summary>
public enum ExportState
{
    Running,
    Done,
    Stopped,
    Failed,
}

/// <summary>An export on its way, as far as it is.</summary>
/// <param name="person">Whose it is; others neither see nor stop it.</param>
public sealed class RunningExport(long person, string title, TimeProvider clock)
{
    // Before that a rate tells nothing.
    private static readonly TimeSpan Soon = TimeSpan.FromSeconds(1);

    // Somebody may still want to stop it when it is done: it has no timer, and needs no end of its own.
    private readonly CancellationTokenSource _stop = new();
    private readonly long _begun = clock.GetTimestamp();
    private long _rows;
    private TimeSpan? _took;

    public long Person => person;

    /// <summary>How many rows there will be; null while nobody knows.</summary>
    public long? Total { get; set; }

    public ExportState State { get; private set; } = ExportState.Running;

    /// <summary>Why it is not whole; null where it is.</summary>
    public string? Problem { get; private set; }

    /// <summary>Ends when somebody stops it.</summary>
    public CancellationToken Token => _stop.Token;

    public long Rows => Interlocked.Read(ref _rows);

    public void Tell(long rows) => Interlocked.Exchange(ref _rows, rows);

    public void Stop() => _stop.Cancel();

    public void End(ExportState state, string? problem = null) =>
        (State, Problem, _took) = (state, problem, clock.GetElapsedTime(_begun));

    /// <summary>How far it is, 0 to 1; null where nobody knows.</summary>
    public double? Share => Total is > 0 and { } total ? Math.Min(1, (double)Rows / total) : null;

    /// <summary>How far it is, how fast, and how long it still takes.</summary>
    public string Words
    {
        get
        {
            var took = _took ?? clock.GetElapsedTime(_begun);
            var rows = Format.Count(Rows, "row", "rows");
            var rate = took >= Soon && Rows > 0 ? Rows / took.TotalSeconds : 0;
            return State switch
            {
                ExportState.Done => $"{title}: {rows} in {Format.Duration(took.TotalNanoseconds)}. It is whole.",
                ExportState.Stopped => $"{title}: stopped after {rows}. The file is not whole; delete it.",
                ExportState.Failed => $"{title}: failed after {rows}. The file is not whole; delete it. {Problem}",
                _ => $"{title}: {(Total is { } total ? $"{Format.Number(Rows)} of {Format.Count(total, "row", "rows")}" : rows)}"
                    + (rate > 0 ? $", {Format.Number(Math.Round(rate))} a second" : "")
                    + (rate > 0 && Total > Rows ? $", {Format.Duration((Total.Value - Rows) / rate * 1e9)} left" : ""),
            };
        }
    }
}

/// <summary>The exports of late, so that a page can tell how far they are and stop them.</summary>
public sealed class ExportBoard(TimeProvider clock)
{
    private const int Most = 200;
    private const int LongestId = 64;

    private readonly ConcurrentDictionary<(long Person, string Id), RunningExport> _exports = new();
    private readonly ConcurrentQueue<(long, string)> _order = new();

    /// <summary>Notes an export under an id that its page made up.</summary>
    public RunningExport Begin(long person, string? id, string title)
    {
        var export = new RunningExport(person, title, clock);
        if (id is { Length: > 0 and <= LongestId } && _exports.TryAdd((person, id), export))
        {
            _order.Enqueue((person, id));
            while (_exports.Count > Most && _order.TryDequeue(out var oldest))
                _exports.TryRemove(oldest, out _);
        }
        return export;
    }

    /// <summary>Null where the person has none of this id.</summary>
    public RunningExport? Find(long person, string? id) => id is null ? null : _exports.GetValueOrDefault((person, id));
}
