using Kumiko.Core.Records;
using Kumiko.Worlds.Disturbances;
using Kumiko.Worlds.Signals;

namespace Kumiko.Demo.World;

/// <summary>What the world measures once a minute, as metrics ready to be sent or kept: hosts and processes, requests, queues and
/// tides, and what the ferry line counts for itself: gauges, counters that begin anew at midnight, deltas, histograms.</summary>
public sealed class Measurements(Simulator simulator)
{
    private static readonly InstrumentationScope Notices = new("skerry.notices", "1", Attributes.Empty);
    private static readonly InstrumentationScope Hosts = new("skerry.hosts", "2", Attributes.Empty);

    private readonly HostMetrics _hosts = new(simulator.World);
    private readonly RequestMetrics _requests = new(simulator.World);

    /// <summary>All metrics with a sample for each full minute of a stretch.</summary>
    public IReadOnlyList<Core.Records.Metric> Between(DateTimeOffset from, DateTimeOffset until, IReadOnlyList<Play> plays) =>
        [.. OfServices(from, until, plays), .. OfHosts(from, until, plays)];

    /// <summary>What services count.</summary>
    public IReadOnlyList<Core.Records.Metric> OfServices(DateTimeOffset from, DateTimeOffset until, IReadOnlyList<Play> plays)
    {
        var minutes = new List<DateTimeOffset>();
        for (var minute = First(from); minute < until; minute = minute.AddMinutes(1))
            minutes.Add(minute);
        return minutes.Count == 0
            ? []
            :
            [
                .. _requests.Between(minutes[0], minutes[^1].AddMinutes(1), plays),
                .. _requests.Gauges(minutes[0], minutes[^1].AddMinutes(1), plays),
                .. Own(minutes, plays, simulator.World.Seed),
            ];
    }

    /// <summary>What hosts measure of themselves and of what runs on them: most of all samples.</summary>
    public IReadOnlyList<Core.Records.Metric> OfHosts(DateTimeOffset from, DateTimeOffset until, IReadOnlyList<Play> plays) =>
        [.. _hosts.Between(First(from), until, plays)];

    private static DateTimeOffset First(DateTimeOffset from) =>
        Simulator.Floor(from) is var minute && minute < from ? minute.AddMinutes(1) : minute;

    private static IEnumerable<Core.Records.Metric> Own(List<DateTimeOffset> minutes, IReadOnlyList<Play> plays, int seed)
    {
        foreach (var (service, hosts) in SkerryLine.Hosts)
        foreach (var host in hosts)
        {
            var resource = new Resource(
                new Attributes(
                    ["service.name", "host.name", "deployment.environment.name"],
                    [Value.Of(service), Value.Of(host), Value.Of(SkerryLine.EnvironmentOf(host))]
                )
            );
            foreach (var metric in Metric.Of(service, host))
                yield return new Core.Records.Metric(
                    metric.Name,
                    metric.Unit,
                    metric.Description,
                    metric.IsCounter ? MetricKind.Sum : MetricKind.Gauge,
                    resource,
                    Hosts,
                    [
                        .. minutes.Select(m => new Core.Records.Sample
                        {
                            Time = Time(m),
                            Start = metric.IsCounter ? Time(m.AddMinutes(-1)) : 0,
                            Value = Value.Of(Math.Round(metric.Value(m, plays, seed), 4)),
                        }),
                    ]
                )
                {
                    IsMonotonic = metric.IsCounter,
                    Temporality = metric.IsCounter ? Temporality.Delta : Temporality.Unspecified,
                };
            if (host == "notice-1")
                foreach (var metric in Screens(resource, minutes, plays, seed))
                    yield return metric;
            if (host == "manifest-1")
                foreach (var metric in Boarding.Between(resource, minutes, plays, seed))
                    yield return metric;
        }
    }

    private static long Time(DateTimeOffset time) => Instants.FromDateTime(time);

    /// <summary>Notices that arrived for the screens of each terminal and those that were shown, counted since
    /// midnight.</summary>
    private static IEnumerable<Core.Records.Metric> Screens(
        Resource resource,
        List<DateTimeOffset> minutes,
        IReadOnlyList<Play> plays,
        int seed
    )
    {
        foreach (var terminal in SkerryLine.Terminals)
        {
            var (arrived, shown) = (new List<Core.Records.Sample>(), new List<Core.Records.Sample>());
            var day = new DateTimeOffset(minutes[0].Date, minutes[0].Offset);
            var (sumArrived, sumShown) = (0L, 0L);
            var next = 0;
            for (var minute = day; next < minutes.Count; minute = minute.AddMinutes(1))
            {
                if (minute.TimeOfDay == TimeSpan.Zero)
                    (day, sumArrived, sumShown) = (minute, 0, 0);
                var random = new Random(Seeds.Of(seed + 13, terminal, minute.ToUnixTimeSeconds() / 60));
                var came = (long)Math.Round((22 * (0.3 + SkerryLine.Busy(minute))) + (6 * random.NextDouble()));
                var behind =
                    0.34
                    + (0.1 * (random.NextDouble() - 0.5))
                    + ((terminal is "Lindle" or "Ferrin" ? 0.5 : 0.15) * Metric.Playing(7, minute, plays));
                sumArrived += came;
                sumShown += (long)Math.Round(came * (1 - Math.Min(0.95, behind)));
                if (minute != minutes[next])
                    continue;
                var attributes = new Attributes(["terminal"], [Value.Of(terminal)]);
                arrived.Add(
                    new Core.Records.Sample
                    {
                        Time = Time(minute),
                        Start = Time(day),
                        Value = Value.Of(sumArrived),
                        Attributes = attributes,
                    }
                );
                shown.Add(
                    new Core.Records.Sample
                    {
                        Time = Time(minute),
                        Start = Time(day),
                        Value = Value.Of(sumShown),
                        Attributes = attributes,
                    }
                );
                next++;
            }
            foreach (
                var (name, what, samples) in new[]
                {
                    ("skerry.notices.arrived", "Notices that came for the screens of a terminal", arrived),
                    ("skerry.notices.shown", "Notices that its screens showed", shown),
                }
            )
                yield return new Core.Records.Metric(name, "{notice}", what, MetricKind.Sum, resource, Notices, samples)
                {
                    IsMonotonic = true,
                    Temporality = Temporality.Cumulative,
                };
        }
    }
}
