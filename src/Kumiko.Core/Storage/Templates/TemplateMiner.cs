using System.IO.Hashing;
using System.Runtime.CompilerServices;
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

    /// <summary>And so many where no other word is left.</summary>
    private const int VariantsAlone = 64;

    public const int MostOfService = 1_024;
    public const int MostServices = 1_024;
    public const int MostOfAll = 20_000;

    /// <summary>A service may have this many times its templates over time, counting those that were merged away.</summary>
    private const int MostEver = 16;

    private const int LooksAtFirst = 64;
    private const int LooksAfter = 63;
    private const int MostAliases = 8_192;
    private const int MostMasks = 64;
    private const int MostMergedTokens = 64;

    /// <summary>Longer bodies are kept whole.</summary>
    public const int LongestBody = 8 * 1024;

    /// <summary>So many templates that say the same up to a colon become one.</summary>
    public const int ManyTails = 64;
    private const int MostBefore = 24;
    private const int MostBeginnings = 3;
    private const int FewLooks = 2;

    private readonly BodyTokens _tokens = new();
    private readonly ByteWriter _key = new(1024);
    private readonly Dictionary<string, ServiceTemplates> _services = new(StringComparer.Ordinal);
    private const int RecentServices = 64;
    private readonly (string Name, ServiceTemplates Templates)[] _recent = new (string, ServiceTemplates)[RecentServices];
    private readonly Dictionary<long, Template> _byId = [];
    private readonly HashSet<Template> _unsaved = [];
    private readonly HashSet<string> _full = new(StringComparer.Ordinal);
    private int _live;
    private long _nextId = 1;

    private sealed class ServiceTemplates
    {
        /// <summary>By the hash of a body's key: templates, and keys that were found to belong to a more general one.</summary>
        public readonly Dictionary<ulong, (byte[] Key, Template Template)> Exact = [];
        public readonly Dictionary<int, List<Mask>> Masks = [];
        public readonly Dictionary<ulong, List<Template>> Siblings = [];

        /// <summary>By the hash of what stands before a colon: how many templates begin so, and the one that took their
        /// place.</summary>
        public readonly Dictionary<ulong, Tail> Tails = [];
        public readonly FormerTemplates Former = new();
        public int Count;
        public int Ever;
        public int Aliases;
        public required string Name { get; init; }
    }

    private sealed class Tail
    {
        public int Count;
        public Template? Template;
    }

    private sealed record Mask(bool[] Wiped, Dictionary<ulong, Template> Templates);

    /// <summary>Templates of all services that stand for themselves.</summary>
    public IEnumerable<Template> All => _byId.Values.Where(t => t.MergedInto is null);

    /// <summary>Those that were merged away too.</summary>
    internal IReadOnlyCollection<Template> Ever => _byId.Values;

    /// <summary>Changes whenever there is a template more.</summary>
    internal int Version { get; private set; }

    /// <summary>Services that write so many kinds of lines that some got no template.</summary>
    internal IReadOnlySet<string> Full => _full;

    /// <summary>Names of spans are mined as bodies of a service of their own, which has no patterns.</summary>
    internal const string Spans = "\0spans ";

    /// <summary>Whether templates of this service are of names of spans.</summary>
    internal static bool IsOfSpans(string service) => service.StartsWith(Spans, StringComparison.Ordinal);

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
        Observe(template, body, time, gaps);
        return template;
    }

    /// <summary>Adds the gaps, and notes what is seen in them: closely at the first records and at some of those after.</summary>
    private void Observe(Template template, ReadOnlySpan<byte> body, long time, List<Slice> gaps)
    {
        var closely = template.Looks++ is var looks && (looks < LooksAtFirst || (looks & LooksAfter) == 0);
        var news = time < template.FirstSeen || time > template.LastSeen;
        if (time < template.FirstSeen)
            template.FirstSeen = time;
        if (time > template.LastSeen)
            template.LastSeen = time;
        var (gap, words) = (0, template.IsTail ? template.Wiped.Length - 1 : _tokens.Count);
        for (var t = 0; t <= words; t++)
        {
            if (t == words && !template.IsTail)
                break;
            if (t < words && !template.Wiped[t])
                continue;
            var variable = t < words ? _tokens[t] : Behind(body, Colon(body, words));
            gaps.Add(variable);
            ref var facts = ref template.Facts[gap++];
            if (closely || !facts.Varies)
                news |= facts.Observe(variable.Of(body), closely);
        }
        if (news)
            Save(template);
    }

    private static Slice Behind(ReadOnlySpan<byte> body, int start) => new(start, body.Length - start);

    private ServiceTemplates Of(string service)
    {
        // Names of services are mostly the same objects.
        ref var recent = ref _recent[RuntimeHelpers.GetHashCode(service) & (RecentServices - 1)];
        if (ReferenceEquals(recent.Name, service))
            return recent.Templates;
        recent = (service, Found(service));
        return recent.Templates;
    }

    private ServiceTemplates Found(string service)
    {
        // Endless services share one set; their templates are bounded all the same.
        if (_services.TryGetValue(service, out var found))
            return found;
        if (_services.Count < MostServices)
            return _services[service] = new ServiceTemplates { Name = service };
        return _services.TryGetValue("", out var shared) ? shared : _services[""] = new ServiceTemplates { Name = "" };
    }

    private Template? Mine(ServiceTemplates of, string service, ReadOnlySpan<byte> body, long time)
    {
        _tokens.Cut(body);
        var hash = Key(body, []);
        if (of.Exact.TryGetValue(hash, out var known))
            return known.Key.AsSpan().SequenceEqual(_key.Written) ? known.Template.Final : null;
        var key = _key.ToArray();
        if ((Masked(of, body) ?? Tailed(of, body)) is { } general)
        {
            if (of.Aliases >= MostAliases)
                Forget(of);
            of.Aliases++;
            of.Exact.Add(hash, (key, general));
            return general;
        }
        if (of.Count >= MostOfService || of.Ever >= MostOfService * MostEver || _live >= MostOfAll)
        {
            _full.Add(of.Name);
            return null;
        }
        var variable = Variables();
        var template = Add(of, new Template(_nextId++, service, key, time), hash);
        if (BodyTokens.HasHeader(key))
            Inherit(of, template, body);
        Save(template);
        if (template.IsOdd)
            template.Wiped = variable;
        else
        {
            Generalise(of, template);
            CountTails(of, template);
        }
        var final = template.Final;
        _tokens.Cut(body);
        return final;
    }

    /// <summary>Takes over the first sight of lines that came with their header in the template, and its name if it says the
    /// same.</summary>
    private void Inherit(ServiceTemplates of, Template template, ReadOnlySpan<byte> body)
    {
        var constants = template.Key.Count(b => char.IsAsciiLetter((char)b));
        if (of.Former.Of(body, LineHeader.Of(body).End, constants) is not { } former)
            return;
        (template.FirstSeen, template.IsHeir) = (Math.Min(template.FirstSeen, former.Template.FirstSeen), true);
        if (!former.SaysLine || former.Template.MergedInto is not null)
            return;
        template.LastSeen = Math.Max(template.LastSeen, former.Template.LastSeen);
        Retire(of, former.Template, template);
        Save(former.Template);
    }

    private ulong Key(ReadOnlySpan<byte> body, ReadOnlySpan<bool> wiped)
    {
        _key.Clear();
        _tokens.WriteKey(body, wiped, _key);
        return XxHash3.HashToUInt64(_key.Written);
    }

    /// <summary>Where the text behind the first colon and blank after a token begins; 0 where there is none before the next
    /// token.</summary>
    private int Colon(ReadOnlySpan<byte> body, int tokens)
    {
        var end = _tokens[tokens - 1].Start + _tokens[tokens - 1].Length;
        var at = body[end.._tokens[tokens].Start].IndexOf(": "u8);
        return at < 0 ? 0 : end + at + 2;
    }

    /// <summary>The beginnings of the key that is written, up to a colon behind at least two words.</summary>
    private int Beginnings(ReadOnlySpan<byte> body, Span<(int Tokens, int Length, ulong Hash)> beginnings)
    {
        var (count, words) = (0, 0);
        for (var t = 1; t < Math.Min(_tokens.Count, MostBefore) && count < beginnings.Length; t++)
        {
            if (!_tokens.IsVariable(t - 1))
                words++;
            if (words < 2 || Colon(body, t) is 0)
                continue;
            ReadOnlySpan<byte> key = _key.Written;
            var at = PlaceInKey(body, t);
            // A tag is no sentence, and a program with its process is none: what follows them are kinds of lines.
            if (key[..(at - 2)].IndexOf((byte)' ') < 0 || key[at - 3] is (byte)']' or (byte)')')
                continue;
            beginnings[count++] = (t, at, XxHash3.HashToUInt64(key[..at]));
        }
        return count;
    }

    /// <summary>Where in the written key the text behind the colon begins.</summary>
    private int PlaceInKey(ReadOnlySpan<byte> body, int tokens)
    {
        var place = Colon(body, tokens);
        for (var t = 0; t < tokens; t++)
            if (_tokens.IsVariable(t))
                place -= _tokens[t].Length - 1;
        return place;
    }

    private Template? Tailed(ServiceTemplates of, ReadOnlySpan<byte> body)
    {
        if (of.Tails.Count == 0)
            return null;
        Span<(int Tokens, int Length, ulong Hash)> beginnings = stackalloc (int, int, ulong)[MostBeginnings];
        Key(body, []);
        for (var (b, count) = (0, Beginnings(body, beginnings)); b < count; b++)
            if (
                of.Tails.TryGetValue(beginnings[b].Hash, out var tail)
                && tail.Template is { } template
                && template.Key.AsSpan()[..^1].SequenceEqual(_key.Written[..beginnings[b].Length])
            )
                return template.Final;
        return null;
    }

    /// <summary>Where very many templates say the same up to a colon, what follows it is text from elsewhere: a statement, a
    /// message of another program.</summary>
    private void CountTails(ServiceTemplates of, Template template)
    {
        Span<(int Tokens, int Length, ulong Hash)> beginnings = stackalloc (int, int, ulong)[MostBeginnings];
        _tokens.Cut(template.Key);
        Key(template.Key, []);
        for (var (b, count) = (0, Beginnings(template.Key, beginnings)); b < count; b++)
        {
            if (!of.Tails.TryGetValue(beginnings[b].Hash, out var tail))
                of.Tails[beginnings[b].Hash] = tail = new Tail();
            if (++tail.Count < ManyTails || tail.Template is not null)
                continue;
            var beginning = template.Key[..beginnings[b].Length];
            var alike = of
                .Exact.Values.Select(e => e.Template)
                .Where(t => t.MergedInto is null && t.Key.AsSpan().StartsWith(beginning))
                .Distinct()
                .ToList();
            // Text from elsewhere hardly ever comes twice; what a program says itself does.
            tail.Count = alike.Count;
            if (alike.Count < ManyTails || alike.Count(t => t.Looks <= FewLooks) < alike.Count / 2)
                continue;
            Cut(of, template, beginnings[b].Tokens, beginning, alike, tail);
            return;
        }
    }

    private void Cut(ServiceTemplates of, Template template, int tokens, byte[] beginning, List<Template> alike, Tail tail)
    {
        byte[] key = [.. beginning, BodyTokens.Gap];
        var hash = XxHash3.HashToUInt64(key);
        if (of.Exact.ContainsKey(hash))
            return;
        var wiped = template.Wiped[..tokens];
        tail.Template = Add(of, new Template(_nextId++, template.Service, key, template.FirstSeen) { IsTail = true }, hash);
        tail.Template.Wiped = [.. wiped, true];
        foreach (var other in alike)
        {
            tail.Template.FirstSeen = Math.Min(tail.Template.FirstSeen, other.FirstSeen);
            tail.Template.IsHeir |= other.IsHeir;
            tail.Template.LastSeen = Math.Max(tail.Template.LastSeen, other.LastSeen);
            for (var gap = 0; gap < tail.Template.Gaps - 1; gap++)
                tail.Template.Facts[gap].Observe(other.Facts[gap]);
            Retire(of, other, tail.Template);
            Save(other);
        }
        (tail.Template.Facts[^1].Varies, tail.Template.Facts[^1].Types) = (true, VariableTypes.Text);
        Save(tail.Template);
    }

    private Template? Masked(ServiceTemplates of, ReadOnlySpan<byte> body)
    {
        if (!of.Masks.TryGetValue(_tokens.Count, out var masks))
            return null;
        foreach (var mask in masks)
            if (mask.Templates.TryGetValue(Key(body, mask.Wiped), out var template) && _key.Written.SequenceEqual(template.Key))
                return template.Final;
        return null;
    }

    private static void Forget(ServiceTemplates of)
    {
        foreach (var (hash, entry) in of.Exact)
            if (!entry.Key.AsSpan().SequenceEqual(entry.Template.Key))
                of.Exact.Remove(hash);
        of.Aliases = 0;
    }

    private Template Add(ServiceTemplates of, Template template, ulong hash)
    {
        (template.Wiped, template.IsOdd) = GapsOf(template.Key) is { } gaps ? (gaps, false) : ([], true);
        Version++;
        _byId[template.Id] = template;
        of.Exact[hash] = (template.Key, template);
        of.Count++;
        of.Ever++;
        _live++;
        return template;
    }

    private bool[] Variables()
    {
        var variable = new bool[_tokens.Count];
        for (var t = 0; t < variable.Length; t++)
            variable[t] = _tokens.IsVariable(t);
        return variable;
    }

    /// <summary>Which tokens of a key are gaps; null where it is cut otherwise than its bodies are, as one of another time may
    /// be.</summary>
    private bool[]? GapsOf(ReadOnlySpan<byte> key)
    {
        _tokens.Cut(key);
        var wiped = Variables();
        Key(key, []);
        return _key.Written.SequenceEqual(key) ? wiped : null;
    }

    private void Retire(ServiceTemplates of, Template template, Template into)
    {
        template.MergedInto = into;
        of.Count--;
        _live--;
    }

    /// <summary>Merges a template with those that differ from it in one word, where they are enough; again with the
    /// result.</summary>
    private Template Generalise(ServiceTemplates of, Template template)
    {
        if (
            template.IsOdd
            || template.Wiped.Length > MostMergedTokens
            || (of.Masks.TryGetValue(template.Wiped.Length, out var masks) && masks.Count >= MostMasks)
        )
            return template;
        var merged = template;
        for (var t = 0; t < template.Wiped.Length && merged == template; t++)
        {
            if (template.Wiped[t])
                continue;
            _tokens.Cut(template.Key);
            var siblings = SiblingsWithout(of, template, t, out var wiped, out var hash);
            siblings.RemoveAll(s => s.MergedInto is not null);
            if (!siblings.Contains(template))
                siblings.Add(template);
            if (
                siblings.Count >= (wiped.Contains(false) ? Variants : VariantsAlone)
                && GapsOf(_key.ToArray()) is { } again
                && again.AsSpan().SequenceEqual(wiped)
            )
                merged = Merge(of, siblings, _key.ToArray(), hash, wiped);
        }
        return merged == template ? template : Generalise(of, merged);
    }

    private Template Merge(ServiceTemplates of, List<Template> siblings, byte[] key, ulong hash, bool[] wiped)
    {
        var first = siblings.Min(s => s.FirstSeen);
        var general =
            of.Exact.TryGetValue(hash, out var known)
            && known.Key.AsSpan().SequenceEqual(key)
            && known.Template.MergedInto is null
                ? known.Template
                : Add(of, new Template(_nextId++, siblings[0].Service, key, first), hash);
        general.FirstSeen = Math.Min(general.FirstSeen, first);
        Register(of, general, wiped, hash);
        Save(general);
        foreach (var sibling in siblings)
        {
            if (sibling == general)
                continue;
            Absorb(general, sibling);
            Retire(of, sibling, general);
            Save(sibling);
        }
        siblings.Clear();
        foreach (
            var covered in of
                .Exact.Values.Select(e => e.Template)
                .Where(t => t.MergedInto is null && t != general && t.Wiped.Length == wiped.Length)
                .Distinct()
                .ToList()
        )
        {
            _tokens.Cut(covered.Key);
            if (Key(covered.Key, wiped) != hash || !_key.Written.SequenceEqual(general.Key))
                continue;
            Absorb(general, covered);
            Retire(of, covered, general);
            Save(covered);
        }
        return general;
    }

    private void Absorb(Template general, Template sibling)
    {
        general.FirstSeen = Math.Min(general.FirstSeen, sibling.FirstSeen);
        general.IsHeir |= sibling.IsHeir;
        general.LastSeen = Math.Max(general.LastSeen, sibling.LastSeen);
        _tokens.Cut(sibling.Key);
        var (into, of) = (0, 0);
        for (var t = 0; t < general.Wiped.Length; t++)
        {
            if (!general.Wiped[t])
                continue;
            if (sibling.Wiped[t])
                general.Facts[into++].Observe(sibling.Facts[of++]);
            else
                general.Facts[into++].Observe(_tokens[t].Of(sibling.Key), closely: true);
        }
    }

    private static void Register(ServiceTemplates of, Template template, bool[] wiped, ulong hash)
    {
        if (!of.Masks.TryGetValue(wiped.Length, out var masks))
            of.Masks[wiped.Length] = masks = [];
        var mask = masks.Find(m => m.Wiped.AsSpan().SequenceEqual(wiped));
        if (mask is null)
            masks.Add(mask = new Mask(wiped, []));
        mask.Templates[hash] = template;
    }

    private void Save(Template template)
    {
        template.Revision++;
        if (template.IsUnsaved)
            return;
        template.IsUnsaved = true;
        _unsaved.Add(template);
    }

    /// <summary>Templates that the table does not have yet, or not as they are now.</summary>
    internal List<TemplateRow> Unsaved() =>
        [
            .. _unsaved
                .Select(t => new TemplateRow
                {
                    Id = t.Id,
                    Service = t.Service,
                    Key = t.Key,
                    MergedInto = t.MergedInto?.Id,
                    FirstSeen = t.FirstSeen,
                    LastSeen = t.LastSeen,
                    IsTail = t.IsTail ? 1 : 0,
                    Gaps = GapFacts.Write(t.Facts),
                    Revision = t.Revision,
                })
                .OrderBy(t => t.Id),
        ];

    /// <summary>The table has these now; what changed since is for the next time.</summary>
    internal void MarkSaved(IEnumerable<TemplateRow> saved)
    {
        foreach (var row in saved)
            if (_byId[row.Id] is var template && template.Revision == row.Revision)
                template.IsUnsaved = !_unsaved.Remove(template);
    }

    /// <summary>Takes up what the table holds, at start.</summary>
    internal void Load(IEnumerable<TemplateRow> rows)
    {
        var merged = new List<(Template Template, long Into)>();
        foreach (var row in rows)
        {
            var template = new Template(row.Id, row.Service, row.Key, row.FirstSeen)
            {
                LastSeen = row.LastSeen,
                IsTail = row.IsTail != 0,
            };
            template.Facts = GapFacts.Read(row.Gaps, template.Gaps);
            _nextId = Math.Max(_nextId, row.Id + 1);
            Add(Of(row.Service), template, XxHash3.HashToUInt64(row.Key));
            Of(row.Service).Former.Add(template);
            // Of another time: its records are read, new ones get another template.
            if (template.IsOdd)
                Of(row.Service).Exact.Remove(XxHash3.HashToUInt64(row.Key));
            if (row.MergedInto is { } target)
                merged.Add((template, target));
        }
        foreach (var (template, into) in merged)
            if (_byId.TryGetValue(into, out var target) && target != template)
                Retire(Of(template.Service), template, target);
        var general = merged.Select(m => m.Template.MergedInto).ToHashSet();
        foreach (var template in All)
            Restore(template, general.Contains(template));
    }

    private void Restore(Template template, bool general)
    {
        var of = Of(template.Service);
        if (template.IsTail)
        {
            of.Tails[XxHash3.HashToUInt64(template.Key.AsSpan()[..^1])] = new Tail { Count = ManyTails, Template = template };
            return;
        }
        if (general)
            Register(of, template, template.Wiped, XxHash3.HashToUInt64(template.Key));
        CountTails(of, template);
        if (template.IsOdd || template.Wiped.Length > MostMergedTokens)
            return;
        _tokens.Cut(template.Key);
        for (var t = 0; t < template.Wiped.Length; t++)
            if (!template.Wiped[t])
                SiblingsWithout(of, template, t, out _, out _).Add(template);
    }

    /// <summary>The templates that are like this one but for one word. The tokens are those of the template's key.</summary>
    private List<Template> SiblingsWithout(ServiceTemplates of, Template template, int token, out bool[] wiped, out ulong hash)
    {
        wiped = template.Wiped.ToArray();
        wiped[token] = true;
        hash = Key(template.Key, wiped);
        if (!of.Siblings.TryGetValue(hash, out var siblings))
            of.Siblings[hash] = siblings = [];
        return siblings;
    }
}
