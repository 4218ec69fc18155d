using System.Text.Json;
using System.Text.Json.Serialization;

namespace Kumiko.Worlds.Topologies;

/// <summary>Reads topologies out of JSON, and those that come with this library.</summary>
public static class TopologyFile
{
    private static readonly JsonSerializerOptions Options = new(JsonSerializerDefaults.Web)
    {
        ReadCommentHandling = JsonCommentHandling.Skip,
        AllowTrailingCommas = true,
        UnmappedMemberHandling = JsonUnmappedMemberHandling.Disallow,
        Converters = { new JsonStringEnumConverter() },
    };

    /// <summary>The names of those that come along.</summary>
    public static IReadOnlyList<string> Names { get; } = ["skerry-line", "kelp-works", "night-post"];

    /// <summary>One that comes along.</summary>
    public static Topology Named(string name)
    {
        using var file = typeof(TopologyFile).Assembly.GetManifestResourceStream($"Kumiko.Worlds.Topologies.{name}.json")
            ?? throw new FormatException($"No topology is called {name}. There are {string.Join(", ", Names)}.");
        return Read(file);
    }

    /// <exception cref="FormatException">It is no topology, or names something that it does not have.</exception>
    public static Topology Read(Stream json)
    {
        Topology topology;
        try
        {
            topology = JsonSerializer.Deserialize<Topology>(json, Options) ?? throw new FormatException("The topology is empty.");
        }
        catch (JsonException e)
        {
            throw new FormatException($"The topology cannot be read: {e.Message}", e);
        }
        if (Fault(topology) is { } fault)
            throw new FormatException(fault);
        _ = new Graph(topology);
        return topology;
    }

    private static string? Fault(Topology topology)
    {
        var services = topology.Services.Select(s => s.Name).ToHashSet();
        var hosts = topology.Services.SelectMany(s => s.Hosts).Select(h => h.Name).ToHashSet();
        var rhythms = topology.Rhythms.Select(r => r.Name).Append("").ToHashSet();
        if (services.Count != topology.Services.Count)
            return "Two services have one name.";
        if (hosts.Count != topology.Services.Sum(s => s.Hosts.Count))
            return "Two hosts have one name.";
        foreach (var service in topology.Services)
        {
            if (service.Name.Contains(' ', StringComparison.Ordinal))
                return $"{service.Name}: the name of a service has no blank.";
            if (service.Kind == PartyKind.Service && service.Hosts.Count == 0)
                return $"{service.Name} runs on no host.";
            foreach (var rhythm in service.Operations.SelectMany(o => o.Entries).Select(e => e.Rhythm).Append(service.Rhythm))
                if (!rhythms.Contains(rhythm))
                    return $"{service.Name}: no rhythm is called {rhythm}.";
            foreach (var host in service.Operations.SelectMany(o => o.Entries).SelectMany(e => e.Hosts))
                if (service.Hosts.All(h => h.Name != host))
                    return $"{service.Name} does not run on {host}.";
        }
        foreach (var rhythm in topology.Rhythms)
            if (rhythm.Hours.Length == 0 || rhythm.Hours.Sum() <= 0 || rhythm.Days.Length is not (1 or 7))
                return $"{rhythm.Name}: give the hours of a day, and one or seven days.";
        if (topology.Feeds.FirstOrDefault(f => !services.Contains(f.Of)) is { } feed)
            return $"{feed.Name}: no service is called {feed.Of}.";
        if (topology.Jobs.FirstOrDefault(j => !hosts.Contains(j.Host)) is { } job)
            return $"{job.Name}: no host is called {job.Host}.";
        return topology.Flags.FirstOrDefault(f => !services.Contains(f.Service)) is { } flag
            ? $"{flag.Key}: no service is called {flag.Service}."
            : null;
    }
}
