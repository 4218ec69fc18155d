using System.Net.Http.Headers;
using System.Text;
using System.Text.Json;
using Kumiko.Demo.World;
using Kumiko.Web.Hosting;
using Microsoft.Extensions.Hosting;
using Microsoft.Extensions.Logging;

namespace Kumiko.Demo.StandIns;

/// <summary>
/// Stands in for a release desk: tells what is changed when it is changed, as CloudEvents. What nobody did is not told.
/// </summary>
public sealed class ReleaseDesk(Truth truth, Senders senders, ServerState state, TimeProvider clock, ILogger<ReleaseDesk> log)
    : BackgroundService
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
                foreach (var play in truth.Plays.Where(p => p.Of.Told is not null || p.Of.IsSilent))
                {
                    await Tell(http, play, play.Start, play.Of.From, play.Of.To, stoppingToken);
                    if (play.End is { } end)
                        await Tell(http, play, end, play.Of.To, play.Of.From, stoppingToken);
                }
            } while (await timer.WaitForNextTickAsync(stoppingToken));
        }
        catch (OperationCanceledException)
        { /* the demo stops */
        }
    }

    private async Task Tell(HttpClient http, Play play, DateTimeOffset at, string from, string to, CancellationToken cancel)
    {
        var id = FormattableString.Invariant($"desk-{play.Of.Number}-{at.UtcTicks}");
        if (at > clock.GetUtcNow() || _told.Contains(id))
            return;
        var told = JsonSerializer.Serialize(
            new
            {
                specversion = "1.0",
                id,
                source = "/release-desk",
                type = play.Of.Kind,
                subject = play.Of.Where,
                time = at.ToString("O", System.Globalization.CultureInfo.InvariantCulture),
                data = new
                {
                    what = play.Of.What,
                    where = play.Of.Where,
                    from,
                    to,
                    who = "release desk",
                },
            }
        );
        try
        {
            using var content = new StringContent(told, Encoding.UTF8, "application/cloudevents+json");
            using var response = await http.PostAsync("/intake/changes", content, cancel);
            response.EnsureSuccessStatusCode();
            _told.Add(id);
        }
        catch (HttpRequestException e)
        {
            log.LogWarning("The release desk was not heard: {Reason}", e.Message);
        }
    }
}
