using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using Microsoft.Extensions.Hosting;
using Microsoft.Extensions.Logging;

namespace Kumiko.Web.Background;

/// <summary>Checks rules when they are due, looking once a second.</summary>
public sealed class RuleService(RuleChecker checker, TimeProvider clock, ILogger<RuleService> log) : BackgroundService
{
    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        using var timer = new PeriodicTimer(TimeSpan.FromSeconds(1), clock);
        try
        {
            do
            {
                try { await checker.CheckDue(Instants.FromDateTime(clock.GetUtcNow()), stoppingToken); }
                catch (Exception e) when (e is not OperationCanceledException) { log.LogError(e, "Rules could not be checked; trying again."); }
            }
            while (await timer.WaitForNextTickAsync(stoppingToken));
        }
        catch (OperationCanceledException) { /* the server stops */ }
    }
}
