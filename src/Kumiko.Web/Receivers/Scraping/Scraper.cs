using System.Collections.Concurrent;
using System.Diagnostics;
using System.Net.Http.Headers;
using System.Text;
using Kumiko.Core.Intake;
using Kumiko.Core.Intake.OpenMetrics;
using Kumiko.Core.Records;
using Kumiko.Core.Sources;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Metrics;
using Kumiko.Web.Delivery.Channels;
using Kumiko.Web.Hosting;
using Microsoft.Extensions.Hosting;
using Microsoft.Extensions.Logging;

namespace Kumiko.Web.Receivers.Scraping;

/// <summary>
/// Fetches OpenMetrics text from the listed targets. Each time leaves the series <c>up</c> (1 when it went well) and
/// <c>scrape.duration</c>, so that a target that does not answer is a fact that can be charted.
/// </summary>
public sealed class Scraper(
    ScrapeStore targets,
    MetricStore metrics,
    RecordStore records,
    SourceBook book,
    NetworkGuard guard,
    ServerState state,
    TimeProvider clock,
    ILogger<Scraper> log
) : BackgroundService
{
    /// <summary>How a scraped source sends, in the words of the pages.</summary>
    public const string Protocol = "OpenMetrics, scraped";

    private const int MostAtOnce = 8;
    private const int LargestAnswer = 16 << 20;
    private static readonly TimeSpan Tick = TimeSpan.FromSeconds(1);
    private static readonly TimeSpan LongestWait = TimeSpan.FromSeconds(10);

    private readonly ConcurrentDictionary<long, ScrapeState> _states = new();
    private readonly ConcurrentDictionary<long, bool> _running = new();
    private readonly SemaphoreSlim _turns = new(MostAtOnce);

    // What a target says leads nowhere else, and is not remembered by cookies.
    private readonly HttpClient _http = new(
        new SocketsHttpHandler
        {
            AllowAutoRedirect = false,
            UseCookies = false,
            UseProxy = false,
            AutomaticDecompression = System.Net.DecompressionMethods.GZip,
            ConnectCallback = (context, cancel) => guard.Connect(context.DnsEndPoint.Host, context.DnsEndPoint.Port, cancel),
        }
    )
    {
        MaxResponseContentBufferSize = LargestAnswer,
        Timeout = Timeout.InfiniteTimeSpan,
    };

    private long Now => Instants.FromDateTime(clock.GetUtcNow());

    /// <summary>How it went last; null where it was not tried yet.</summary>
    public ScrapeState? StateOf(ScrapeTarget target) => _states.GetValueOrDefault(target.Id);

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        using var timer = new PeriodicTimer(Tick, clock);
        try
        {
            // A target may be this very server, which has to listen first.
            await state.Known.WaitAsync(stoppingToken);
            do
            {
                foreach (var target in targets.All().Where(IsDue))
                    _ = Run(target, stoppingToken);
            } while (await timer.WaitForNextTickAsync(stoppingToken));
        }
        catch (OperationCanceledException)
        { /* the server stops */
        }
    }

    private bool IsDue(ScrapeTarget target) =>
        (!_states.TryGetValue(target.Id, out var last) || Now - last.At >= target.Interval) && _running.TryAdd(target.Id, true);

    private async Task Run(ScrapeTarget target, CancellationToken stop)
    {
        await _turns.WaitAsync(stop);
        try
        {
            await Scrape(target, stop);
        }
        catch (OperationCanceledException) when (stop.IsCancellationRequested)
        { /* the server stops */
        }
        catch (Exception e) when (e is IOException or InvalidOperationException or Microsoft.Data.Sqlite.SqliteException)
        {
            log.LogWarning("What {Address} answered could not be kept: {Reason}", target.Address, e.Message);
        }
        finally
        {
            _turns.Release();
            _running.TryRemove(target.Id, out _);
        }
    }

    /// <summary>Fetches once and keeps what came.</summary>
    public async Task Scrape(ScrapeTarget target, CancellationToken cancel)
    {
        var (at, started) = (Now, Stopwatch.GetTimestamp());
        var uri = new Uri(target.Address);
        var resource = new Resource(
            new Attributes(
                ["service.name", "server.address", "server.port"],
                [Value.Of(target.Source), Value.Of(uri.Host), Value.Of(uri.Port)]
            )
        );
        var (exposition, problem) = await Fetch(uri, target.Interval, resource, at, cancel);
        var took = Stopwatch.GetElapsedTime(started);
        var samples = exposition?.Metrics.Sum(m => m.Samples.Count) ?? 0;
        var kept = await metrics.Append(
            [
                .. exposition?.Metrics ?? [],
                Gauge("up", "", problem is null ? 1 : 0),
                Gauge("scrape.duration", "s", took.TotalSeconds),
            ],
            target.Source,
            cancel
        );
        book.Recognise(target.Source, Protocol, "listed target");
        var before = StateOf(target);
        _states[target.Id] = new ScrapeState(at, (long)took.TotalNanoseconds, samples, problem);
        if (exposition?.RefusedTotal + kept.RefusedTotal > 0)
            await records.Keep(
                [.. exposition!.Refused, .. kept.Refused],
                target.Source,
                exposition.RefusedTotal + kept.RefusedTotal
            );
        // A target that is down stays the same news until it changes.
        if (problem is not null && problem != before?.Problem)
            await records.Keep([new Refused(0, 0, problem, Encoding.UTF8.GetBytes(target.Address))], target.Source);

        Metric Gauge(string name, string unit, double value) =>
            new(
                name,
                unit,
                "",
                MetricKind.Gauge,
                resource,
                InstrumentationScope.None,
                [new Sample { Time = at, Value = Value.Of(value) }]
            );
    }

    private async Task<(Exposition? Exposition, string? Problem)> Fetch(
        Uri uri,
        long interval,
        Resource resource,
        long at,
        CancellationToken cancel
    )
    {
        var patience = TimeSpan.FromTicks(Math.Min(interval / 100, LongestWait.Ticks));
        using var limited = CancellationTokenSource.CreateLinkedTokenSource(cancel);
        limited.CancelAfter(patience);
        try
        {
            using var request = new HttpRequestMessage(HttpMethod.Get, uri);
            request.Headers.Accept.Add(
                MediaTypeWithQualityHeaderValue.Parse("application/openmetrics-text; version=1.0.0; charset=utf-8")
            );
            request.Headers.Accept.Add(MediaTypeWithQualityHeaderValue.Parse("text/plain; q=0.5"));
            using var response = await _http.SendAsync(request, HttpCompletionOption.ResponseContentRead, limited.Token);
            if (!response.IsSuccessStatusCode)
                return (null, $"It answered {(int)response.StatusCode}.");
            var text = Encoding.UTF8.GetString(await response.Content.ReadAsByteArrayAsync(limited.Token));
            var exposition = OpenMetricsParser.Read(text, resource, at);
            // Whatever else a machine in there answers is nobody's to read here.
            if (exposition.Metrics.Count == 0 && exposition.RefusedTotal > 0)
                return (null, "The answer is no metrics in OpenMetrics text. Check the address.");
            var type = response.Content.Headers.ContentType;
            var saysMetrics =
                type?.MediaType == "application/openmetrics-text" || type?.Parameters.Any(p => p.Name == "version") == true;
            if (!saysMetrics)
                exposition = exposition with { Refused = [.. exposition.Refused.Select(r => r with { Head = [] })] };
            // Without its last line nobody knows whether the rest is all of it; plain text has no such line.
            var mustEnd = response.Content.Headers.ContentType?.MediaType == "application/openmetrics-text";
            return mustEnd && !exposition.IsComplete
                ? (null, "The answer was cut off: its last line, # EOF, is missing.")
                : (exposition, null);
        }
        catch (OperationCanceledException) when (!cancel.IsCancellationRequested)
        {
            return (null, $"It did not answer within {patience.TotalSeconds:0.#} s.");
        }
        catch (HttpRequestException e) when (e.InnerException is SendFailedException refused)
        {
            return (null, refused.Message);
        }
        catch (HttpRequestException e)
        {
            return (
                null,
                e.InnerException is System.Net.Sockets.SocketException s
                    ? $"It cannot be reached: {s.Message}."
                    : $"It could not be read: {e.Message}"
            );
        }
    }

    public override void Dispose()
    {
        _http.Dispose();
        _turns.Dispose();
        base.Dispose();
    }
}
