using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Metrics;
using Kumiko.Core.Storage.Spans;
using Kumiko.Worlds.Disturbances;
using Kumiko.Worlds.Flow;

namespace Kumiko.Worlds.Signals;

/// <summary>Writes a world straight into stores, as if its senders had sent it.</summary>
public static class WorldFolder
{
    public const string Source = "world";

    private const int MinutesAtOnce = 480;

    /// <param name="sampler">Which spans are kept.</param>
    /// <param name="step">Minutes from one sample of a host to the next.</param>
    public static async Task Write(
        Simulation world,
        DateTimeOffset from,
        DateTimeOffset until,
        IReadOnlyList<Play> plays,
        Sampler sampler,
        int step,
        RecordStore records,
        SpanStore spans,
        MetricStore metrics
    )
    {
        var (words, traced, requests, hosts) = (
            new Records(world),
            new Spans(world),
            new RequestMetrics(world),
            new HostMetrics(world)
        );
        Task writing = Task.CompletedTask;
        for (var at = from; at < until; at = at.AddMinutes(MinutesAtOnce))
        {
            var end = at.AddMinutes(MinutesAtOnce) < until ? at.AddMinutes(MinutesAtOnce) : until;
            var (lines, kept) = (new List<LogRecord>(), new List<Span>());
            for (var minute = at; minute < end; minute = minute.AddMinutes(1))
            {
                lines.AddRange(words.Of(minute, plays));
                kept.AddRange(traced.Of(world.Traces(minute, plays), sampler, minute, plays));
            }
            IReadOnlyList<Metric> measured =
            [
                .. requests.Between(at, end, plays),
                .. requests.Gauges(at, end, plays),
                .. hosts.Between(at, end, plays, step),
            ];
            // While one piece is written, the next is made.
            await writing;
            writing = Task.Run(async () =>
            {
                await Task.WhenAll(
                    records.Append(lines, Source),
                    spans.Append(kept, Source),
                    Task.Run(() => metrics.Append(measured, Source))
                );
            });
        }
        await writing;
    }
}
