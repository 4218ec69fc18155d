using Kumiko.Demo.World;
using Kumiko.Worlds.Disturbances;
using Kumiko.Worlds.Truth;
using Microsoft.Extensions.Hosting;

namespace Kumiko.Demo.StandIns;

/// <summary>Writes down what disturbances really did, once history is there and whenever one has ended: beside the data, and told
/// by no field of it.</summary>
public sealed class TruthWriter(Simulator simulator, Truth truth, HistoryFiller history, LineZone zone, TimeProvider clock)
    : BackgroundService
{
    private static readonly TimeSpan Every = TimeSpan.FromMinutes(1);

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        try
        {
            await history.Complete.WaitAsync(stoppingToken);
            var teller = new Teller(simulator.World);
            using var timer = new PeriodicTimer(Every, clock);
            do
            {
                foreach (var play in truth.Plays.Where(IsUntold))
                {
                    stoppingToken.ThrowIfCancellationRequested();
                    // The line's rhythms go by its own clock, whoever began it.
                    var there = play with { Start = zone.At(play.Start), End = zone.At(play.End!.Value) };
                    truth.Tell(await Task.Run(() => teller.Of(there, zone.Now), stoppingToken));
                }
            } while (await timer.WaitForNextTickAsync(stoppingToken));
        }
        catch (OperationCanceledException)
        { /* the demo stops */
        }
    }

    /// <summary>What is over is told once; what goes on is not known yet.</summary>
    private bool IsUntold(Play play) =>
        play.End is { } end && end + play.Of.Fall <= zone.Now && !truth.Told.Any(t => WorldTruth.IsOf(t, play) && t.End == end);
}
