using Kumiko.Core.Records;
using Kumiko.Worlds.Disturbances;
using Kumiko.Worlds.Flow;
using Kumiko.Worlds.Topologies;

namespace Kumiko.Worlds.Signals;

/// <summary>
/// What hosts measure of themselves and of what runs on them, by the names of OpenTelemetry's conventions: processor by mode and
/// core, load, memory by state, disk, network, and each process. They follow from what there is to do.
/// </summary>
public sealed class HostMetrics(Simulation world)
{
    private const string Agent = "shipper";
    private const double GiB = 1 << 30;
    private const double MiB = 1 << 20;

    private static readonly InstrumentationScope Scope = new("hosts", "3", Attributes.Empty);
    private static readonly string[] Modes = ["user", "system", "iowait", "idle"];
    private static readonly Attributes[] MemoryStates = One("system.memory.state", "used", "cached", "free");
    private static readonly Attributes[] DiskWays = One("disk.io.direction", "read", "write");
    private static readonly Attributes[] NetworkWays = One("network.io.direction", "receive", "transmit");
    private static readonly Attributes Established = One("network.connection.state", "established")[0];
    private static readonly Dictionary<int, Attributes[]> Cores = Enumerable
        .Range(1, 64)
        .ToDictionary(
            c => c,
            c =>
                Modes
                    .SelectMany(m =>
                        Enumerable
                            .Range(0, c)
                            .Select(i => new Attributes(
                                ["cpu.mode", "cpu.logical_number"],
                                [Value.Of(m), Value.Of(i.ToString(System.Globalization.CultureInfo.InvariantCulture))]
                            ))
                    )
                    .ToArray()
        );

    private readonly Resources _resources = new(world);
    private readonly Dictionary<string, Chance> _processors = world
        .Topology.Services.SelectMany(s => s.Hosts)
        .ToDictionary(h => h.Name, h => Chance.Of(world.Seed, "processor " + h.Name));
    private readonly Dictionary<string, int> _places = world
        .Topology.Services.Select((s, i) => (s, i))
        .ToDictionary(s => s.s.Name, s => s.i);

    /// <summary>How the processors of a host are at a minute, as shares of all of them.</summary>
    /// <param name="Service">What its service takes.</param>
    /// <param name="Job">What a job of the night or of a disturbance takes.</param>
    public readonly record struct Load(double Service, double Job, string JobName, double Waiting)
    {
        public double Busy => Math.Min(0.99, 0.025 + Service + Job);
    }

    /// <summary>All metrics of hosts for each full minute of a stretch.</summary>
    /// <param name="step">Minutes from one sample to the next.</param>
    public IEnumerable<Metric> Between(DateTimeOffset from, DateTimeOffset until, IReadOnlyList<Play> plays, int step = 1)
    {
        var conditions = new List<Conditions>();
        for (var minute = Simulation.Floor(from).AddMinutes(-15); minute < until; minute = minute.AddMinutes(1))
            conditions.Add(world.At(minute, plays));
        if (conditions.Count <= 15)
            return [];
        return world.Instances.Services.SelectMany(
            (s) => s.Hosts.SelectMany((_, h) => OfHost(s, h, conditions, from, plays, step))
        );
    }

    /// <summary>What is going on on a host at a minute.</summary>
    public Load LoadOf(Service service, int host, Conditions at)
    {
        var on = service.Hosts[host];
        var chance = _processors[on.Name];
        var minutes = at.Minute.ToUnixTimeSeconds() / 60.0;
        var busy = at.Busy[_places[service.Name]];
        var gone = at.Plays.Count > 0 && at.Plays.Sum(ActOn.Hosts, service.Name, at.Minute, on.Name) > 0;
        var takes =
            service.Processor
            * (gone ? 0.05 : busy)
            * on.Slowness
            * Math.Sqrt(on.Share)
            * Math.Exp(0.07 * Noise.At(chance, minutes))
            * (0.9 + (0.2 * chance.Unit(1)));
        var (job, name) = (0.0, "");
        var minuteOfDay = (int)at.Minute.TimeOfDay.TotalMinutes;
        foreach (var of in world.Topology.Jobs)
            if (of.Host == on.Name && minuteOfDay >= of.At && minuteOfDay < of.At + of.Minutes)
                (job, name) = (of.Processor * (0.9 + (0.2 * chance.Of((long)minutes).Unit(0))), of.Name);
        foreach (var play in at.Plays)
        foreach (var act in play.Of.Acts)
            if (act.On == ActOn.Processor && act.Service == service.Name && act.Touches(on.Name))
                takes += act.Amount * play.Strength(act, at.Minute);
        if (at.Plays.Count > 0)
        {
            var instance = world.Instances.At(service, host, at.Minute, at.Plays);
            var (_, pressure, isDown) = Instances.MemoryAt(instance, service, at.Minute);
            takes = isDown ? 0 : takes + (0.45 * pressure);
        }
        return new Load(Math.Min(0.95, takes), job, name, 0.004 + (0.25 * job) + (0.01 * busy));
    }

    private List<Metric> OfHost(
        Service service,
        int host,
        List<Conditions> conditions,
        DateTimeOffset from,
        IReadOnlyList<Play> plays,
        int step
    )
    {
        var on = service.Hosts[host];
        var resource = _resources.HostOf(service, on);
        var chance = Chance.Of(world.Seed, "host " + on.Name);
        // Bytes that a service gets in a second.
        var size = 6_000 + (60_000 * Chance.Of(world.Seed, "bytes " + service.Name).Unit(0));
        Series New(string name, string unit, string what, bool isSum = false, Resource? of = null) =>
            new(name, unit, what, isSum, of ?? resource, Scope);
        var utilization = New("system.cpu.utilization", "1", "Share of the processors that is busy");
        var time = New("system.cpu.time", "s", "Time of each processor by what it did", true);
        Series[] loads =
        [
            New("system.cpu.load_average.1m", "{thread}", "Threads that ran or waited, over a minute"),
            New("system.cpu.load_average.5m", "{thread}", "Threads that ran or waited, over 5 minutes"),
            New("system.cpu.load_average.15m", "{thread}", "Threads that ran or waited, over 15 minutes"),
        ];
        int[] spans = [1, 5, 15];
        var memory = New("system.memory.usage", "By", "Memory by what it is used for");
        var disk = New("system.disk.operations", "{operation}", "Reads and writes of disks", true);
        var waits = New("system.disk.operation_time", "s", "Time that reads and writes took", true);
        var network = New("system.network.io", "By", "Bytes that came and went", true);
        var connections = New("system.network.connection.count", "{connection}", "Connections by state");
        var files = New("system.filesystem.utilization", "1", "Share of the disk in use");
        var processes = new Dictionary<Resource, (Series Processor, Series Memory, Series Limit)>();
        (Series Processor, Series Memory, Series Limit) Process(Resource of)
        {
            if (!processes.TryGetValue(of, out var series))
                processes[of] = series = (
                    New("process.cpu.utilization", "1", "Share of all processors that a process takes", of: of),
                    New("process.memory.usage", "By", "Memory of a process", of: of),
                    New("process.memory.limit", "By", "Memory at which a process is ended", of: of)
                );
            return series;
        }
        var agent = _resources.ProgramOf(on, Agent);
        var all = conditions.ConvertAll(c => LoadOf(service, host, c));
        for (var i = 15; i < conditions.Count; i++)
        {
            var minute = conditions[i].Minute;
            if (minute < from || (minute.ToUnixTimeSeconds() / 60 % step) != 0)
                continue;
            var (at, start) = (Instants.FromDateTime(minute), Instants.FromDateTime(minute.AddMinutes(-step)));
            var (load, busy) = (all[i], conditions[i].Busy[_places[service.Name]]);
            var little = chance.Of(minute.ToUnixTimeSeconds() / 60);
            var seconds = 60.0 * step;
            utilization.Add(at, Rounded(load.Busy), Attributes.Empty, 0);
            Times(time, on, load, little, at, start, seconds);
            for (var l = 0; l < spans.Length; l++)
            {
                var sum = 0.0;
                for (var back = 0; back < spans[l]; back++)
                    sum += all[i - back].Busy + all[i - back].Waiting;
                loads[l].Add(at, Math.Round(sum / spans[l] * on.Cores * 1.15, 2), Attributes.Empty, 0);
            }
            var instance = world.Instances.At(service, host, minute, conditions[i].Plays);
            var (taken, _, isDown) = Instances.MemoryAt(instance, service, minute);
            var own = isDown ? 0 : taken * MiB * (1 + (0.04 * busy) + (0.004 * little.Normal(1)));
            var used = (0.9 * GiB) + own + (load.Job > 0 ? 0.4 * GiB : 0);
            var cached = Math.Max(0, Math.Min((on.Memory * GiB) - used, on.Memory * GiB * (0.3 + (0.05 * chance.Unit(5)))));
            memory.Add(at, Math.Round(used), MemoryStates[0], 0);
            memory.Add(at, Math.Round(cached), MemoryStates[1], 0);
            memory.Add(at, Math.Round(Math.Max(0, (on.Memory * GiB) - used - cached)), MemoryStates[2], 0);
            // Logs that are written and pages that are read.
            var writes = seconds * (3 + (9 * busy) + (140 * load.Job)) * (0.9 + (0.2 * little.Unit(4)));
            var reads = seconds * (1 + (3 * busy) + (260 * load.Job)) * (0.9 + (0.2 * little.Unit(5)));
            disk.Add(at, Math.Round(reads), DiskWays[0], start);
            disk.Add(at, Math.Round(writes), DiskWays[1], start);
            waits.Add(at, Rounded(reads * 0.0008 * (1 + (6 * load.Waiting))), DiskWays[0], start);
            waits.Add(at, Rounded(writes * 0.0013 * (1 + (6 * load.Waiting))), DiskWays[1], start);
            var bytes = seconds * size * (0.15 + busy) * on.Share * (0.92 + (0.16 * little.Unit(6)));
            network.Add(at, Math.Round(bytes), NetworkWays[0], start);
            network.Add(at, Math.Round(bytes * (1.2 + chance.Unit(7))), NetworkWays[1], start);
            connections.Add(at, Math.Round(12 + (26 * busy) + (4 * little.Unit(8))), Established, 0);
            var disks =
                Acting.DiskUsed
                + (0.02 * (chance.Unit(9) - 0.5))
                + plays.Filled(service.Name, Acting.DiskRoom - (0.02 * (chance.Unit(9) - 0.5)), minute);
            files.Add(at, Rounded(Math.Min(1, disks)), Attributes.Empty, 0);
            if (!isDown)
            {
                var (processor, held, limit) = Process(_resources.ProcessOf(service, host, minute, plays));
                processor.Add(at, Rounded(load.Service), Attributes.Empty, 0);
                held.Add(at, Math.Round(own), Attributes.Empty, 0);
                limit.Add(at, Math.Round(service.MemoryLimit * MiB), Attributes.Empty, 0);
            }
            var (aside, kept, _) = Process(agent);
            aside.Add(at, Rounded(0.006 + (0.004 * busy)), Attributes.Empty, 0);
            kept.Add(at, Math.Round((84 + (6 * little.Unit(9))) * MiB), Attributes.Empty, 0);
            if (load.Job > 0)
            {
                var (working, takes, _) = Process(_resources.ProgramOf(on, load.JobName));
                working.Add(at, Rounded(load.Job), Attributes.Empty, 0);
                takes.Add(at, Math.Round(0.4 * GiB), Attributes.Empty, 0);
            }
        }
        Series[] made = [utilization, time, .. loads, memory, disk, waits, network, connections, files];
        return
        [
            .. made.Concat(processes.Values.SelectMany(p => new[] { p.Processor, p.Memory, p.Limit }))
                .Where(s => !s.IsEmpty)
                .Select(s => s.Made()),
        ];
    }

    /// <summary>Where the time of each core went, which together is all of it.</summary>
    private static void Times(Series time, Host on, Load load, Chance little, long at, long start, double seconds)
    {
        var cores = Cores[on.Cores];
        for (var core = 0; core < on.Cores; core++)
        {
            // The first has a little more to do, as ever.
            var part = Math.Min(
                0.995,
                load.Busy * (core == 0 ? 1.12 : 1 - (0.12 / Math.Max(1, on.Cores - 1))) * (0.97 + (0.06 * little.Unit(20 + core)))
            );
            var waiting = Math.Min(load.Waiting, 1 - part);
            double[] shares = [part * 0.76, part * 0.24, waiting, 1 - part - waiting];
            for (var mode = 0; mode < Modes.Length; mode++)
                time.Add(at, Math.Round(shares[mode] * seconds, 2), cores[(mode * on.Cores) + core], start);
        }
    }

    private static double Rounded(double value) => Math.Round(value, 4);

    private static Attributes[] One(string name, params string[] values) =>
        Array.ConvertAll(values, v => new Attributes([name], [Value.Of(v)]));
}
