namespace Kumiko.Core.Changes;

/// <summary>Where a change was made, by what stands there.</summary>
public sealed record ChangeScope(
    IReadOnlyList<string> Services,
    IReadOnlyList<string> Hosts,
    IReadOnlyList<string> Instances,
    IReadOnlyList<string> Places
)
{
    public static readonly ChangeScope Nowhere = new([], [], [], []);

    private static readonly char[] Between = [',', ';', '\n', '\t'];

    public bool IsEmpty => Services.Count + Hosts.Count + Instances.Count + Places.Count == 0;

    /// <summary>What a text names: <c>booking-web, gate-t1 and Tarnhead</c>.</summary>
    /// <param name="known">What a name is called that runs here; anything else is a place.</param>
    public static ChangeScope Of(string text, Func<string, EntityKind?> known)
    {
        var scope = Nowhere;
        foreach (var part in text.Split(Between, StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries))
        foreach (var name in known(part) is null ? Words(part, known) : [part])
            scope = scope.With(known(name) ?? EntityKind.Place, name);
        return scope;
    }

    private static readonly string[] Ties = [" and ", " at ", " on ", " of ", " in "];

    /// <summary>The names of a text of several, where one of them at least is known; else the text as it is.</summary>
    private static string[] Words(string text, Func<string, EntityKind?> known)
    {
        var names = text.Split(Ties, StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries);
        return Array.Exists(names, n => known(n) is not null) ? names : [text];
    }

    public ChangeScope With(EntityKind kind, string name) =>
        kind switch
        {
            EntityKind.Service => this with { Services = Added(Services, name) },
            EntityKind.Host => this with { Hosts = Added(Hosts, name) },
            EntityKind.Instance => this with { Instances = Added(Instances, name) },
            _ => this with { Places = Added(Places, name) },
        };

    private static IReadOnlyList<string> Added(IReadOnlyList<string> names, string name) =>
        names.Contains(name) ? names : [.. names, name];
}

/// <summary>What can run somewhere, or be somewhere.</summary>
public enum EntityKind
{
    Service,
    Host,
    Instance,
    Place,
}
