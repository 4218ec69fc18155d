using Kumiko.Core.Records;
using Kumiko.Worlds.Disturbances;
using Kumiko.Worlds.Flow;
using Kumiko.Worlds.Topologies;

namespace Kumiko.Worlds.Signals;

/// <summary>What services count of the requests that they answer: every one, whatever samplers keep; and queues and
/// feeds.</summary>
public sealed class RequestMetrics(Simulation world)
{
    private static readonly double[] Bounds = [0.005, 0.01, 0.025, 0.05, 0.075, 0.1, 0.25, 0.5, 0.75, 1, 2.5, 5, 7.5, 10];
    private static readonly InstrumentationScope Scope = new("requests", "2", Attributes.Empty);

    private readonly Resources _resources = new(world);

    private sealed class Counted
    {
        public readonly ulong[] Counts = new ulong[Bounds.Length + 1];
        public double Sum;
        public ulong Count;

        public void Add(double seconds)
        {
            var bucket = Array.FindIndex(Bounds, b => seconds <= b);
            Counts[bucket < 0 ? Bounds.Length : bucket]++;
            Sum += seconds;
            Count++;
        }
    }

    /// <summary>Metrics for each full minute of a stretch: a sample at the minute's end.</summary>
    public IReadOnlyList<Metric> Between(DateTimeOffset from, DateTimeOffset until, IReadOnlyList<Play> plays)
    {
        var series = new Dictionary<(int Service, int Host), (Series Durations, Series Counts)>();
        for (var minute = Simulation.Floor(from); minute.AddMinutes(1) <= until; minute = minute.AddMinutes(1))
        {
            if (minute < from)
                continue;
            var counted = new Dictionary<(int Service, int Host, string Error), Counted>();
            for (var s = 0; s < world.Topology.Services.Count; s++)
                if (world.Topology.Services[s] is { Kind: PartyKind.Service } service)
                    for (var h = 0; h < service.Hosts.Count; h++)
                        counted[(s, h, "")] = new Counted();
            foreach (var visit in world.Visits(minute, plays))
            {
                var node = world.Graph.Nodes[visit.Node];
                if (visit.Host < 0)
                    continue;
                var key = (node.Service, visit.Host, visit.Error);
                if (!counted.TryGetValue(key, out var of))
                    counted.Add(key, of = new Counted());
                of.Add(visit.Milliseconds / 1e3);
            }
            foreach (var ((s, h, error), of) in counted)
                Add(series, s, h, error, of, minute);
        }
        return
        [
            .. series.Values.SelectMany(s =>
                new[] { s.Durations.Made(MetricKind.Histogram) with { Temporality = Temporality.Delta }, s.Counts.Made() }
            ),
        ];
    }

    private void Add(
        Dictionary<(int, int), (Series Durations, Series Counts)> series,
        int s,
        int h,
        string error,
        Counted of,
        DateTimeOffset minute
    )
    {
        var service = world.Topology.Services[s];
        var (start, time) = (Instants.FromDateTime(minute), Instants.FromDateTime(minute.AddMinutes(1)));
        if (!series.TryGetValue((s, h), out var both))
        {
            var resource = _resources.HostOf(service, service.Hosts[h]);
            series[(s, h)] = both = (
                new Series(
                    "http.server.request.duration",
                    "s",
                    "How long requests took until the last byte of the answer",
                    false,
                    resource,
                    Scope
                ),
                new Series("http.server.request.count", "{request}", "Requests that came in", true, resource, Scope)
            );
        }
        var attributes = error.Length == 0 ? Attributes.Empty : new Attributes(["error.type"], [Value.Of(error)]);
        both.Durations.Add(
            new Sample
            {
                Time = time,
                Start = start,
                Attributes = attributes,
                Distribution = new Distribution(of.Count, Math.Round(of.Sum, 6)) { Bounds = Bounds, Counts = of.Counts },
            }
        );
        both.Counts.Add(time, of.Count, attributes, start);
    }

    /// <summary>Queues by those that wait, and feeds by their value, at each full minute of a stretch.</summary>
    public IEnumerable<Metric> Gauges(DateTimeOffset from, DateTimeOffset until, IReadOnlyList<Play> plays)
    {
        foreach (var queue in world.Topology.Queues)
            if (ConsumerOf(queue.Name) is { } consumer)
                foreach (var host in consumer.Hosts)
                    yield return Gauge(
                        queue.Metric,
                        "{message}",
                        "Messages that wait",
                        consumer,
                        host,
                        from,
                        until,
                        (t, little) => Math.Round(plays.Waiting(queue.Name, t) + 12 + (10 * (little.Unit(0) - 0.5)))
                    );
        foreach (var feed in world.Topology.Feeds)
        {
            var service = world.Topology.ServiceOf(feed.Of);
            for (var h = 0; h < service.Hosts.Count; h++)
            {
                var station = h + 1;
                yield return Gauge(feed.Metric, feed.Unit, feed.What, service, service.Hosts[h], from, until, (t, little) =>
                    Math.Round(
                        (feed.At(t, station) + (0.02 * feed.Swing * (little.Unit(0) - 0.5)))
                            * plays.Factor(ActOn.Feed, feed.Name, t),
                        4
                    )
                );
            }
        }
    }

    private Service? ConsumerOf(string queue) =>
        world
            .Graph.Nodes.SelectMany(n => n.Calls)
            .Where(c => c.Call.Queue == queue)
            .Select(c => world.Graph.Nodes[c.Callee].Of)
            .FirstOrDefault();

    private Metric Gauge(
        string name,
        string unit,
        string what,
        Service service,
        Host host,
        DateTimeOffset from,
        DateTimeOffset until,
        Func<DateTimeOffset, Chance, double> value
    )
    {
        var series = new Series(name, unit, what, false, _resources.HostOf(service, host), Scope);
        var chance = Chance.Of(world.Seed, name + host.Name);
        for (var minute = Simulation.Floor(from); minute < until; minute = minute.AddMinutes(1))
            if (minute >= from)
                series.Add(
                    Instants.FromDateTime(minute),
                    value(minute, chance.Of(minute.ToUnixTimeSeconds() / 60)),
                    Attributes.Empty,
                    0
                );
        return series.Made();
    }
}
