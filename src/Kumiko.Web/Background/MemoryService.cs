using Kumiko.Core.Query;
using Microsoft.Extensions.Hosting;

namespace Kumiko.Web.Background;

/// <summary>
/// Gives memory back to the machine. A flood, or a heavy query, makes large arrays that soon are garbage, and the collector keeps
/// their room for more of the same. When much more is held than was left the last time, everything is collected; and where
/// much is held, again after a while, as what was in use at a peak is garbage later. Where that frees little, it is tried less
/// often.
/// While queries work nothing is collected: what they hold is in use, and moving it would stop everybody for seconds.
/// </summary>
public sealed class MemoryService : BackgroundService
{
    /// <summary>With less nobody needs to care.</summary>
    internal const long Enough = 320L << 20;

    /// <summary>What is in use grows too: only beyond this much more than what was left the last time it is worth the pause at
    /// once.</summary>
    private const double Growth = 1.5;

    /// <summary>A collection that leaves more than this share of what was held was not worth its pause.</summary>
    private const double LittleFreed = 0.9;

    internal static readonly TimeSpan Again = TimeSpan.FromSeconds(30);
    internal static readonly TimeSpan SeldomAgain = TimeSpan.FromMinutes(16);
    private static readonly TimeSpan Tick = TimeSpan.FromMilliseconds(500);

    private readonly TimeProvider _clock;
    private readonly Func<bool> _isBusy;
    private readonly Func<long> _held;
    private readonly Action _collect;
    private long _left;
    private long _at;
    private TimeSpan _pause = Again;

    public MemoryService(WorkGate gate)
        : this(
            TimeProvider.System,
            () => gate.Now.Working > 0,
            () => GC.GetGCMemoryInfo(GCKind.Any).TotalCommittedBytes,
            () => GC.Collect(GC.MaxGeneration, GCCollectionMode.Aggressive, blocking: true, compacting: true)
        ) { }

    /// <param name="isBusy">Whether queries work.</param>
    /// <param name="held">Bytes that the collector holds, in use or not.</param>
    internal MemoryService(TimeProvider clock, Func<bool> isBusy, Func<long> held, Action collect) =>
        (_clock, _isBusy, _held, _collect, _at) = (clock, isBusy, held, collect, clock.GetTimestamp());

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        using var timer = new PeriodicTimer(Tick, _clock);
        try
        {
            while (await timer.WaitForNextTickAsync(stoppingToken))
                CollectIfGrown();
        }
        catch (OperationCanceledException)
        { /* the server stops */
        }
    }

    internal void CollectIfGrown()
    {
        var held = _held();
        if (held < Enough || _isBusy())
            return;
        var hasGrown = held >= _left * Growth;
        if (!hasGrown && _clock.GetElapsedTime(_at) < _pause)
            return;
        _collect();
        (_left, _at) = (_held(), _clock.GetTimestamp());
        _pause =
            hasGrown || _left < held * LittleFreed ? Again : TimeSpan.FromTicks(Math.Min(_pause.Ticks * 2, SeldomAgain.Ticks));
    }
}
