using Kumiko.Core.Records;
using Kumiko.Core.Sources;
using Kumiko.Demo.World;
using Kumiko.Web.Hosting;
using Microsoft.Extensions.Hosting;
using Microsoft.Extensions.Logging;

namespace Kumiko.Demo.StandIns;

/// <summary>
/// The fleet of senders: once a second what was written since, by the protocol each of them speaks, over loopback. Its
/// speed is a matter of how many there are, as time itself cannot be hurried.
/// </summary>
public sealed class LiveSender(
    Truth truth,
    Senders senders,
    FileSender written,
    ScrapeStore targets,
    ServerState state,
    DemoOptions options,
    LineZone zone,
    TimeProvider clock,
    ILogger<LiveSender> log
) : BackgroundService
{
    /// <summary>What could not be sent is tried again for so long.</summary>
    private static readonly TimeSpan KeptFor = TimeSpan.FromMinutes(2);

    private readonly Simulator _live = new(options.Seed, options.Scale * options.Speed, zone.Began);
    private Measurements? _measurements;
    private DateTimeOffset _signals = DateTimeOffset.MaxValue;
    private DateTimeOffset _told;

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        try
        {
            await state.Known.WaitAsync(stoppingToken);
            await written.Begin();
            using var http = new HttpClient { BaseAddress = new Uri(state.Address) };
            await using var radio = new RadioSender(state.SyslogPort ?? 0, await senders.TokenOf(Senders.Radio, "Syslog"));
            var gates = new OtlpSender(http, await senders.TokenOf(Senders.Gates, "OpenTelemetry"));
            var spans = new OtlpSender(http, await senders.TokenOf(Senders.Spans, "OpenTelemetry"));
            var measured = new OtlpSender(http, await senders.TokenOf(Senders.Metrics, "OpenTelemetry"));
            var lines = new LinesSender(http, await senders.TokenOf(Senders.Line, "Plain HTTP"));
            // Those of an earlier start, at a port that is gone.
            foreach (
                var old in targets
                    .All()
                    .Where(t => t.Source == Senders.Hosts && !t.Address.StartsWith(state.Address + "/", StringComparison.Ordinal))
            )
                await targets.Remove(old.Id);
            await targets.Add(
                new ScrapeTarget(0, Senders.Hosts, state.Address + WatchMetrics.Path, 15 * Instants.Second, "the demo")
            );
            Channel[] channels =
            [
                new(r => Senders.SourceOf(r) == Senders.Line, (records, _, cancel) => lines.Send(records, cancel)),
                new(r => Senders.SourceOf(r) == Senders.Gates, (records, _, cancel) => gates.Send(records, cancel)),
                new(r => Senders.SourceOf(r) == Senders.Radio, (records, _, cancel) => radio.Send(records, cancel)),
                new(r => FileSender.SourceOf(r) is not null, (records, _, cancel) => written.Send(records, cancel)),
                new(_ => false, (_, made, cancel) => spans.Send(made, cancel)),
            ];
            foreach (var channel in channels)
                channel.From = options.LiveFrom;
            using var timer = new PeriodicTimer(TimeSpan.FromSeconds(1), clock);
            do
            {
                var until = zone.Now;
                await Signal(measured, options.LiveFrom, until, stoppingToken);
                // Those that were heard last time have the same stretch to send, which is made once.
                foreach (var alike in channels.GroupBy(c => c.From < until - KeptFor ? until - KeptFor : c.From).ToList())
                {
                    var timed = new List<Core.Records.Span>();
                    var records = _live
                        .Between(alike.Key, until, truth.Plays, timed)
                        .Concat(AccessLog.Between(_live, alike.Key, until, truth.Plays))
                        .ToList();
                    foreach (var channel in alike)
                        await Send(channel, records, timed, until, stoppingToken);
                }
            } while (await timer.WaitForNextTickAsync(stoppingToken));
        }
        catch (OperationCanceledException)
        { /* the demo stops */
        }
    }

    /// <summary>One way of sending, and until when it has sent.</summary>
    private sealed record Channel(
        Func<SimulatedRecord, bool> Takes,
        Func<IReadOnlyList<SimulatedRecord>, IReadOnlyList<Core.Records.Span>, CancellationToken, Task> Send
    )
    {
        public DateTimeOffset From { get; set; }
    }

    private async Task Send(
        Channel channel,
        IReadOnlyList<SimulatedRecord> records,
        IReadOnlyList<Core.Records.Span> spans,
        DateTimeOffset until,
        CancellationToken cancel
    )
    {
        try
        {
            await channel.Send([.. records.Where(channel.Takes)], spans, cancel);
            channel.From = until;
        }
        catch (Exception e) when (e is HttpRequestException or IOException)
        {
            LogFailure(until, e);
        }
    }

    /// <summary>Metrics of each full minute.</summary>
    private async Task Signal(OtlpSender measured, DateTimeOffset from, DateTimeOffset until, CancellationToken cancel)
    {
        if (_signals > from)
            _signals = Simulator.Floor(from);
        try
        {
            for (; _signals.AddMinutes(1) <= until; _signals = _signals.AddMinutes(1))
            {
                _measurements ??= new Measurements(_live);
                await measured.Send(_measurements.Between(_signals, _signals.AddMinutes(1), truth.Plays), cancel);
            }
        }
        catch (Exception e) when (e is HttpRequestException or IOException)
        {
            LogFailure(until, e);
        }
    }

    private void LogFailure(DateTimeOffset until, Exception e)
    {
        if (until - _told < KeptFor)
            return;
        _told = until;
        log.LogWarning("A sender of the demo was not heard: {Reason}", e.Message);
    }
}
