using Kumiko.Core.Accounts;
using Kumiko.Core.Sources;
using Microsoft.Extensions.Hosting;
using Microsoft.Extensions.Logging;

namespace Kumiko.Web.Background;

/// <summary>Writes down now and then what sources sent, when tokens were used and sessions seen, and at the end.</summary>
public sealed class SourceService(
    SourceBook book,
    TokenStore tokens,
    SessionStore sessions,
    TimeProvider clock,
    ILogger<SourceService> log
) : BackgroundService
{
    private static readonly TimeSpan Interval = TimeSpan.FromSeconds(10);

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        using var timer = new PeriodicTimer(Interval, clock);
        try
        {
            while (await timer.WaitForNextTickAsync(stoppingToken))
                await Save();
        }
        catch (OperationCanceledException)
        {
            await Save();
        }
    }

    private async Task Save()
    {
        try
        {
            await book.Save();
            await tokens.Save();
            await sessions.Save();
        }
        catch (Exception e) when (e is IOException or Microsoft.Data.Sqlite.SqliteException)
        {
            log.LogWarning("Counts of sources were not written down: {Reason}", e.Message);
        }
    }
}
