using System.Collections.Frozen;
using System.Globalization;
using System.IO.Hashing;
using System.Text;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Columns;
using Kumiko.Core.Storage.Templates;

namespace Kumiko.Core.Storage.Patterns;

/// <summary>
/// The patterns of all services: what the field <c>pattern</c> holds. They are made from the templates, anew when there are
/// new ones. Several threads may ask at once, while records are sealed.
/// </summary>
public sealed class PatternBook
{
    private readonly TemplateMiner _miner;
    private readonly List<Slice> _gaps = [];
    private readonly Dictionary<string, (int Count, long Newest, Group[] Groups)> _services = new(StringComparer.Ordinal);

    /// <summary>Every id that a pattern was ever known by, and one of its templates.</summary>
    private readonly Dictionary<long, long> _names = [];
    private readonly List<(long Id, long Template)> _unsaved = [];
    private volatile Edition _edition = new(-1, FrozenDictionary<long, Group>.Empty);

    internal PatternBook(TemplateMiner miner, IEnumerable<(long Id, long Template)> names)
    {
        _miner = miner;
        foreach (var (id, template) in names)
            _names[id] = template;
    }

    internal sealed record Group(long Id, Template[] Templates)
    {
        public Value Name { get; } = Value.Of(PatternBook.Name(Id));
    }

    /// <summary>Which pattern each template has, at a moment.</summary>
    internal sealed record Edition(int Version, FrozenDictionary<long, Group> OfTemplate);

    /// <summary>An id as people see it: <c>#1f3a9c04</c>.</summary>
    public static string Name(long id) => "#" + id.ToString("x8", CultureInfo.InvariantCulture);

    /// <summary>The id that a name stands for, or null.</summary>
    public static long? Id(string name) =>
        name.Length == 9
        && name[0] == '#'
        && uint.TryParse(name.AsSpan(1), NumberStyles.AllowHexSpecifier, CultureInfo.InvariantCulture, out var id)
            ? id
            : null;

    /// <summary>The pattern's name for a template's id; missing for bodies that have no template.</summary>
    public Value ValueOf(long template) => ValueOf(template, Current());

    internal static Value ValueOf(long template, Edition edition) =>
        template != 0 && edition.OfTemplate.TryGetValue(template, out var group) ? group.Name : Value.Missing;

    /// <summary>The pattern of a record; one that is not sealed yet gets its template now.</summary>
    public Value Of(LogRecord record) => ValueOf(TemplateOf(record));

    internal long TemplateOf(LogRecord record)
    {
        if (record.TemplateId is { } known)
            return known;
        lock (_miner)
        {
            var id = _miner
                .Find(
                    record.Resource.Service is { IsText: true } service ? service.AsText : "",
                    Encoding.UTF8.GetBytes(record.Body),
                    record.Time,
                    _gaps
                )
                .Id;
            _gaps.Clear();
            record.TemplateId = id;
            return id;
        }
    }

    /// <summary>The name that a pattern has today, where it was known by another one before.</summary>
    public string Today(string name) => Today(name, Current());

    internal string Today(string name, Edition edition)
    {
        if (Id(name) is not { } id)
            return name;
        long template;
        lock (_miner)
            if (!_names.TryGetValue(id, out template))
                return name;
        return edition.OfTemplate.TryGetValue(template, out var group) ? Name(group.Id) : name;
    }

    /// <summary>The pattern of this name, or of this name once; null where there is none.</summary>
    public Pattern? Find(string name) => Find(name, Current());

    internal Pattern? Find(string name, Edition edition)
    {
        if (Id(Today(name, edition)) is not { } id)
            return null;
        lock (_miner)
            return _names.TryGetValue(id, out var template) && edition.OfTemplate.TryGetValue(template, out var group)
                ? Described(group)
                : null;
    }

    /// <summary>Since when lines came that were told apart otherwise until now; null for a pattern that is as new as it
    /// looks.</summary>
    internal long? InheritedFrom(string name, Edition edition)
    {
        if (Id(name) is not { } id)
            return null;
        lock (_miner)
        {
            if (!_names.TryGetValue(id, out var template) || !edition.OfTemplate.TryGetValue(template, out var group))
                return null;
            return Array.Exists(group.Templates, t => t.IsHeir) ? group.Templates.Min(t => t.FirstSeen) : null;
        }
    }

    /// <summary>The text of a pattern with its gaps; null where there is none of this name.</summary>
    public string? Text(string name) => Find(name)?.Text;

    /// <summary>All patterns, those seen first before others.</summary>
    public IReadOnlyList<Pattern> All() => All(Current());

    internal IReadOnlyList<Pattern> All(Edition edition)
    {
        var groups = edition.OfTemplate.Values.Distinct().ToList();
        lock (_miner)
            return [.. groups.Select(Described).OrderBy(p => p.FirstSeen).ThenBy(p => p.Id)];
    }

    /// <summary>Services that write so many kinds of lines that some of their records have no pattern.</summary>
    public IReadOnlyList<string> Overflowing()
    {
        lock (_miner)
            return [.. _miner.Full.Where(s => !TemplateMiner.IsOfSpans(s)).Order(StringComparer.Ordinal)];
    }

    /// <summary>Ids that the table does not have yet.</summary>
    internal List<(long Id, long Template)> Unsaved()
    {
        Current();
        lock (_miner)
            return [.. _unsaved];
    }

    internal void MarkSaved(List<(long Id, long Template)> saved)
    {
        lock (_miner)
            _unsaved.RemoveAll(saved.Contains);
    }

    internal Edition Current()
    {
        if (_edition.Version == _miner.Version)
            return _edition;
        lock (_miner)
        {
            if (_edition.Version == _miner.Version)
                return _edition;
            var groups = new Dictionary<long, Group>();
            var tokens = new BodyTokens();
            foreach (
                var service in _miner
                    .Ever.GroupBy(t => t.Service, StringComparer.Ordinal)
                    .Where(s => !TemplateMiner.IsOfSpans(s.Key))
            )
            foreach (var group in Groups(service.Key, [.. service], tokens))
            foreach (var template in group.Templates)
                groups[template.Id] = group;
            return _edition = new Edition(_miner.Version, groups.ToFrozenDictionary());
        }
    }

    private Group[] Groups(string service, Template[] ever, BodyTokens tokens)
    {
        var newest = ever.Max(t => t.Id);
        if (_services.TryGetValue(service, out var known) && known.Count == ever.Length && known.Newest == newest)
            return known.Groups;
        var live = Array.FindAll(ever, t => t.MergedInto is null);
        var of = PatternGrouping.Of([.. live.Select(t => Signature.Of(t, tokens))]);
        var merged = ever.Where(t => t.MergedInto is not null).ToLookup(t => t.Final);
        var groups = live.Zip(of)
            .GroupBy(x => x.Second, x => x.First)
            .Select(g =>
                Made(
                    service,
                    [.. g.OrderByDescending(t => t.Wiped.Length).ThenBy(t => Convert.ToHexString(t.Key), StringComparer.Ordinal)],
                    merged,
                    tokens
                )
            )
            .ToArray();
        _services[service] = (ever.Length, newest, groups);
        return groups;
    }

    private Group Made(string service, Template[] live, ILookup<Template, Template> merged, BodyTokens tokens)
    {
        // What is said of the text alone is the same wherever the same lines are written, in whatever order they come.
        var hash = new XxHash3();
        hash.Append(Encoding.UTF8.GetBytes(service));
        hash.Append([0]);
        hash.Append(Encoding.UTF8.GetBytes(new PatternText(live, tokens).Skeleton));
        var id = (long)(uint)hash.GetCurrentHashAsUInt64();
        // Two patterns with one hash: one in ten thousand times that a thousand patterns are made. The later gets another id.
        while (_names.TryGetValue(id, out var other) && Array.TrueForAll(live, t => t.Id != other) && !IsOf(other, live))
            id = (id + 0x9E3779B1) & uint.MaxValue;
        if (_names.TryAdd(id, live[0].Id))
            _unsaved.Add((id, live[0].Id));
        return new Group(id, [.. live, .. live.SelectMany(t => merged[t])]);
    }

    private bool IsOf(long template, Template[] live) =>
        _miner.Find(template)?.Final is not { } final || Array.IndexOf(live, final) >= 0;

    private static Pattern Described(Group group)
    {
        var live = Array.FindAll(group.Templates, t => t.MergedInto is null);
        var (text, variables) = new PatternText(live, new BodyTokens()).Print();
        return new Pattern(
            group.Id,
            live[0].Service,
            text,
            variables,
            [.. group.Templates.Select(t => t.Id)],
            group.Templates.Min(t => t.FirstSeen),
            group.Templates.Max(t => t.LastSeen)
        );
    }
}
