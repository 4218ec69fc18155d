using System.IO.Hashing;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Storage.Templates;

/// <summary>
/// Finds the template of a body: what has a digit is a variable, and where eight templates of a service differ in
/// one word only, that word is one too. Bounded: a service that writes endless variants gets no further templates,
/// and such bodies are kept whole. Not for several threads.
/// </summary>
/// <remarks>
/// The idea of masking and then merging by position is that of He, Zhu, Zheng, Lyu: Drain, 2017, without its
/// similarity threshold, which merges sentences that mean the opposite.
/// </remarks>
public sealed class TemplateMiner
{
    /// <summary>So many templates that differ in one word make that word a variable.</summary>
    public const int Variants = 8;

    public const int MostOfService = 1_024;
    public const int MostServices = 1_024;
    public const int MostOfAll = 20_000;

    /// <summary>A service may have this many times its templates over time, counting those that were merged away.</summary>
    private const int MostEver = 16;
    private const int MostAliases = 8_192, MostMasks = 64, MostMergedTokens = 64;

    /// <summary>Longer bodies are kept whole.</summary>
    public const int LongestBody = 8 * 1024;

    private readonly BodyTokens _tokens = new();
    private readonly ByteWriter _key = new(1024);
    private readonly Dictionary<string, ServiceTemplates> _services = new(StringComparer.Ordinal);
    private readonly Dictionary<long, Template> _byId = [];
    private readonly HashSet<Template> _unsaved = [];
    private int _live;
    private long _nextId = 1;

    private sealed class ServiceTemplates
    {
        /// <summary>By the hash of a body's key: templates, and keys that were found to belong to a more general one.</summary>
        public readonly Dictionary<ulong, (byte[] Key, Template Template)> Exact = [];
        public readonly Dictionary<int, List<Mask>> Masks = [];
        public readonly Dictionary<ulong, List<Template>> Siblings = [];
        public int Count, Ever, Aliases;
    }

    private sealed record Mask(bool[] Wiped, Dictionary<ulong, Template> Templates);

    /// <summary>Templates that the table does not have yet, or not as they are now.</summary>
    internal IReadOnlyCollection<Template> Unsaved => _unsaved;

    /// <summary>Templates of all services that stand for themselves.</summary>
    public IEnumerable<Template> All => _byId.Values.Where(t => t.MergedInto is null);

    internal Template? Find(long id) => _byId.GetValueOrDefault(id);

    /// <summary>The template of a body, and where its variables lie in it.</summary>
    /// <param name="time">The record's, for <see cref="Template.FirstSeen"/>.</param>
    /// <param name="gaps">Receives a slice of the body for each gap, in order.</param>
    public Template Find(string service, ReadOnlySpan<byte> body, long time, List<Slice> gaps)
    {
        var template = body.Length > LongestBody || body.Contains(BodyTokens.Gap) ? null : Mine(Of(service), service, body, time);
        if (template is null)
        {
            gaps.Add(new Slice(0, body.Length));
            return Template.Whole;
        }
        if (time < template.FirstSeen)
        {
            template.FirstSeen = time;
            Save(template);
        }
        for (var t = 0; t < _tokens.Count; t++)
            if (template.Wiped[t]) gaps.Add(_tokens[t]);
        return template;
    }

    private ServiceTemplates Of(string service)
    {
        // Endless services share one set; their templates are bounded all the same.
        if (_services.TryGetValue(service, out var found)) return found;
        if (_services.Count < MostServices) return _services[service] = new ServiceTemplates();
        return _services.TryGetValue("", out var shared) ? shared : _services[""] = new ServiceTemplates();
    }

    private Template? Mine(ServiceTemplates of, string service, ReadOnlySpan<byte> body, long time)
    {
        _tokens.Cut(body);
        var hash = Key(body, []);
        if (of.Exact.TryGetValue(hash, out var known)) return known.Key.AsSpan().SequenceEqual(_key.Written) ? known.Template.Final : null;
        var key = _key.ToArray();
        if (Masked(of, body) is { } general)
        {
            if (of.Aliases >= MostAliases) Forget(of);
            of.Aliases++;
            of.Exact.Add(hash, (key, general));
            return general;
        }
        if (of.Count >= MostOfService || of.Ever >= MostOfService * MostEver || _live >= MostOfAll) return null;
        var template = Add(of, new Template(_nextId++, service, key, time), hash);
        Save(template);
        var final = Generalise(of, template).Final;
        _tokens.Cut(body);
        return final;
    }

    private ulong Key(ReadOnlySpan<byte> body, ReadOnlySpan<bool> wiped)
    {
        _key.Clear();
        _tokens.WriteKey(body, wiped, _key);
        return XxHash3.HashToUInt64(_key.Written);
    }

    private Template? Masked(ServiceTemplates of, ReadOnlySpan<byte> body)
    {
        if (!of.Masks.TryGetValue(_tokens.Count, out var masks)) return null;
        foreach (var mask in masks)
            if (mask.Templates.TryGetValue(Key(body, mask.Wiped), out var template) && _key.Written.SequenceEqual(template.Key)) return template.Final;
        return null;
    }

    private static void Forget(ServiceTemplates of)
    {
        foreach (var (hash, entry) in of.Exact)
            if (!entry.Key.AsSpan().SequenceEqual(entry.Template.Key)) of.Exact.Remove(hash);
        of.Aliases = 0;
    }

    private Template Add(ServiceTemplates of, Template template, ulong hash)
    {
        _tokens.Cut(template.Key);
        template.Wiped = new bool[_tokens.Count];
        for (var t = 0; t < _tokens.Count; t++) template.Wiped[t] = _tokens.IsVariable(t);
        _byId[template.Id] = template;
        of.Exact[hash] = (template.Key, template);
        of.Count++;
        of.Ever++;
        _live++;
        return template;
    }

    private void Retire(ServiceTemplates of, Template template, Template into)
    {
        template.MergedInto = into;
        of.Count--;
        _live--;
    }

    /// <summary>Merges a template with those that differ from it in one word, where they are enough; again with the result.</summary>
    private Template Generalise(ServiceTemplates of, Template template)
    {
        if (template.Wiped.Length > MostMergedTokens || (of.Masks.TryGetValue(template.Wiped.Length, out var masks) && masks.Count >= MostMasks)) return template;
        var merged = template;
        for (var t = 0; t < template.Wiped.Length && merged == template; t++)
        {
            if (template.Wiped[t]) continue;
            _tokens.Cut(template.Key);
            var siblings = SiblingsWithout(of, template, t, out var wiped, out var hash);
            siblings.RemoveAll(s => s.MergedInto is not null);
            siblings.Add(template);
            if (siblings.Count >= Variants) merged = Merge(of, siblings, _key.ToArray(), hash, wiped);
        }
        return merged == template ? template : Generalise(of, merged);
    }

    private Template Merge(ServiceTemplates of, List<Template> siblings, byte[] key, ulong hash, bool[] wiped)
    {
        var first = siblings.Min(s => s.FirstSeen);
        var general = of.Exact.TryGetValue(hash, out var known) && known.Key.AsSpan().SequenceEqual(key) && known.Template.MergedInto is null
            ? known.Template
            : Add(of, new Template(_nextId++, siblings[0].Service, key, first), hash);
        general.FirstSeen = Math.Min(general.FirstSeen, first);
        Register(of, general, wiped, hash);
        Save(general);
        foreach (var sibling in siblings)
        {
            if (sibling == general) continue;
            Retire(of, sibling, general);
            Save(sibling);
        }
        siblings.Clear();
        return general;
    }

    private static void Register(ServiceTemplates of, Template template, bool[] wiped, ulong hash)
    {
        if (!of.Masks.TryGetValue(wiped.Length, out var masks)) of.Masks[wiped.Length] = masks = [];
        var mask = masks.Find(m => m.Wiped.AsSpan().SequenceEqual(wiped));
        if (mask is null) masks.Add(mask = new Mask(wiped, []));
        mask.Templates[hash] = template;
    }

    private void Save(Template template)
    {
        _unsaved.Add(template);
    }

    /// <summary>The table has these now.</summary>
    internal void MarkSaved(IEnumerable<Template> saved) => _unsaved.ExceptWith(saved);

    /// <summary>Takes up what the table holds, at start.</summary>
    internal void Load(IEnumerable<TemplateRow> rows)
    {
        var merged = new List<(Template Template, long Into)>();
        foreach (var row in rows)
        {
            var template = new Template(row.Id, row.Service, row.Key, row.FirstSeen);
            _nextId = Math.Max(_nextId, row.Id + 1);
            Add(Of(row.Service), template, XxHash3.HashToUInt64(row.Key));
            if (row.MergedInto is { } target) merged.Add((template, target));
        }
        foreach (var (template, into) in merged)
            if (_byId.TryGetValue(into, out var target) && target != template) Retire(Of(template.Service), template, target);
        var general = merged.Select(m => m.Template.MergedInto).ToHashSet();
        foreach (var template in All) Restore(template, general.Contains(template));
    }

    private void Restore(Template template, bool general)
    {
        var of = Of(template.Service);
        if (general) Register(of, template, template.Wiped, XxHash3.HashToUInt64(template.Key));
        if (template.Wiped.Length > MostMergedTokens) return;
        _tokens.Cut(template.Key);
        for (var t = 0; t < template.Wiped.Length; t++)
            if (!template.Wiped[t]) SiblingsWithout(of, template, t, out _, out _).Add(template);
    }

    /// <summary>The templates that are like this one but for one word. The tokens are those of the template's key.</summary>
    private List<Template> SiblingsWithout(ServiceTemplates of, Template template, int token, out bool[] wiped, out ulong hash)
    {
        wiped = template.Wiped.ToArray();
        wiped[token] = true;
        hash = Key(template.Key, wiped);
        if (!of.Siblings.TryGetValue(hash, out var siblings)) of.Siblings[hash] = siblings = [];
        return siblings;
    }
}
