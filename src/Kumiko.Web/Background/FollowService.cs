using Kumiko.Core.Sources;
using Kumiko.Core.Sources.Following;
using Kumiko.Core.Sources.Imports;
using Microsoft.Extensions.Hosting;
using Microsoft.Extensions.Logging;

namespace Kumiko.Web.Background;

/// <summary>Reads followed files as they grow; and says of imports that were under way at a stop how far they came.</summary>
public sealed class FollowService(
    Follower follower,
    FollowStore follows,
    SourceBook book,
    ImportRuns imports,
    TimeProvider clock,
    ILogger<FollowService> log
) : BackgroundService
{
    private static readonly TimeSpan Interval = TimeSpan.FromMilliseconds(500);

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        await Task.Yield();
        await Try(imports.Recover);
        using var timer = new PeriodicTimer(Interval, clock);
        try
        {
            while (await timer.WaitForNextTickAsync(stoppingToken))
            {
                foreach (var wish in follows.All().Where(w => book.Find(w.Source) is not null))
                    book.Recognise(wish.Source, "followed files", wish.Path);
                var more = true;
                while (more)
                    await Try(async () => more = await follower.Pass(stoppingToken), () => more = false);
            }
        }
        catch (OperationCanceledException)
        { /* the server stops */
        }
    }

    private async Task Try(Func<Task> work, Action? failed = null)
    {
        try
        {
            await work();
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or Microsoft.Data.Sqlite.SqliteException)
        {
            failed?.Invoke();
            log.LogWarning("Followed files could not be read: {Reason}", e.Message);
        }
    }
}
