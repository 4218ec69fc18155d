using Kumiko.Worlds.Disturbances;
using Kumiko.Worlds.Topologies;

namespace Kumiko.Worlds.Flow;

/// <summary>A process of a service on a host, from its start to its end.</summary>
/// <param name="Start">When it began.</param>
/// <param name="Why">Why the one before it ended: release, restart or memory.</param>
/// <param name="LeaksSince">Since when it keeps what it reads; null where it lets go.</param>
public readonly record struct Instance(DateTimeOffset Start, string Why, DateTimeOffset? LeaksSince, double PerMinute);

/// <summary>When the processes of a host begin and end: now and then at night, with every release, and when memory runs
/// out.</summary>
public sealed class Instances(Topology topology, int seed)
{
    public const string Release = "release";
    public const string Restart = "restart";
    public const string MemoryOut = "memory";

    /// <summary>How long a process takes to be there again after it was ended for its memory.</summary>
    public static readonly TimeSpan Down = TimeSpan.FromSeconds(50);

    private static readonly DateTimeOffset Epoch = new(2026, 1, 1, 0, 0, 0, TimeSpan.Zero);

    /// <summary>Days from one harmless restart of a host to the next.</summary>
    private const double RestartEvery = 9;

    private readonly Dictionary<string, Chance> _releases = topology.Services.ToDictionary(
        s => s.Name,
        s => Chance.Of(seed, "release " + s.Name)
    );
    private readonly Dictionary<string, Chance> _restarts = topology
        .Services.SelectMany(s => s.Hosts)
        .ToDictionary(h => h.Name, h => Chance.Of(seed, "restart " + h.Name));

    private readonly System.Collections.Concurrent.ConcurrentDictionary<string, (Instance Of, DateTimeOffset Until)> _calm =
        new();

    /// <summary>What a service runs at a time: the number of its release.</summary>
    public int ReleaseOf(Service service, DateTimeOffset time) =>
        service.ReleaseEvery <= 0 ? 0 : (int)Releases(service, time).Number;

    /// <summary>The version that a release number makes, such as 5.12.3.</summary>
    public static string VersionOf(Service service, int release)
    {
        if (service.ReleaseEvery <= 0)
            return service.Version;
        var parts = service.Version.Split('.');
        var minor = int.Parse(parts[1], System.Globalization.CultureInfo.InvariantCulture);
        return FormattableString.Invariant($"{parts[0]}.{minor + (release / 4)}.{release % 4}");
    }

    /// <summary>The latest release of a service: when it went out, in the morning or the afternoon of a working day.</summary>
    public (long Number, DateTimeOffset At) Releases(Service service, DateTimeOffset time)
    {
        var chance = _releases[service.Name];
        var number = (long)Math.Floor((time - Epoch).TotalDays / service.ReleaseEvery) + 2;
        while (ReleaseAt(service, chance, number, time.Offset) > time)
            number--;
        return (number, ReleaseAt(service, chance, number, time.Offset));
    }

    private static DateTimeOffset ReleaseAt(Service service, Chance chance, long number, TimeSpan offset)
    {
        var of = chance.Of(number);
        var day = Math.Floor((number + (0.3 * of.Unit(0)) + (0.6 * chance.Unit(3))) * service.ReleaseEvery);
        var minute = 560 + (of.Unit(1) * 380);
        var date = Epoch.DateTime.AddDays(day);
        // Nobody releases on a Sunday or a Saturday.
        date = date.AddDays(
            date.DayOfWeek switch
            {
                DayOfWeek.Saturday => 2,
                DayOfWeek.Sunday => 1,
                _ => 0,
            }
        );
        return new DateTimeOffset(date.AddMinutes(Math.Round(minute)), offset);
    }

    /// <summary>When a host gets a release, one after the other.</summary>
    public static TimeSpan Turn(int host) => TimeSpan.FromSeconds(70 * host);

    /// <summary>What runs of a service on one of its hosts.</summary>
    public Instance At(Service service, int host, DateTimeOffset time, IReadOnlyList<Play> plays)
    {
        var latest = Calm(service, host, time);
        foreach (var play in plays)
            if (play.Of.Service == service.Name && time >= play.Start && IsThere(play, service.Hosts[host].Name))
                latest = After(play, service, host, time, latest);
        return latest;
    }

    /// <summary>What runs where nothing is played; kept until the next one begins.</summary>
    private Instance Calm(Service service, int host, DateTimeOffset time)
    {
        var name = service.Hosts[host].Name;
        if (
            _calm.TryGetValue(name, out var known)
            && time >= known.Of.Start
            && time < known.Until
            && known.Of.Start.Offset == time.Offset
        )
            return known.Of;
        var (restarted, next) = Restarted(name, time);
        var latest = new Instance(restarted, Restart, null, 0);
        if (service.ReleaseEvery > 0)
        {
            var (number, at) = Releases(service, time - Turn(host));
            var following = ReleaseAt(service, _releases[service.Name], number + 1, time.Offset) + Turn(host);
            next = following < next ? following : next;
            if (at + Turn(host) > latest.Start)
                latest = new Instance(at + Turn(host), Release, null, 0);
        }
        _calm[name] = (latest, next);
        return latest;
    }

    private static bool IsThere(Play play, string host) => play.Of.Hosts.Count == 0 || play.Of.Hosts.Contains(host);

    private static Instance After(Play play, Service service, int host, DateTimeOffset time, Instance latest)
    {
        var leak = play.Of.Acts.FirstOrDefault(a => a.On == ActOn.Memory);
        var begins = play.Start + Turn(host);
        var ends = play.End + Turn(host);
        if (play.Of.Kind == "deploy" && begins <= time && begins > latest.Start)
            latest = new Instance(begins, Release, null, 0);
        if (leak is not null && time >= begins && (ends is null || time < ends))
        {
            // Hosts have their own share of the work, so that they do not end together.
            var perMinute = leak.Amount * (1 + (0.16 * host));
            var lives = TimeSpan.FromMinutes((service.MemoryLimit - service.Memory) / perMinute);
            var ended = (int)Math.Floor((time - begins) / (lives + Down));
            var since = begins + (ended * (lives + Down));
            latest = new Instance(since, ended == 0 ? latest.Why : MemoryOut, since, perMinute);
        }
        if (play.Of.Kind == "deploy" && ends <= time && ends > latest.Start)
            latest = new Instance(ends.Value, Release, null, 0);
        return latest;
    }

    private (DateTimeOffset Latest, DateTimeOffset Next) Restarted(string host, DateTimeOffset time)
    {
        var chance = _restarts[host];
        var number = (long)Math.Floor((time - Epoch).TotalDays / RestartEvery) + 2;
        while (At(number) > time)
            number--;
        return (At(number), At(number + 1));

        DateTimeOffset At(long number)
        {
            var day = Math.Floor((number + (0.8 * chance.Of(number).Unit(0))) * RestartEvery);
            return new DateTimeOffset(
                Epoch.DateTime.AddDays(day).AddMinutes(130 + Math.Floor(110 * chance.Of(number).Unit(1))),
                time.Offset
            );
        }
    }

    /// <summary>MiB that the process has taken, how short of memory it is, 0 to 1, and whether it is gone.</summary>
    public static (double Memory, double Pressure, bool IsDown) MemoryAt(
        in Instance instance,
        Service service,
        DateTimeOffset time
    )
    {
        if (instance.LeaksSince is not { } since)
            return (service.Memory, 0, false);
        var memory = service.Memory + (instance.PerMinute * (time - since).TotalMinutes);
        var share = (memory - service.Memory) / (service.MemoryLimit - service.Memory);
        return (Math.Min(memory, service.MemoryLimit), Math.Clamp((share - 0.88) / 0.12, 0, 1), memory >= service.MemoryLimit);
    }

    /// <summary>When in a minute a process is ended for its memory; null where none is.</summary>
    public DateTimeOffset? EndsIn(Service service, int host, DateTimeOffset minute, IReadOnlyList<Play> plays)
    {
        if (At(service, host, minute, plays) is not { LeaksSince: { } since } instance)
            return null;
        var end = since.AddMinutes((service.MemoryLimit - service.Memory) / instance.PerMinute);
        return end >= minute && end < minute.AddMinutes(1) ? end : null;
    }

    /// <summary>The id that tells one process from the next of its host.</summary>
    public static string IdOf(string host, in Instance instance) =>
        $"{host}-{Trace.Hex(Chance.Of((int)(instance.Start.ToUnixTimeSeconds() / 10), host).Bits(0))[..6]}";

    /// <summary>Services of ours.</summary>
    public IEnumerable<Service> Services => topology.Services.Where(s => s.Kind == PartyKind.Service);
}
