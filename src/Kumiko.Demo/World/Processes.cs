using Kumiko.Worlds.Disturbances;
using Kumiko.Worlds.Flow;
using Kumiko.Worlds.Topologies;

namespace Kumiko.Demo.World;

/// <summary>What is written when processes begin and end, and of the jobs of the night.</summary>
internal static class Processes
{
    /// <summary>Records of a minute.</summary>
    public static IEnumerable<SimulatedRecord> In(Simulator of, DateTimeOffset minute, IReadOnlyList<Play> plays)
    {
        foreach (var service in of.World.Instances.Services)
            for (var host = 0; host < service.Hosts.Count; host++)
                foreach (var record in OfProcess(of.World, service, host, minute, plays))
                    yield return record;
        foreach (var job in SkerryLine.Topology.Jobs)
        foreach (var record in OfJob(job, minute))
            yield return record;
    }

    private static IEnumerable<SimulatedRecord> OfProcess(
        Simulation world,
        Service service,
        int host,
        DateTimeOffset minute,
        IReadOnlyList<Play> plays
    )
    {
        var name = service.Hosts[host].Name;
        var instance = world.Instances.At(service, host, minute.AddMinutes(1).AddTicks(-1), plays);
        if (instance.Start >= minute)
        {
            var resource = new Kumiko.Worlds.Signals.Resources(world).ProcessOf(service, host, instance.Start, plays);
            var random = new Random(Seeds.Of(world.Seed, name, instance.Start.ToUnixTimeSeconds()));
            var line = Line.All.First(l => l.Service == service.Name && l.Beat == Beat.Starts);
            yield return line.Write(
                new Draw(random, instance.Start, name, plays) { Release = resource.Attributes.Get("service.version").ToText() },
                null,
                null
            );
        }
        // Until then nothing is said: only the last records tell.
        if (world.Instances.EndsIn(service, host, minute, plays) is not { } end)
            yield break;
        var limit = FormattableString.Invariant($"{service.MemoryLimit:0}");
        yield return Said(end.AddSeconds(-9), "warn", $"heap at {limit} MiB of {limit} MiB, 41 pauses within 5s", []);
        yield return Said(end.AddSeconds(-2), "error", "could not take tide readings: OutOfMemoryException", []);
        yield return Said(end, "error", $"ended, memory above {limit} MiB", [("process.exit.code", 137)]);

        SimulatedRecord Said(DateTimeOffset at, string level, string body, (string, object)[] attributes) =>
            new(at, service.Name, name, level, body, attributes, null, null, "ends:" + level + body.Length);
    }

    private static IEnumerable<SimulatedRecord> OfJob(NightlyJob job, DateTimeOffset minute)
    {
        var now = (int)minute.TimeOfDay.TotalMinutes;
        var service = SkerryLine.Hosts.First(s => s.Value.Contains(job.Host)).Key;
        if (now == job.At)
            yield return Said(3, $"job {job.Name} begins");
        if (now == job.At + job.Minutes)
            yield return Said(7, $"job {job.Name} finished after {job.Minutes}m");

        SimulatedRecord Said(int second, string body) =>
            new(minute.AddSeconds(second), service, job.Host, "info", body, [], null, null, "job:" + job.Name + second);
    }
}
