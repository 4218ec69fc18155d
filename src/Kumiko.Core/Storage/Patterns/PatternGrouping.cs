using System.Runtime.InteropServices;

namespace Kumiko.Core.Storage.Patterns;

/// <summary>
/// Which signatures of a service were written by one line of code. Signatures that are alike but for one stretch of words
/// are compared by what stands in that stretch: values vary, verbs and negations tell lines apart. The answer depends
/// on the set of signatures alone, not on their order.
/// </summary>
internal sealed class PatternGrouping
{
    private const ulong Beside = 0xD6E8FEB86659FD93;
    private const int LongestStretch = 10;
    private const int Titles = 5;
    private const int ManyGaps = 3;
    private const int VeryManyGaps = 10;
    private const int MostRounds = 5;
    private const int MostWords = 96;

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
        for (var r = 0; r < MostRounds && round.Count > 1; r++)
            round = grouping.Round(round);
        return [.. places.Select(grouping.Root)];
    }

    private int Place(Signature signature)
    {
        ref var place = ref CollectionsMarshal.GetValueRefOrAddDefault(_places, signature, out var known);
        if (known)
        {
            _signatures[place].Join(signature);
            return place;
        }
        place = _signatures.Count;
        _signatures.Add(signature);
        _parents.Add(place);
        return place;
    }

    private int Root(int place)
    {
        while (_parents[place] != place)
            place = _parents[place] = _parents[_parents[place]];
        return place;
    }

    private void Unite(int a, int b) => _parents[Root(a)] = Root(b);

    /// <summary>A stretch of a signature that is left out to compare the rest: it ends before <paramref name="To"/>.</summary>
    private readonly record struct Cut(int Signature, int From, int To);

    /// <summary>Compares those of a round with each other, and answers with what they became.</summary>
    private List<int> Round(List<int> round)
    {
        var buckets = new Dictionary<(ulong, ulong), List<Cut>>();
        foreach (var place in round)
            AddCuts(buckets, place);
        var wiped = round.ToDictionary(p => p, p => new bool[_signatures[p].Words.Length]);
        var merged = false;
        var values = new List<string>();
        // One word tells values best; what differs in more is judged with these known.
        var compared = buckets.Values.Where(b => b.Count >= 2).ToLookup(b => b.TrueForAll(c => c.To - c.From == 1));
        foreach (var bucket in compared[true])
            merged |= Judge(bucket, wiped, values, Of);
        var told = wiped.ToDictionary(w => w.Key, w => (bool[])w.Value.Clone());
        foreach (var bucket in compared[false])
            merged |= Judge(bucket, wiped, values, c => Of(c, told[c.Signature]));
        _values.UnionWith(values);
        if (!merged)
            return [];
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
        if (words.Length > MostWords)
            return;
        var shape = (ulong)string.GetHashCode(_signatures[place].Shape, StringComparison.Ordinal);
        var (before, after) = (new ulong[words.Length + 1], new ulong[words.Length + 1]);
        for (var i = 0; i < words.Length; i++)
            before[i + 1] = Mixed(before[i], words[i]);
        for (var i = words.Length; i > 0; i--)
            after[i - 1] = Mixed(after[i], words[i - 1]);
        for (var from = 0; from <= words.Length; from++)
        {
            for (var to = from; to <= words.Length && to - from <= LongestStretch; to++)
                Add(from, to);
            // What follows a colon may be of any length.
            if (from == _signatures[place].Reason && from > 0 && words.Length - from > LongestStretch)
                Add(from, words.Length);
        }

        void Add(int from, int to)
        {
            if (to - from == words.Length && (_signatures[place].Constants > 1 || _signatures[place].Shape.Length == 0))
                return;
            // Gaps at its edges belong to the stretch, as gaps that no word parts are one; a word beside a gap is compared by
            // itself too.
            var beside = (from > 0 && words[from - 1] is null) || (to < words.Length && words[to] is null);
            if (beside && (to - from != 1 || words[from] is null || before[from] == 0))
                return;
            ref var bucket = ref CollectionsMarshal.GetValueRefOrAddDefault(
                buckets,
                ((before[from] ^ shape) + (beside ? Beside : 0), after[to] + ((ulong)(words.Length - to) << 1)),
                out _
            );
            (bucket ??= []).Add(new Cut(place, from, to));
        }
    }

    private static ulong Mixed(ulong hash, string? word)
    {
        hash ^= word is null
            ? 0x51ED270B27B4F3CFUL
            : System.IO.Hashing.XxHash3.HashToUInt64(MemoryMarshal.AsBytes(word.AsSpan()));
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

        /// <summary>Names and their values, the first with a colon: ", terminal: {}, lane: {}".</summary>
        Named,

        /// <summary>Plain words and the value that they are said of: "retired seat {}". They make another line than the value
        /// alone.</summary>
        Said,
    }

    /// <summary>Unites signatures that differ in one stretch only, as far as what stands there says that one line wrote
    /// them.</summary>
    /// <param name="values">Receives words that are values surely.</param>
    private bool Judge(List<Cut> bucket, Dictionary<int, bool[]> wiped, List<string> values, Func<Cut, string?[]> stretch)
    {
        var (first, from, to) = bucket[0];
        var words = _signatures[first].Words;
        // Where all have the same word at an edge, a narrower stretch tells more.
        if (
            bucket.TrueForAll(c => c.To > c.From)
            && (Same(bucket, static (w, c) => w[c.From]) || Same(bucket, static (w, c) => w[c.To - 1]))
        )
            return false;
        var single = bucket.TrueForAll(c => c.To - c.From == 1);
        var stretches = bucket.ConvertAll(c => stretch(c));
        // With a word in common within, they differ in two places.
        if (
            !single
            && stretches[0].Length >= 2
            && stretches.TrueForAll(s => !s.AsSpan().Contains(null))
            && stretches[0].Any(w => w is not ":" && stretches.TrueForAll(s => s.AsSpan().Contains(w)))
            && !bucket.TrueForAll(c => _signatures[c.Signature].Reason == c.From)
        )
            return false;
        var kinds = stretches.ConvertAll(s => KindOf(s));
        SetApartSaid(stretches, kinds);
        for (var i = 0; i < kinds.Count; i++)
            if (kinds[i] == Stretch.Named && !IsBesides(bucket[i]))
                kinds[i] = Stretch.Mixed;
        var found = new int[Enum.GetValues<Stretch>().Length];
        foreach (var (kind, count) in kinds.Zip(stretches).DistinctBy(x => string.Join('\n', x.Second)).CountBy(x => x.First))
            found[(int)kind] = count;
        var before = words[..from].Count(w => w is not null and not ":");
        var shared =
            before
            + words[to..].Count(w => w is not null and not ":")
            + Math.Min(2, bucket.Min(c => _signatures[c.Signature].Gaps) / 3);
        var accepted = Accepted(
            found,
            shared,
            before,
            to == words.Length,
            single,
            bucket.Exists(c => _signatures[c.Signature].Gaps >= ManyGaps),
            shared >= 2 && bucket.TrueForAll(c => c.From > 0 && _signatures[c.Signature].Reason == c.From)
        );
        // Lines of values only, in which somebody's name may stand.
        if (
            words.Length == to - from
            && (found[(int)Stretch.Gap] > 0 || bucket.TrueForAll(c => _signatures[c.Signature].Gaps >= VeryManyGaps))
        )
            accepted = int.MaxValue;
        // Behind the verb that a line begins with titles of things, of any length.
        var named =
            to == words.Length && from == 1 && words[0] is { } verb && WordClasses.IsDone(verb)
                ? bucket.FindAll(c => _signatures[c.Signature].BeginsNamed(c.From))
                : [];
        if (named.Count >= Titles)
        {
            foreach (
                var cut in named.Count < 2 * Titles
                    ? named
                    : bucket.Where((c, i) => c.To - c.From > 1 || kinds[i] != Stretch.Turn)
            )
            {
                Unite(cut.Signature, named[0].Signature);
                wiped[cut.Signature].AsSpan(cut.From, cut.To - cut.From).Fill(true);
            }
            if (accepted == 0)
                return true;
        }
        if (accepted == 0)
            return false;
        Cut? anchor = null;
        var sure = found[(int)Stretch.Value] + found[(int)Stretch.Words] >= 6;
        for (var i = 0; i < bucket.Count; i++)
        {
            var cut = bucket[i];
            if ((accepted & (1 << (int)kinds[i])) == 0)
                continue;
            Unite(cut.Signature, (anchor ??= cut).Signature);
            wiped[cut.Signature].AsSpan(cut.From, cut.To - cut.From).Fill(true);
            if (sure && cut.To - cut.From == 1 && _signatures[cut.Signature].Words[cut.From] is { } word)
                values.Add(word);
        }
        return true;
    }

    /// <summary>
    /// Which kinds of stretches are of one line, as bits. The more different ones there are, the surer it is; the numbers were
    /// found by
    /// trying on lines of known programs (docs/performance.md).
    /// </summary>
    /// <param name="found">How many different stretches there are of each kind.</param>
    /// <param name="shared">How many words the signatures have in common.</param>
    /// <param name="before">How many of them stand before the stretch.</param>
    /// <param name="atEnd">Whether nothing stands behind it.</param>
    private static int Accepted(int[] found, int shared, int before, bool atEnd, bool single, bool manyGaps, bool isReason)
    {
        var (atStart, inSentence) = (before == 0, before >= 2);
        int N(Stretch kind) => found[(int)kind];
        static int Bit(Stretch kind) => 1 << (int)kind;
        var (empty, gap, value, words, mixed) = (
            N(Stretch.Empty) > 0,
            N(Stretch.Gap) > 0,
            N(Stretch.Value),
            N(Stretch.Words),
            N(Stretch.Mixed) + N(Stretch.Near) + N(Stretch.Named)
        );
        var told = value + words + mixed + N(Stretch.Turn) + N(Stretch.MixedTurn);
        var accepted = 0;
        const int mixedOnes = (1 << (int)Stretch.Mixed) | (1 << (int)Stretch.Near) | (1 << (int)Stretch.Named);
        if (empty && gap && shared >= 1)
            accepted |= Bit(Stretch.Empty) | Bit(Stretch.Gap);
        if (value > 0 && value + (gap ? 1 : 0) >= 2 && shared >= 1)
            accepted |= Bit(Stretch.Value) | Bit(Stretch.Gap);
        if (value > 0 && empty && shared >= 2)
            accepted |= Bit(Stretch.Value) | Bit(Stretch.Empty);

        int needed;
        if (isReason)
            needed = 2;
        else if (atStart)
        {
            if (single)
            {
                if (shared >= 3)
                    needed = 4;
                else
                    needed = 12;
            }
            else
                needed = int.MaxValue;
        }
        else
            needed = shared switch
            {
                >= 4 => 2,
                3 => 3,
                2 => single ? 4 : 5,
                1 => 6,
                _ => int.MaxValue,
            };
        if (words > 0 && words + value >= needed)
            accepted |= Bit(Stretch.Words) | Bit(Stretch.Value);
        // Where values stand, a verb is one too.
        if (words + value >= Math.Max(3, needed))
            accepted |= Bit(Stretch.Turn);
        // A word with values of all looks has these too.
        if (single && value >= 2 && told >= 4 && shared >= 1)
            accepted |= Bit(Stretch.Turn) | Bit(Stretch.Words) | Bit(Stretch.Value);
        if (words > 0 && gap && shared >= 3 && !atStart)
            accepted |= Bit(Stretch.Words) | Bit(Stretch.Gap);
        if (words > 0 && empty && shared >= 4 && atEnd)
            accepted |= Bit(Stretch.Words) | Bit(Stretch.Empty);

        // Something more, or nothing; or something more beside what is always there.
        if (N(Stretch.Phrase) > 0 && (empty || gap || N(Stretch.Phrase) > 1) && shared >= 1 && !atStart)
            accepted |= Bit(Stretch.Phrase) | Bit(Stretch.Empty) | Bit(Stretch.Gap);
        if (mixed + N(Stretch.MixedTurn) > 0 && (empty || gap) && shared >= 3 && inSentence)
            accepted |= mixedOnes | Bit(Stretch.MixedTurn) | Bit(Stretch.Empty) | Bit(Stretch.Gap);
        // What a line knows of its occasion stands at its end, and is not always known.
        if (N(Stretch.Named) > 0 && (empty || gap) && atEnd && before >= 2)
            accepted |= Bit(Stretch.Named) | Bit(Stretch.Empty) | Bit(Stretch.Gap);
        // One plain word more among many values is a value too.
        if (N(Stretch.Near) > 0 && gap && shared >= 2 && manyGaps && !atStart)
            accepted |= Bit(Stretch.Near) | Bit(Stretch.Gap);
        var others = mixed + words + value + (gap ? 1 : 0);
        if (
            mixed > 0
            && inSentence
            && (
                others
                    >= shared switch
                    {
                        >= 5 => 2,
                        4 => 3,
                        3 => 4,
                        _ => int.MaxValue,
                    }
                || (isReason && others >= 3)
            )
        )
            accepted |= mixedOnes | Bit(Stretch.Words) | Bit(Stretch.Value) | Bit(Stretch.Gap);

        // Reasons are sentences of their own, and so is what ends a long sentence in many ways.
        if (told >= 3 && (before >= 4 || (isReason && shared >= 3)))
            accepted |=
                mixedOnes
                | Bit(Stretch.MixedTurn)
                | Bit(Stretch.Turn)
                | Bit(Stretch.Words)
                | Bit(Stretch.Value)
                | Bit(Stretch.Phrase)
                | Bit(Stretch.Gap);

        int turns;
        if (isReason)
            turns = 2;
        else if (atStart)
        {
            if (single)
                turns = 24;
            else
                turns = int.MaxValue;
        }
        else if (single)
            turns = shared switch
            {
                >= 4 => 4,
                >= 2 => 6,
                1 => 8,
                _ => int.MaxValue,
            };
        else
            turns = int.MaxValue;
        if (told >= turns && N(Stretch.Turn) > 0)
            accepted |=
                Bit(Stretch.Turn)
                | Bit(Stretch.Words)
                | Bit(Stretch.Value)
                | Bit(Stretch.Gap)
                | (shared >= 4 ? mixedOnes | Bit(Stretch.MixedTurn) : 0);
        return accepted;
    }

    private bool Same(List<Cut> bucket, Func<string?[], Cut, string?> word)
    {
        var first = word(_signatures[bucket[0].Signature].Words, bucket[0]);
        return first is not null && bucket.TrueForAll(c => word(_signatures[c.Signature].Words, c) == first);
    }

    /// <summary>Whether a word of a stretch turns what the line says.</summary>
    private static bool Turns(string word, ReadOnlySpan<string?> stretch, bool isMixed)
    {
        if (stretch.Length == 1)
            return WordClasses.IsTurn(word);
        if (isMixed)
            return WordClasses.IsTurn(word) && !WordClasses.Joins(word);
        return WordClasses.Denies(word) || (word == stretch[0] && WordClasses.IsDone(word));
    }

    private Stretch KindOf(ReadOnlySpan<string?> stretch)
    {
        if (stretch.IsEmpty)
            return Stretch.Empty;
        var isMixed = stretch.Contains(null);
        var (gaps, values, turns, joins, denies) = (0, 0, 0, 0, false);
        foreach (var word in stretch)
        {
            if (word is null)
            {
                gaps++;
                continue;
            }
            if (WordClasses.Joins(word))
                joins++;
            denies |= WordClasses.Denies(word);
            if (_values.Contains(word) || WordClasses.LooksLikeValue(word) || (stretch.Length == 1 && WordClasses.IsUnit(word)))
                values++;
            else if (Turns(word, stretch, isMixed))
                turns++;
        }
        if (gaps == stretch.Length)
            return Stretch.Gap;
        if (gaps + values == stretch.Length)
            return Stretch.Value;
        if (gaps + joins == stretch.Length)
            return gaps > 0 && !denies ? Stretch.Phrase : Stretch.Turn;
        if (gaps == 0)
            return turns > 0 ? Stretch.Turn : Stretch.Words;
        if (IsSaid(stretch))
            return Stretch.Said;
        if (IsNamed(stretch))
            return Stretch.Named;
        if (turns > 0)
            return Stretch.MixedTurn;
        if (gaps == stretch.Length - 1)
            return Stretch.Near;
        return Stretch.Mixed;
    }

    /// <summary>
    /// A stretch that is another one and plain words more says more than this, and two that begin with the same words differ in
    /// what stands
    /// behind these: narrower stretches tell which are of one line.
    /// </summary>
    private static void SetApartSaid(List<string?[]> stretches, List<Stretch> kinds)
    {
        if (!stretches.Exists(s => s.Length >= 3))
            return;
        var pairs = stretches
            .Where(s => s.Length >= 3)
            .DistinctBy(s => string.Join('\n', s))
            .CountBy(s => (s[0], s[1]))
            .ToDictionary();
        var distinct = stretches.DistinctBy(s => string.Join('\n', s)).ToList();
        for (var i = 0; i < kinds.Count; i++)
        {
            var stretch = stretches[i];
            if (kinds[i] is Stretch.Empty or Stretch.Gap or Stretch.Phrase || stretch.Length < 3)
                continue;
            if (
                (HasPlainPair(stretch) && pairs[(stretch[0], stretch[1])] > 1)
                || distinct.Exists(other => SaysMore(stretch, other))
            )
                kinds[i] = Stretch.Said;
        }
    }

    private static bool SaysMore(string?[] stretch, string?[] other)
    {
        if (other.Length == 0 || other.Length + 2 > stretch.Length || Array.TrueForAll(other, w => w is null))
            return false;
        var behind = stretch.AsSpan(0, other.Length).SequenceEqual(other);
        if (!behind && !stretch.AsSpan(stretch.Length - other.Length).SequenceEqual(other))
            return false;
        var rest = behind ? stretch.AsSpan(other.Length) : stretch.AsSpan(0, stretch.Length - other.Length);
        return rest.Length is 2 or 3 && HasPlainPair(rest) && (rest.Length == 2 || rest[2] is null);
    }

    private string?[] Of(Cut cut) => _signatures[cut.Signature].Words[cut.From..cut.To];

    /// <summary>A stretch with gaps for words that are known as values.</summary>
    private string?[] Of(Cut cut, bool[] wiped)
    {
        var words = _signatures[cut.Signature].Words;
        var stretch = new List<string?>(cut.To - cut.From);
        for (var i = cut.From; i < cut.To; i++)
        {
            if (words[i] is { } word && !wiped[i])
                stretch.Add(word);
            else if (stretch.Count == 0 || stretch[^1] is not null)
                stretch.Add(null);
        }
        return [.. stretch];
    }

    private static bool IsSaid(ReadOnlySpan<string?> stretch) =>
        stretch.Length is >= 3 and <= 5 && stretch[^1] is null && HasPlainPair(stretch);

    /// <summary>A name, a colon and a value, perhaps behind another value; only the first colon of a line is one of its
    /// words.</summary>
    private static bool IsNamed(ReadOnlySpan<string?> stretch)
    {
        if (stretch.Length >= 4 && stretch[0] is null)
            stretch = stretch[1..];
        if (stretch.Length < 3 || stretch.Length % 2 == 0 || stretch[1] is not ":")
            return false;
        if (stretch[0] is not { } first || WordClasses.IsTurn(first) || stretch[2] is not null)
            return false;
        for (var i = 3; i < stretch.Length; i += 2)
            if (stretch[i] is not { } name || WordClasses.IsTurn(name) || stretch[i + 1] is not null)
                return false;
        return true;
    }

    private bool IsBesides(Cut cut)
    {
        var signature = _signatures[cut.Signature];
        return signature.IsBehindComma(signature.Words[cut.From] is null ? cut.From + 1 : cut.From);
    }

    private static bool HasPlainPair(ReadOnlySpan<string?> stretch)
    {
        foreach (var word in stretch[..2])
            if (word is null or ":" || WordClasses.Joins(word) || WordClasses.LooksLikeValue(word))
                return false;
        return true;
    }
}
