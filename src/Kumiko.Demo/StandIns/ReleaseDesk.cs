using Kumiko.Core.Changes;
using Kumiko.Core.Records;
using Kumiko.Demo.World;
using Microsoft.Extensions.Hosting;

namespace Kumiko.Demo.StandIns;

/// <summary>Stands in for a release desk: tells what is changed when it is changed. What nobody did is not told.</summary>
public sealed class ReleaseDesk(Truth truth, ChangeStore changes, TimeProvider clock) : BackgroundService
{
    private readonly HashSet<string> _told = [];

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        using var timer = new PeriodicTimer(TimeSpan.FromSeconds(1), clock);
        do
        {
            foreach (var play in truth.Plays.Where(p => p.Of.Told is not null))
            {
                await Tell(play, play.Start, play.Of.From, play.Of.To);
                if (play.End is { } end) await Tell(play, end, play.Of.To, play.Of.From);
            }
        }
        while (await timer.WaitForNextTickAsync(stoppingToken));
    }

    private async Task Tell(Play play, DateTimeOffset at, string from, string to)
    {
        var key = FormattableString.Invariant($"desk-{play.Of.Number}-{at.UtcTicks}");
        if (at > clock.GetUtcNow() || !_told.Add(key)) return;
        await changes.Add(new Change(key, Instants.FromDateTime(at), play.Of.What, play.Of.Where, from, to, "release desk"));
    }
}
