using Kumiko.Core.Records;
using Kumiko.Worlds.Disturbances;
using Kumiko.Worlds.Flow;
using Kumiko.Worlds.Topologies;

namespace Kumiko.Worlds.Signals;

/// <summary>What hosts and processes say they are, by the names of OpenTelemetry's conventions. For one thread.</summary>
public sealed class Resources(Simulation world)
{
    private readonly Dictionary<(string Host, DateTimeOffset Start), Resource> _processes = [];
    private readonly Dictionary<string, Resource> _hosts = [];

    /// <summary>A host with the service that it is for.</summary>
    public Resource HostOf(Service service, Host host)
    {
        if (_hosts.TryGetValue(host.Name, out var known))
            return known;
        return _hosts[host.Name] = Made(
            ("service.name", service.Name),
            ("host.name", host.Name),
            ("deployment.environment.name", host.Environment)
        );
    }

    /// <summary>What runs of a service on a host at a time.</summary>
    public Resource ProcessOf(Service service, int host, DateTimeOffset time, IReadOnlyList<Play> plays)
    {
        var instance = world.Instances.At(service, host, time, plays);
        var on = service.Hosts[host];
        if (_processes.TryGetValue((on.Name, instance.Start), out var known))
            return known;
        var release = world.Instances.ReleaseOf(service, instance.Start);
        return _processes[(on.Name, instance.Start)] = Made(
            ("service.name", service.Name),
            ("service.version", VersionAt(service, release, instance, plays)),
            ("service.instance.id", Instances.IdOf(on.Name, instance)),
            ("process.executable.name", service.Name),
            ("host.name", on.Name),
            ("deployment.environment.name", on.Environment),
            (
                "process.creation.time",
                instance.Start.UtcDateTime.ToString("yyyy-MM-ddTHH:mm:ssZ", System.Globalization.CultureInfo.InvariantCulture)
            )
        );
    }

    /// <summary>Some other program on a host.</summary>
    public Resource ProgramOf(Host host, string name) =>
        Made(("host.name", host.Name), ("process.executable.name", name), ("deployment.environment.name", host.Environment));

    /// <summary>What a release that goes wrong calls itself, where its disturbance says so.</summary>
    private static string VersionAt(Service service, int release, in Instance instance, IReadOnlyList<Play> plays)
    {
        foreach (var play in plays)
            if (play.Of.Service == service.Name && play.Of.Kind == "deploy" && char.IsAsciiDigit(play.Of.To.FirstOrDefault()))
                if (instance.Start >= play.Start && (play.End is not { } end || instance.Start < end))
                    return play.Of.To;
        return Instances.VersionOf(service, release);
    }

    private static Resource Made(params ReadOnlySpan<(string Name, string Value)> of)
    {
        var (names, values) = (new List<string>(), new List<Value>());
        foreach (var (name, value) in of)
            if (value.Length > 0)
            {
                names.Add(name);
                values.Add(Value.Of(value));
            }
        return new Resource(new Attributes([.. names], [.. values]));
    }
}
