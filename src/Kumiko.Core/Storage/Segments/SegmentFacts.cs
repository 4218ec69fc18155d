using System.Collections.Concurrent;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Storage.Segments;

/// <summary>
/// What can be said of a segment without reading its rows: variables and values by the filter, constant text by the
/// templates, counts by minute; and what every look through it needs first.
/// </summary>
internal sealed class SegmentFacts(
    TokenFilter? filter,
    SegmentTemplate[] templates,
    Resource[] resources,
    FieldLayout layout,
    SmallColumns small,
    List<MinuteCount> counts,
    SharedParts shared
)
{
    private const int BytesOfCount = 32;

    private VariableStarts? _starts;

    /// <summary>How the trace ids and span ids are kept, once somebody has looked; null before.</summary>
    public TextForm? TraceForm { get; set; }
    public TextForm? SpanForm { get; set; }

    /// <summary>Bytes that it takes; templates and resources are shared with other segments.</summary>
    public int Size =>
        (filter?.Size ?? 0)
        + (templates.Length * 64)
        + (resources.Length * 24)
        + layout.Size
        + small.Size
        + (counts.Count * BytesOfCount);

    public IReadOnlyList<MinuteCount> Counts => counts;
    public SegmentTemplate[] Templates => templates;
    public Resource[] Resources => resources;
    public FieldLayout Layout => layout;
    public SmallColumns Small => small;

    /// <summary>The different services and hosts of its resources, and for each resource the place of its own.</summary>
    public (int[] OfResource, Value[] Values) Services => (_services ??= Different(r => r.Service)).Value;
    public (int[] OfResource, Value[] Values) Hosts => (_hosts ??= Different(r => r.Host)).Value;

    private Boxed? _services;
    private Boxed? _hosts;
    private HashSet<string>? _resourceNames;

    private sealed record Boxed((int[], Value[]) Value);

    private Boxed Different(Func<Resource, Value> of)
    {
        var places = new Dictionary<Value, int>();
        var ofResource = new int[resources.Length];
        for (var r = 0; r < ofResource.Length; r++)
        {
            var value = of(resources[r]);
            if (!places.TryGetValue(value, out ofResource[r]))
                places.Add(value, ofResource[r] = places.Count);
        }
        return new Boxed((ofResource, [.. places.Keys]));
    }

    /// <summary>False where no resource has a field of this name, inside of objects neither.</summary>
    public bool MayBeOfResource(string name)
    {
        var names = _resourceNames ??= resources.SelectMany(r => r.Attributes.Names.ToArray()).ToHashSet(StringComparer.Ordinal);
        if (names.Contains(name))
            return true;
        for (var dot = name.IndexOf('.'); dot > 0; dot = name.IndexOf('.', dot + 1))
            if (names.Contains(name[..dot]))
                return true;
        return false;
    }

    /// <summary>Where the variables lie, once somebody has looked.</summary>
    public VariableStarts? Starts
    {
        get => Volatile.Read(ref _starts);
        set => Volatile.Write(ref _starts, value);
    }

    /// <summary>False where no value of any record is this text, in any case.</summary>
    public bool MayHaveValue(string text) => filter is null || filter.MayHold(TokenSet.Whole(text));

    /// <summary>False where some token of this text is nowhere in the segment.</summary>
    public bool MayHaveTokens(string text)
    {
        if (filter is null)
            return true;
        foreach (var token in TokenSet.TokenTexts(text))
            if (
                !filter.MayHold(TokenSet.HashOfUpper(token))
                && (!shared.MayHaveToken(token) || !Array.Exists(templates, t => t.HasToken(token)))
            )
                return false;
        return true;
    }
}

/// <summary>Templates and resources that many segments have, each kept once.</summary>
internal sealed class SharedParts
{
    /// <summary>Endless ones are not shared.</summary>
    private const int Most = 100_000;

    private readonly ConcurrentDictionary<string, SegmentTemplate> _templates = new(StringComparer.Ordinal);
    private readonly ConcurrentDictionary<Attributes, Resource> _resources = new(new ByAllValues());
    private int _numbers = -1;

    /// <summary>Senders often begin with what they all have in common, so the first values do not tell them apart.</summary>
    private sealed class ByAllValues : IEqualityComparer<Attributes>
    {
        public bool Equals(Attributes? a, Attributes? b) => a is null ? b is null : a.Equals(b);

        public int GetHashCode(Attributes attributes)
        {
            var hash = new HashCode();
            foreach (var value in attributes.Values)
                hash.Add(value.GetHashCode());
            return hash.ToHashCode();
        }
    }

    public SegmentTemplate Template(long id, byte[] key)
    {
        // Bytes as characters, one for one.
        var name = $"{id}:{System.Text.Encoding.Latin1.GetString(key)}";
        if (_templates.TryGetValue(name, out var known))
            return known;
        var template = new SegmentTemplate(id, key)
        {
            Number = _templates.Count < Most ? Interlocked.Increment(ref _numbers) : -1,
        };
        foreach (var token in TokenSet.TokenTexts(template.Text))
            if (_tokens.Count < Most * 10)
                _tokens.TryAdd(token, true);
            else
                _tokensOverflowed = true;
        return template.Number >= 0 ? _templates.GetOrAdd(name, template) : template;
    }

    private readonly ConcurrentDictionary<string, bool> _tokens = new(StringComparer.Ordinal);
    private volatile bool _tokensOverflowed;

    /// <summary>False where the constant text of no template that was ever met has this token.</summary>
    public bool MayHaveToken(string upper) => _tokensOverflowed || _tokens.ContainsKey(upper);

    public Resource Resource(Resource resource) =>
        _resources.Count < Most ? _resources.GetOrAdd(resource.Attributes, resource) : resource;
}
