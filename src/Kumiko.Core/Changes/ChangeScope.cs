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

    /// <summary>The names of a text of several, where all of its words but those that tie them together are known; else the text as
    /// it is.</summary>
    private static IEnumerable<string> Words(string text, Func<string, EntityKind?> known)
    {
        string[] words =
        [
            .. text.Split(' ', StringSplitOptions.RemoveEmptyEntries).Where(w => w is not ("and" or "at" or "on" or "of")),
        ];
        return words.Length > 0 && Array.TrueForAll(words, w => known(w) is not null) ? words : [text];
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
