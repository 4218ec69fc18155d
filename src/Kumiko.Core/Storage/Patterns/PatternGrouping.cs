using System.Runtime.InteropServices;

namespace Kumiko.Core.Storage.Patterns;

/// <summary>
/// Which signatures of a service were written by one line of code. Signatures that are alike but for one stretch of words
/// are compared by what stands in that stretch: values vary, verbs and negations tell lines apart. The answer depends
/// on the set of signatures alone, not on their order.
/// </summary>
internal sealed class PatternGrouping
{
    private const int LongestStretch = 10, Titles = 5, ManyGaps = 3, VeryManyGaps = 10, MostRounds = 5, MostWords = 96;

    private readonly Dictionary<Signature, int> _places = [];
    private readonly List<Signature> _signatures = [];
    private readonly List<int> _parents = [];
    private readonly HashSet<string> _values = new(StringComparer.Ordinal);

    /// <summary>For each signature the number of its group.</summary>
    public static int[] Of(IReadOnlyList<Signature> signatures)
    {
        var grouping = new PatternGrouping();
        var places = signatures.Select(grouping.Place).ToArray();
        var round = grouping._places.Values.Order().ToList();
        for (var r = 0; r < MostRounds && round.Count > 1; r++) round = grouping.Round(round);
        return [.. places.Select(grouping.Root)];
    }

    private int Place(Signature signature)
    {
        ref var place = ref CollectionsMarshal.GetValueRefOrAddDefault(_places, signature, out var known);
        if (known) return place;
        place = _signatures.Count;
        _signatures.Add(signature);
        _parents.Add(place);
        return place;
    }

    private int Root(int place)
    {
        while (_parents[place] != place) place = _parents[place] = _parents[_parents[place]];
        return place;
    }

    private void Unite(int a, int b) => _parents[Root(a)] = Root(b);

    /// <summary>A stretch of a signature that is left out to compare the rest: it ends before <paramref name="To"/>.</summary>
    private readonly record struct Cut(int Signature, int From, int To);

    /// <summary>Compares those of a round with each other, and answers with what they became.</summary>
    private List<int> Round(List<int> round)
    {
        var buckets = new Dictionary<(ulong, ulong), List<Cut>>();
        foreach (var place in round) AddCuts(buckets, place);
        var wiped = round.ToDictionary(p => p, p => new bool[_signatures[p].Words.Length]);
        var merged = false;
        var values = new List<string>();
        foreach (var bucket in buckets.Values)
        {
            if (bucket.Count >= 2) merged |= Judge(bucket, wiped, values);
        }
        _values.UnionWith(values);
        if (!merged) return [];
        var next = new SortedSet<int>();
        foreach (var place in round)
        {
            var general = Place(_signatures[place].Without(wiped[place]));
            Unite(place, general);
            next.Add(general);
        }
        return [.. next];
    }

    private void AddCuts(Dictionary<(ulong, ulong), List<Cut>> buckets, int place)
    {
        var words = _signatures[place].Words;
        if (words.Length > MostWords) return;
        var shape = (ulong)string.GetHashCode(_signatures[place].Shape, StringComparison.Ordinal);
        var (before, after) = (new ulong[words.Length + 1], new ulong[words.Length + 1]);
        for (var i = 0; i < words.Length; i++) before[i + 1] = Mixed(before[i], words[i]);
        for (var i = words.Length; i > 0; i--) after[i - 1] = Mixed(after[i], words[i - 1]);
        for (var from = 0; from <= words.Length; from++)
        {
            for (var to = from; to <= words.Length && to - from <= LongestStretch; to++) Add(from, to);
            // What follows a colon may be of any length.
            if (from == _signatures[place].Reason && from > 0 && words.Length - from > LongestStretch) Add(from, words.Length);
        }

        void Add(int from, int to)
        {
            if (to - from == words.Length && (_signatures[place].Constants > 1 || _signatures[place].Shape.Length == 0)) return;
            // Gaps at its edges belong to the stretch, as gaps that no word parts are one.
            if ((from > 0 && words[from - 1] is null) || (to < words.Length && words[to] is null)) return;
            ref var bucket = ref CollectionsMarshal.GetValueRefOrAddDefault(buckets, (before[from] ^ shape, after[to] + ((ulong)(words.Length - to) << 1)), out _);
            (bucket ??= []).Add(new Cut(place, from, to));
        }
    }

    private static ulong Mixed(ulong hash, string? word)
    {
        hash ^= word is null ? 0x51ED270B27B4F3CFUL : System.IO.Hashing.XxHash3.HashToUInt64(MemoryMarshal.AsBytes(word.AsSpan()));
        hash *= 0x9E3779B97F4A7C15UL;
        return hash ^ (hash >> 29);
    }

    /// <summary>What stands in a stretch.</summary>
    private enum Stretch
    {
        Empty,
        Gap,

        /// <summary>Words that are values by their look or because they are values elsewhere, and gaps.</summary>
        Value,

        /// <summary>Plain words.</summary>
        Words,

        /// <summary>Words that change what is said: verbs, directions, denials.</summary>
        Turn,

        /// <summary>Plain words and gaps.</summary>
        Mixed,

        /// <summary>Gaps, and words that change what is said.</summary>
        MixedTurn,

        /// <summary>Gaps with words that join them: "on {}", "in {} of {}".</summary>
        Phrase,

        /// <summary>Gaps and one plain word.</summary>
        Near,
    }

    /// <summary>Unites signatures that differ in one stretch only, as far as what stands there says that one line wrote them.</summary>
    /// <param name="values">Receives words that are values surely.</param>
    private bool Judge(List<Cut> bucket, Dictionary<int, bool[]> wiped, List<string> values)
    {
        var (first, from, to) = bucket[0];
        var words = _signatures[first].Words;
        // Where all have the same word at an edge, a narrower stretch tells more.
        if (bucket.TrueForAll(c => c.To > c.From) && (Same(bucket, static (w, c) => w[c.From]) || Same(bucket, static (w, c) => w[c.To - 1]))) return false;
        var kinds = bucket.ConvertAll(c => KindOf(_signatures[c.Signature].Words.AsSpan(c.From, c.To - c.From)));
        var found = new int[Enum.GetValues<Stretch>().Length];
        foreach (var (kind, count) in kinds.Zip(bucket).DistinctBy(x => string.Join('\n', _signatures[x.Second.Signature].Words[x.Second.From..x.Second.To])).CountBy(x => x.First)) found[(int)kind] = count;
        var before = words[..from].Count(w => w is not null and not ":");
        var shared = before + words[to..].Count(w => w is not null and not ":") + Math.Min(2, bucket.Min(c => _signatures[c.Signature].Gaps) / 3);
        var accepted = Accepted(found, shared, before, bucket.TrueForAll(c => c.To - c.From == 1), bucket.Exists(c => _signatures[c.Signature].Gaps >= ManyGaps), shared >= 2 && bucket.TrueForAll(c => c.From > 0 && _signatures[c.Signature].Reason == c.From));
        // Lines of values only, in which somebody's name may stand.
        if (words.Length == to - from && (found[(int)Stretch.Gap] > 0 || bucket.TrueForAll(c => _signatures[c.Signature].Gaps >= VeryManyGaps))) accepted = int.MaxValue;
        // Behind the verb that a line begins with titles of things, of any length.
        var named = to == words.Length && from == 1 && words[0] is { } verb && Words.IsDone(verb) ? bucket.FindAll(c => _signatures[c.Signature].BeginsNamed(c.From)) : [];
        if (named.Count >= Titles)
        {
            foreach (var cut in named.Count < 2 * Titles ? named : bucket.Where((c, i) => c.To - c.From > 1 || kinds[i] != Stretch.Turn))
            {
                Unite(cut.Signature, named[0].Signature);
                wiped[cut.Signature].AsSpan(cut.From, cut.To - cut.From).Fill(true);
            }
            if (accepted == 0) return true;
        }
        if (accepted == 0) return false;
        Cut? anchor = null;
        var sure = found[(int)Stretch.Value] + found[(int)Stretch.Words] >= 6;
        for (var i = 0; i < bucket.Count; i++)
        {
            var cut = bucket[i];
            if ((accepted & (1 << (int)kinds[i])) == 0) continue;
            Unite(cut.Signature, (anchor ??= cut).Signature);
            wiped[cut.Signature].AsSpan(cut.From, cut.To - cut.From).Fill(true);
            if (sure && cut.To - cut.From == 1 && _signatures[cut.Signature].Words[cut.From] is { } word) values.Add(word);
        }
        return true;
    }

    /// <summary>
    /// Which kinds of stretches are of one line, as bits. The more different ones there are, the surer it is; the numbers were found by
    /// trying on lines of known programs (docs/performance.md).
    /// </summary>
    /// <param name="found">How many different stretches there are of each kind.</param>
    /// <param name="shared">How many words the signatures have in common.</param>
    /// <param name="before">How many of them stand before the stretch.</param>
    private static int Accepted(int[] found, int shared, int before, bool single, bool manyGaps, bool isReason)
    {
        var (atStart, inSentence) = (before == 0, before >= 2);
        int N(Stretch kind) => found[(int)kind];
        static int Bit(Stretch kind) => 1 << (int)kind;
        var (empty, gap, value, words, mixed) = (N(Stretch.Empty) > 0, N(Stretch.Gap) > 0, N(Stretch.Value), N(Stretch.Words), N(Stretch.Mixed) + N(Stretch.Near));
        var told = value + words + mixed + N(Stretch.Turn) + N(Stretch.MixedTurn);
        var accepted = 0;
        const int mixedOnes = (1 << (int)Stretch.Mixed) | (1 << (int)Stretch.Near);
        if (empty && gap && shared >= 1) accepted |= Bit(Stretch.Empty) | Bit(Stretch.Gap);
        if (value > 0 && value + (gap ? 1 : 0) >= 2 && shared >= 1) accepted |= Bit(Stretch.Value) | Bit(Stretch.Gap);
        if (value > 0 && empty && shared >= 2) accepted |= Bit(Stretch.Value) | Bit(Stretch.Empty);

        var needed = isReason ? 2 : atStart ? (single ? shared >= 3 ? 4 : 12 : int.MaxValue) : shared switch { >= 4 => 2, 3 => 3, 2 => single ? 4 : 5, 1 => 6, _ => int.MaxValue };
        if (words > 0 && words + value >= needed) accepted |= Bit(Stretch.Words) | Bit(Stretch.Value);
        // Where values stand, a verb is one too.
        if (words + value >= Math.Max(3, needed)) accepted |= Bit(Stretch.Turn);
        if (words > 0 && gap && shared >= 3 && !atStart) accepted |= Bit(Stretch.Words) | Bit(Stretch.Gap);
        if (words > 0 && empty && shared >= 4 && !atStart) accepted |= Bit(Stretch.Words) | Bit(Stretch.Empty);

        // Something more, or nothing; or something more beside what is always there.
        if (N(Stretch.Phrase) > 0 && (empty || gap || N(Stretch.Phrase) > 1) && shared >= 1 && !atStart) accepted |= Bit(Stretch.Phrase) | Bit(Stretch.Empty) | Bit(Stretch.Gap);
        if (mixed + N(Stretch.MixedTurn) > 0 && (empty || gap) && shared >= 3 && inSentence) accepted |= mixedOnes | Bit(Stretch.MixedTurn) | Bit(Stretch.Empty) | Bit(Stretch.Gap);
        // One plain word more among many values is a value too.
        if (N(Stretch.Near) > 0 && gap && shared >= 2 && manyGaps && !atStart) accepted |= Bit(Stretch.Near) | Bit(Stretch.Gap);
        var others = mixed + words + value + (gap ? 1 : 0);
        if (mixed > 0 && inSentence && (others >= shared switch { >= 5 => 2, 4 => 3, 3 => 4, _ => int.MaxValue } || (isReason && others >= 3))) accepted |= mixedOnes | Bit(Stretch.Words) | Bit(Stretch.Value) | Bit(Stretch.Gap);

        // Reasons are sentences of their own, and so is what ends a long sentence in many ways.
        if (told >= 3 && (before >= 4 || (isReason && shared >= 3))) accepted |= mixedOnes | Bit(Stretch.MixedTurn) | Bit(Stretch.Turn) | Bit(Stretch.Words) | Bit(Stretch.Value) | Bit(Stretch.Phrase) | Bit(Stretch.Gap);

        var turns = isReason ? 2 : atStart ? (single ? 24 : int.MaxValue) : single ? shared switch { >= 4 => 4, >= 2 => 6, 1 => 8, _ => int.MaxValue } : int.MaxValue;
        if (told >= turns && N(Stretch.Turn) > 0) accepted |= Bit(Stretch.Turn) | Bit(Stretch.Words) | Bit(Stretch.Value) | Bit(Stretch.Gap) | (shared >= 4 ? mixedOnes | Bit(Stretch.MixedTurn) : 0);
        return accepted;
    }

    private bool Same(List<Cut> bucket, Func<string?[], Cut, string?> word)
    {
        var first = word(_signatures[bucket[0].Signature].Words, bucket[0]);
        return first is not null && bucket.TrueForAll(c => word(_signatures[c.Signature].Words, c) == first);
    }

    private Stretch KindOf(ReadOnlySpan<string?> stretch)
    {
        if (stretch.IsEmpty) return Stretch.Empty;
        var isMixed = stretch.Contains(null);
        var (gaps, values, turns, joins, denies) = (0, 0, 0, 0, false);
        foreach (var word in stretch)
        {
            if (word is null)
            {
                gaps++;
                continue;
            }
            if (Words.Joins(word)) joins++;
            denies |= Words.Denies(word);
            if (_values.Contains(word) || Words.LooksLikeValue(word)) values++;
            else if (stretch.Length == 1 ? Words.IsTurn(word) : isMixed ? Words.IsTurn(word) && !Words.Joins(word) : Words.Denies(word) || (word == stretch[0] && Words.IsDone(word))) turns++;
        }
        if (gaps == stretch.Length) return Stretch.Gap;
        if (gaps + values == stretch.Length) return Stretch.Value;
        if (gaps + joins == stretch.Length) return gaps > 0 && !denies ? Stretch.Phrase : Stretch.Turn;
        if (gaps == 0) return turns > 0 ? Stretch.Turn : Stretch.Words;
        return turns > 0 ? Stretch.MixedTurn : gaps == stretch.Length - 1 ? Stretch.Near : Stretch.Mixed;
    }
}
