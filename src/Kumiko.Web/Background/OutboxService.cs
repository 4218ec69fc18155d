using Kumiko.Core.Delivery;
using Kumiko.Core.Records;
using Kumiko.Web.Delivery;
using Microsoft.Extensions.Hosting;
using Microsoft.Extensions.Logging;

namespace Kumiko.Web.Background;

/// <summary>Sends what waits in the outbox; what fails waits longer each time.</summary>
public sealed class OutboxService(OutboxStore outbox, IMailSender sender, TimeProvider clock, ILogger<OutboxService> log) : BackgroundService
{
    private const int AtOnce = 50;

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        using var timer = new PeriodicTimer(TimeSpan.FromSeconds(1), clock);
        try
        {
            do
            {
                try { await SendDue(stoppingToken); }
                catch (Exception e) when (e is not OperationCanceledException) { log.LogError(e, "The outbox could not be read; trying again."); }
            }
            while (await timer.WaitForNextTickAsync(stoppingToken));
        }
        catch (OperationCanceledException) { /* the server stops */ }
    }

    /// <summary>Sends all that is due; returns how many were sent.</summary>
    public async Task<int> SendDue(CancellationToken cancel)
    {
        if (!sender.IsSetUp) return 0;
        var sent = 0;
        foreach (var message in outbox.Due(Now(), AtOnce))
        {
            try
            {
                await sender.Send(message, cancel);
                await outbox.Sent(message.Id, Now());
                sent++;
            }
            catch (Exception e) when (e is not OperationCanceledException)
            {
                log.LogWarning("Mail {Id} was not sent: {Reason}", message.Id, e.Message);
                await outbox.Failed(message, e.Message, Now());
            }
        }
        return sent;
    }

    private long Now() => Instants.FromDateTime(clock.GetUtcNow());
}
