using System.Net.Http.Headers;
using Kumiko.Core.Accounts;
using Kumiko.Demo.World;
using Kumiko.Web.Hosting;
using Microsoft.Extensions.Hosting;
using Microsoft.Extensions.Logging;

namespace Kumiko.Demo.StandIns;

/// <summary>
/// The fleet of senders: once a second what the services wrote since, through the real intake. Its speed is a matter of
/// how many there are, as time itself cannot be hurried.
/// </summary>
public sealed class LiveSender(SignalFiles files, Truth truth, TokenStore tokens, ServerState state, DemoOptions options, IHostApplicationLifetime lifetime, TimeProvider clock, ILogger<LiveSender> log) : BackgroundService
{
    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        try
        {
            await Started(stoppingToken);
            using var http = new HttpClient();
            http.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue("Bearer", await tokens.Create("skerry-line", TokenPurpose.Intake));
            using var timer = new PeriodicTimer(TimeSpan.FromSeconds(1), clock);
            var from = options.LiveFrom;
            do
            {
                var until = clock.GetUtcNow();
                try
                {
                    await Send(http, from, until, stoppingToken);
                    from = until;
                }
                catch (HttpRequestException e) { log.LogWarning("The intake did not answer: {Reason}", e.Message); }
            }
            while (await timer.WaitForNextTickAsync(stoppingToken));
        }
        catch (OperationCanceledException) { /* the demo stops */ }
    }

    private readonly Simulator _live = new(options.Seed, options.Scale * options.Speed);
    private DateTimeOffset _signals = DateTimeOffset.MaxValue;

    private async Task Send(HttpClient http, DateTimeOffset from, DateTimeOffset until, CancellationToken cancel)
    {
        using var body = new MemoryStream();
        Signal(from, until);
        if (_live.Write(body, from, until, truth.Plays) == 0) return;
        body.Position = 0;
        using var response = await http.PostAsync(state.Address + "/intake/records", new StreamContent(body), cancel);
        response.EnsureSuccessStatusCode();
    }

    /// <summary>Spans and metrics of each full minute.</summary>
    private void Signal(DateTimeOffset from, DateTimeOffset until)
    {
        if (_signals > from) _signals = Simulator.Floor(from);
        for (; _signals.AddMinutes(1) <= until; _signals = _signals.AddMinutes(1))
            files.Append(_signals, _signals.AddMinutes(1), _live.All(_signals, truth.Plays).Spans, truth.Plays, options.Seed);
    }

    private async Task Started(CancellationToken cancel)
    {
        var started = new TaskCompletionSource();
        await using var one = lifetime.ApplicationStarted.Register(() => started.TrySetResult());
        await using var two = cancel.Register(() => started.TrySetCanceled(cancel));
        await started.Task;
    }
}
