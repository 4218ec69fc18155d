using Kumiko.Worlds.Topologies;

namespace Kumiko.Worlds.Disturbances;

/// <summary>Kinds of disturbance that any topology can have: each makes one of its kind at a place that chance gives, or null
/// where there is none for it.</summary>
public static class Kinds
{
    public static IReadOnlyList<(string Name, Func<Topology, Chance, Disturbance?> Make)> All { get; } =
    [
        ("slow release", SlowRelease),
        ("failing release", FailingRelease),
        ("half a certificate", HalfCertificate),
        ("short time-out", ShortTimeOut),
        ("memory that is kept", Leak),
        ("consumer gone", ConsumerGone),
        ("busy neighbour", BusyNeighbour),
        ("outside party slow", OutsideSlow),
        ("wrong values", WrongValues),
        ("disk fills", DiskFills),
        ("more demand", MoreDemand),
    ];

    private static Disturbance? SlowRelease(Topology topology, Chance chance) =>
        Of(Callees(topology), chance) is { } service
            ? Release(1, service, $"a release of {service.Name} takes its time") with
            {
                Acts =
                [
                    new Act(ActOn.OwnTime, service.Name, 5 + (5 * chance.Unit(1))),
                    new Act(ActOn.Processor, service.Name, 0.25),
                ],
            }
            : null;

    private static Disturbance? FailingRelease(Topology topology, Chance chance) =>
        Of(Callees(topology), chance) is { } service
            ? Release(2, service, $"a release of {service.Name} fails") with
            {
                Acts = [new Act(ActOn.Failures, service.Name, 0.25 + (0.3 * chance.Unit(1))) { Error = "NullReference" }],
            }
            : null;

    private static Disturbance? HalfCertificate(Topology topology, Chance chance)
    {
        var callers = Ours(topology)
            .Where(s => s.Hosts.Count > 1 && s.Operations.Any(o => o.Calls.Any(c => IsOutside(topology, c))));
        if (Of([.. callers], chance) is not { } service)
            return null;
        string[] hosts = [.. service.Hosts.Skip(service.Hosts.Count / 2).Select(h => h.Name)];
        return new Disturbance(3, $"the certificate of {service.Name} was not renewed on {string.Join(", ", hosts)}")
        {
            Service = service.Name,
            Hosts = hosts,
            What = service.Name + " certificate",
            Where = service.Name,
            From = "renewed on none",
            To = "renewed on some",
            Kind = "certificate",
            Who = "Oluchi Brandt",
            Acts = [new Act(ActOn.Failures, service.Name, 0.9) { Hosts = hosts, Error = "CertificateUnknown" }],
        };
    }

    private static Disturbance? ShortTimeOut(Topology topology, Chance chance)
    {
        var edges = Ours(topology)
            .SelectMany(s =>
                s.Operations.SelectMany(o => o.Calls.Where(c => c.Queue.Length == 0 && !c.IsOptional).Select(c => (s, o, c)))
            )
            .Where(e => CalleeOf(topology, e.c).Operation.Own >= 20)
            .ToList();
        if (edges.Count == 0)
            return null;
        var (service, operation, call) = edges[(int)(chance.Unit(0) * edges.Count)];
        var (callee, called) = CalleeOf(topology, call);
        var now = Math.Round(called.Own * 1.25);
        return new Disturbance(4, $"{service.Name} goes away from {callee.Name} after {now} ms")
        {
            Service = service.Name,
            What = "time-out to " + callee.Name,
            Where = service.Name,
            From = FormattableString.Invariant($"{call.TimeOut} ms"),
            To = FormattableString.Invariant($"{now} ms"),
            Who = "Oluchi Brandt",
            Acts = [new Act(ActOn.TimeOut, service.Name, now) { Operation = operation.Name, Callee = callee.Name }],
        };
    }

    private static Disturbance? Leak(Topology topology, Chance chance) =>
        Of(Callees(topology), chance) is { } service
            ? Release(5, service, $"a release of {service.Name} never lets go of what it reads") with
            {
                Acts =
                [
                    new Act(ActOn.Memory, service.Name, (service.MemoryLimit - service.Memory) / (22 + (18 * chance.Unit(1)))),
                ],
            }
            : null;

    private static Disturbance? ConsumerGone(Topology topology, Chance chance)
    {
        if (topology.Queues.Count == 0)
            return null;
        var queue = topology.Queues[(int)(chance.Unit(0) * topology.Queues.Count)];
        var consumer = Ours(topology)
            .SelectMany(s => s.Operations)
            .SelectMany(o => o.Calls)
            .Where(c => c.Queue == queue.Name)
            .Select(c => CalleeOf(topology, c).Service)
            .First();
        var gone = consumer.Hosts[^1].Name;
        return new Disturbance(6, $"a consumer of {queue.Name} was scaled away")
        {
            Service = consumer.Name,
            Hosts = [gone],
            What = consumer.Name + " consumers",
            Where = consumer.Name,
            From = FormattableString.Invariant($"{consumer.Hosts.Count}"),
            To = FormattableString.Invariant($"{consumer.Hosts.Count - 1}"),
            Kind = "scale",
            Who = "Mirek Dane",
            Rise = TimeSpan.Zero,
            Fall = TimeSpan.Zero,
            Aftermath = TimeSpan.FromMinutes(90),
            Acts =
            [
                new Act(ActOn.Hosts, consumer.Name, 1) { Hosts = [gone] },
                new Act(ActOn.Queue, queue.Name, queue.PerSecond * 9),
            ],
        };
    }

    private static Disturbance? BusyNeighbour(Topology topology, Chance chance)
    {
        var services = Callees(topology).Where(s => s.Hosts.Count > 1).ToList();
        if (Of(services, chance) is not { } service)
            return null;
        var host = service.Hosts[(int)(chance.Unit(1) * service.Hosts.Count)].Name;
        return new Disturbance(7, $"something else keeps {host} busy")
        {
            Service = service.Name,
            Hosts = [host],
            Kind = "",
            Acts =
            [
                new Act(ActOn.Processor, service.Name, 0.6) { Hosts = [host] },
                new Act(ActOn.OwnTime, service.Name, 9) { Hosts = [host] },
            ],
        };
    }

    private static Disturbance? OutsideSlow(Topology topology, Chance chance)
    {
        var parties = topology.Services.Where(s => s.Kind == PartyKind.Outside).ToList();
        return Of(parties, chance) is { } party
            ? new Disturbance(8, $"{party.Name} is slow")
            {
                Service = party.Name,
                Kind = "",
                Acts = [new Act(ActOn.OwnTime, party.Name, 7), new Act(ActOn.Failures, party.Name, 0.1) { Error = "503" }],
            }
            : null;
    }

    private static Disturbance? WrongValues(Topology topology, Chance chance)
    {
        if (topology.Feeds.Count == 0)
            return null;
        var feed = topology.Feeds[(int)(chance.Unit(0) * topology.Feeds.Count)];
        var reader = Ours(topology)
            .FirstOrDefault(s =>
                s.Operations.Any(o => o.Calls.Any(c => c.To.StartsWith(feed.Of + " ", StringComparison.Ordinal)))
            );
        var source = topology.ServiceOf(feed.Of);
        return reader is null
            ? null
            : Release(9, source, $"{feed.Of} sends {feed.Name} in another unit") with
            {
                Rise = TimeSpan.Zero,
                Fall = TimeSpan.Zero,
                Acts =
                [
                    new Act(ActOn.Feed, feed.Name, 100),
                    new Act(ActOn.Failures, reader.Name, 0.5) { Error = "OutOfRange", After = TimeSpan.FromMinutes(2) },
                ],
            };
    }

    private static Disturbance? DiskFills(Topology topology, Chance chance) =>
        Of(Callees(topology), chance) is { } service
            ? new Disturbance(10, $"verbose logs fill the disks of {service.Name}")
            {
                Service = service.Name,
                What = "flag verbose-log",
                Where = service.Name,
                From = "off",
                To = "on",
                Kind = "flag",
                Who = "Tomas Verrall",
                Aftermath = TimeSpan.FromHours(3),
                Acts = [new Act(ActOn.Disk, service.Name, 0.57), new Act(ActOn.OwnTime, service.Name, 1.15)],
            }
            : null;

    private static Disturbance? MoreDemand(Topology topology, Chance chance)
    {
        var entries = Ours(topology).Where(s => s.Operations.Any(o => o.Entries.Count > 0)).ToList();
        return Of(entries, chance) is { } service
            ? new Disturbance(11, $"many more people come to {service.Name}")
            {
                Service = service.Name,
                Kind = "",
                IsFault = false,
                Rise = TimeSpan.FromMinutes(6),
                Fall = TimeSpan.FromMinutes(10),
                Acts = [new Act(ActOn.Demand, service.Name, 2.2)],
            }
            : null;
    }

    private static Disturbance Release(int number, Service service, string cause)
    {
        var parts = service.Version.Split('.');
        return new Disturbance(number, cause)
        {
            Service = service.Name,
            What = service.Name,
            Where = service.Name,
            From = service.Version,
            To = $"{parts[0]}.{int.Parse(parts[1], System.Globalization.CultureInfo.InvariantCulture) + 30}.0",
            Kind = "deploy",
            Who = "Oluchi Brandt",
        };
    }

    private static IEnumerable<Service> Ours(Topology topology) => topology.Services.Where(s => s.Kind == PartyKind.Service);

    /// <summary>Services of ours that others wait for.</summary>
    private static List<Service> Callees(Topology topology) =>
        [
            .. Ours(topology)
                .Where(s =>
                    Ours(topology)
                        .Any(c =>
                            c.Operations.Any(o =>
                                o.Calls.Any(x =>
                                    !x.IsOptional
                                    && x.Queue.Length == 0
                                    && x.To.StartsWith(s.Name + " ", StringComparison.Ordinal)
                                )
                            )
                        )
                ),
        ];

    private static bool IsOutside(Topology topology, Call call) => CalleeOf(topology, call).Service.Kind == PartyKind.Outside;

    private static (Service Service, Operation Operation) CalleeOf(Topology topology, Call call)
    {
        var blank = call.To.IndexOf(' ', StringComparison.Ordinal);
        var service = topology.ServiceOf(call.To[..blank]);
        return (service, service.Operations.First(o => o.Name == call.To[(blank + 1)..]));
    }

    private static Service? Of(IReadOnlyList<Service> services, Chance chance) =>
        services.Count == 0 ? null : services[(int)(chance.Unit(0) * services.Count)];
}
