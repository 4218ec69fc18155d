using Kumiko.Core.Delivery;
using Kumiko.Core.Storage;
using Kumiko.Web.Delivery;
using Microsoft.Extensions.Hosting;
using Microsoft.Extensions.Logging;

namespace Kumiko.Web.Background;

/// <summary>Plans what is to be told, and sends what is due; neither waits for the other.</summary>
public sealed class NotificationService(
    NotificationPlanner planner,
    Dispatcher dispatcher,
    TimeProvider clock,
    ILogger<NotificationService> log
) : BackgroundService
{
    private static readonly TimeSpan Pause = TimeSpan.FromMilliseconds(250);

    protected override Task ExecuteAsync(CancellationToken stoppingToken) =>
        Task.WhenAll(
            Again(
                () => planner.TellWaiting(stoppingToken),
                "What waits to be told could not be planned; trying again.",
                stoppingToken
            ),
            Again(
                () => Task.FromResult(dispatcher.Start(stoppingToken).Count),
                "Messages that are due could not be read; trying again.",
                stoppingToken
            )
        );

    private async Task Again(Func<Task<int>> work, string problem, CancellationToken stop)
    {
        using var timer = new PeriodicTimer(Pause, clock);
        try
        {
            do
            {
                try
                {
                    await work();
                }
                catch (DiskFullException e)
                {
                    log.LogWarning("{Problem} {Reason}", problem, e.Message);
                }
                catch (Exception e) when (e is not OperationCanceledException)
                {
                    log.LogError(e, "{Problem}", problem);
                }
            } while (await timer.WaitForNextTickAsync(stop));
        }
        catch (OperationCanceledException)
        { /* the server stops */
        }
    }
}
