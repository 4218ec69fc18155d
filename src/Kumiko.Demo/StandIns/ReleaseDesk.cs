using System.Net.Http.Headers;
using System.Text;
using System.Text.Json;
using Kumiko.Demo.World;
using Kumiko.Web.Hosting;
using Kumiko.Worlds.Disturbances;
using Kumiko.Worlds.Flow;
using Microsoft.Extensions.Hosting;
using Microsoft.Extensions.Logging;

namespace Kumiko.Demo.StandIns;

/// <summary>
/// Stands in for a release desk: tells what is changed when it is changed, as CloudEvents. What nobody did is not told.
/// </summary>
public sealed class ReleaseDesk(
    Simulator simulator,
    Truth truth,
    Senders senders,
    ServerState state,
    DemoOptions options,
    LineZone zone,
    TimeProvider clock,
    ILogger<ReleaseDesk> log
) : BackgroundService
{
    private readonly HashSet<string> _told = [];

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        try
        {
            await state.Known.WaitAsync(stoppingToken);
            using var http = new HttpClient { BaseAddress = new Uri(state.Address) };
            http.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue(
                "Bearer",
                await senders.TokenOf(Senders.Desk, "Changes")
            );
            using var timer = new PeriodicTimer(TimeSpan.FromSeconds(1), clock);
            do
            {
                var now = zone.Now;
                foreach (var change in Changes.Between(simulator.World, zone.Began - options.History, now, truth.Plays))
                    await Tell(http, change, stoppingToken);
            } while (await timer.WaitForNextTickAsync(stoppingToken));
        }
        catch (OperationCanceledException)
        { /* the demo stops */
        }
    }

    private async Task Tell(HttpClient http, Changed change, CancellationToken cancel)
    {
        if (_told.Contains(change.Id))
            return;
        var told = JsonSerializer.Serialize(
            new
            {
                specversion = "1.0",
                id = change.Id,
                source = "/release-desk",
                type = change.Kind,
                subject = change.Where,
                time = change.At.ToString("O", System.Globalization.CultureInfo.InvariantCulture),
                data = new
                {
                    what = change.What,
                    where = change.Where,
                    from = change.From,
                    to = change.To,
                    who = change.Who,
                    services = new[] { change.Service },
                    hosts = change.Hosts,
                    roll_out = change.RollOut,
                    share = change.Share,
                },
            }
        );
        try
        {
            using var content = new StringContent(told, Encoding.UTF8, "application/cloudevents+json");
            using var response = await http.PostAsync("/intake/changes", content, cancel);
            response.EnsureSuccessStatusCode();
            _told.Add(change.Id);
        }
        catch (HttpRequestException e)
        {
            log.LogWarning("The release desk was not heard: {Reason}", e.Message);
        }
    }
}
