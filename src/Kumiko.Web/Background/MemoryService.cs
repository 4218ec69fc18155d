using Microsoft.Extensions.Hosting;

namespace Kumiko.Web.Background;

/// <summary>
/// Gives memory back to the machine. A flood makes large arrays that soon are garbage, and the collector keeps their room
/// for more of the same; when much of what the process holds may be of that kind, everything is collected once.
/// </summary>
public sealed class MemoryService : BackgroundService
{
    /// <summary>With less nobody needs to care.</summary>
    internal const long Enough = 320L << 20;

    /// <summary>What is in use grows too: only beyond this much more than what was left the last time it is worth the pause.</summary>
    private const double Growth = 1.5;

    private static readonly TimeSpan Tick = TimeSpan.FromMilliseconds(500);
    private readonly Func<long> _held;
    private readonly Action _collect;
    private long _left;

    public MemoryService() : this(() => GC.GetGCMemoryInfo(GCKind.Any).TotalCommittedBytes, () => GC.Collect(GC.MaxGeneration, GCCollectionMode.Aggressive, blocking: true, compacting: true))
    {
    }

    /// <param name="held">Bytes that the collector holds, in use or not.</param>
    internal MemoryService(Func<long> held, Action collect) => (_held, _collect) = (held, collect);

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        using var timer = new PeriodicTimer(Tick);
        try
        {
            while (await timer.WaitForNextTickAsync(stoppingToken)) Look();
        }
        catch (OperationCanceledException) { /* the server stops */ }
    }

    internal void Look()
    {
        if (_held() < Math.Max(Enough, _left * Growth)) return;
        _collect();
        _left = _held();
    }
}
