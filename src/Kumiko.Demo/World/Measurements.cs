using Kumiko.Core.Records;

namespace Kumiko.Demo.World;

/// <summary>What the world measures once a minute, as metrics ready to be sent or kept: gauges, counters that begin anew at
/// midnight, deltas, histograms.</summary>
public static class Measurements
{
    private static readonly double[] Bounds = [0.005, 0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1, 2.5, 5];
    private static readonly InstrumentationScope Hosts = new("skerry.hosts", "2", Attributes.Empty);
    private static readonly InstrumentationScope Notices = new("skerry.notices", "1", Attributes.Empty);

    /// <summary>Services whose hosts are fetched from instead, see HostMetrics.</summary>
    public static readonly string[] Scraped = ["berth-planner", "crew-roster"];

    /// <summary>All metrics with a sample for each full minute of a stretch.</summary>
    public static IReadOnlyList<Core.Records.Metric> Between(
        DateTimeOffset from,
        DateTimeOffset until,
        IReadOnlyList<Play> plays,
        int seed
    )
    {
        var minutes = new List<DateTimeOffset>();
        for (var minute = Simulator.Floor(from); minute < until; minute = minute.AddMinutes(1))
            if (minute >= from)
                minutes.Add(minute);
        if (minutes.Count == 0)
            return [];
        var metrics = new List<Core.Records.Metric>();
        foreach (var (service, hosts) in SkerryLine.Hosts.Where(s => !Scraped.Contains(s.Key)))
        foreach (var host in hosts)
        {
            var resource = new Resource(
                new Attributes(
                    ["service.name", "host.name", "deployment.environment.name"],
                    [Value.Of(service), Value.Of(host), Value.Of(SkerryLine.EnvironmentOf(host))]
                )
            );
            foreach (var metric in Metric.Of(service, host))
                metrics.Add(
                    new Core.Records.Metric(
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
                    }
                );
            if (service is "booking-web" or "fare-engine" or "gate-control")
                metrics.Add(Durations(service, host, resource, minutes, plays, seed));
            if (host == "notice-1")
                metrics.AddRange(Screens(resource, minutes, plays, seed));
            if (host == "manifest-1")
                metrics.AddRange(Boarding.Between(resource, minutes, plays, seed));
        }
        return metrics;
    }

    private static long Time(DateTimeOffset time) => Instants.FromDateTime(time);

    /// <summary>How long requests took: spread like a logarithmic normal around a middle that trouble moves.</summary>
    private static Core.Records.Metric Durations(
        string service,
        string host,
        Resource resource,
        List<DateTimeOffset> minutes,
        IReadOnlyList<Play> plays,
        int seed
    )
    {
        var share = 1.0 / SkerryLine.Hosts[service].Length;
        return new(
            "http.server.request.duration",
            "s",
            "How long requests took until the last byte of the answer",
            MetricKind.Histogram,
            resource,
            Hosts,
            [
                .. minutes.Select(m =>
                {
                    var trouble = service switch
                    {
                        "gate-control" => Metric.Playing(1, m, plays),
                        "booking-web" => Math.Max(Metric.Playing(2, m, plays), 0.6 * Metric.Playing(8, m, plays)),
                        _ => 0,
                    };
                    var middle =
                        (service == "fare-engine" ? 0.032 : 0.055) * (1 + (0.5 * SkerryLine.Busy(m))) * (1 + (6 * trouble));
                    var random = new Random(Seeds.Of(seed + 11, host, m.ToUnixTimeSeconds() / 60));
                    var all = 90 * share * (0.4 + SkerryLine.Busy(m)) * (1 + (0.2 * (random.NextDouble() - 0.5)));
                    var counts = new ulong[Bounds.Length + 1];
                    var (below, sum, count) = (0.0, 0.0, 0UL);
                    for (var i = 0; i < counts.Length; i++)
                    {
                        var upTo = i < Bounds.Length ? Below(Bounds[i], middle) : 1;
                        counts[i] = (ulong)Math.Floor(((upTo - below) * all) + random.NextDouble());
                        count += counts[i];
                        sum += counts[i] * MiddleOf(i);
                        below = upTo;
                    }
                    return new Core.Records.Sample
                    {
                        Time = Time(m),
                        Start = Time(m.AddMinutes(-1)),
                        Distribution = new Distribution(count, Math.Round(sum, 4)) { Bounds = Bounds, Counts = counts },
                    };
                }),
            ]
        )
        {
            Temporality = Temporality.Delta,
        };
    }

    /// <summary>A value that stands for all in a bucket.</summary>
    private static double MiddleOf(int bucket)
    {
        if (bucket == 0)
            return Bounds[0] * 0.7;
        return bucket < Bounds.Length ? (Bounds[bucket - 1] + Bounds[bucket]) / 2 : Bounds[^1] * 1.3;
    }

    /// <summary>The share below a bound of a logarithmic normal with a spread of 0.8; a logistic curve stands for the normal
    /// one.</summary>
    private static double Below(double bound, double middle) => 1 / (1 + Math.Exp(-1.702 * Math.Log(bound / middle) / 0.8));

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
