using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using Kumiko.Core.Storage;
using Microsoft.Extensions.Hosting;
using Microsoft.Extensions.Logging;

namespace Kumiko.Web.Background;

/// <summary>Checks rules when they are due, looking once a second, and shows records to the rules on every record as they come
/// in.</summary>
public sealed class RuleService(RuleChecker checker, RecordRules onRecords, TimeProvider clock, ILogger<RuleService> log)
    : BackgroundService
{
    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        using var timer = new PeriodicTimer(TimeSpan.FromSeconds(1), clock);
        // A slow check must not hold up what is to be told within a second.
        var showing = Show(stoppingToken);
        try
        {
            do
            {
                try
                {
                    await checker.CheckDue(Instants.FromDateTime(clock.GetUtcNow()), stoppingToken);
                }
                catch (DiskFullException e)
                {
                    log.LogWarning("Rules could not be checked; trying again. {Reason}", e.Message);
                }
                catch (Exception e) when (e is not OperationCanceledException)
                {
                    log.LogError(e, "Rules could not be checked; trying again.");
                }
            } while (await timer.WaitForNextTickAsync(stoppingToken));
        }
        catch (OperationCanceledException)
        { /* the server stops */
        }
        await showing;
    }

    private async Task Show(CancellationToken stoppingToken)
    {
        using var timer = new PeriodicTimer(TimeSpan.FromMilliseconds(250), clock);
        try
        {
            do
            {
                try
                {
                    if (onRecords.HasWaiting)
                        await onRecords.ShowWaiting(stoppingToken);
                }
                catch (Exception e) when (e is not OperationCanceledException)
                {
                    log.LogError(e, "Records could not be shown to rules; trying again.");
                }
            } while (await timer.WaitForNextTickAsync(stoppingToken));
        }
        catch (OperationCanceledException)
        { /* the server stops */
        }
    }
}
