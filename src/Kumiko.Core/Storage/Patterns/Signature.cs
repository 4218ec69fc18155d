using System.Text;
using Kumiko.Core.Storage.Templates;

namespace Kumiko.Core.Storage.Patterns;

/// <summary>
/// The words of a template in order, with null for a gap; gaps that no word parts are one. What separates them counts only
/// where a sentence says its reason behind a colon, and in lines of hardly any words.
/// </summary>
internal sealed class Signature : IEquatable<Signature>, IComparable<Signature>
{
    private readonly int _hash;
    private ulong _named;
    private ulong _commas;

    /// <param name="named">Bits of the gaps that begin with a capital.</param>
    /// <param name="commas">Bits of the words behind a comma.</param>
    /// <param name="reason">How many words stand before the colon behind which the reason is told; 0 where there is none.</param>
    public Signature(string?[] words, int reason, int gaps, ulong named, ulong commas, string shape = "")
    {
        (Words, Reason, Gaps, _named, _commas, Shape) = (words, reason, gaps, named, commas, shape);
        var hash = new HashCode();
        foreach (var word in words)
        {
            hash.Add(word is null ? 0 : string.GetHashCode(word, StringComparison.Ordinal));
            if (word is not null)
                Constants++;
        }
        hash.Add(string.GetHashCode(shape, StringComparison.Ordinal));
        _hash = hash.ToHashCode();
    }

    public string?[] Words { get; }
    public int Reason { get; }

    /// <summary>From so many variables on, and with one word at most, a line is told by its brackets and quotes.</summary>
    public const int ValuesOnly = 6;

    /// <summary>Brackets and quotes of a line of values only; empty for others.</summary>
    public string Shape { get; }

    /// <summary>How many variables it has, each counted.</summary>
    public int Gaps { get; }

    /// <summary>How many of its words are no gaps.</summary>
    public int Constants { get; }

    public static Signature Of(Template template, BodyTokens tokens)
    {
        tokens.Cut(template.Key);
        ReadOnlySpan<byte> key = template.Key;
        var words = new List<string?>();
        // What a line says does not depend on its header.
        var header = BodyTokens.HasHeader(key) ? BodyTokens.HeaderTokens : 0;
        var (reason, spaced, gaps, end, named, commas) = (0, 0, 0, header, 0UL, 0UL);
        for (var t = header; t < tokens.Count; t++)
        {
            var token = tokens[t];
            var between = key[end..token.Start];
            if (reason == 0 && spaced >= 1 && words.Count >= 2 && between.EndsWith(": "u8))
            {
                words.Add(":");
                reason = words.Count;
            }
            end = token.Start + token.Length;
            if (tokens.IsVariable(t))
                gaps++;
            if (!tokens.IsVariable(t))
            {
                // A tag or a name in brackets is no part of a sentence.
                if (between.SequenceEqual(" "u8))
                    spaced++;
                if (words.Count < 64 && between.EndsWith(", "u8))
                    commas |= 1UL << words.Count;
                words.Add(Encoding.UTF8.GetString(token.Of(key)));
            }
            else if (words.Count == 0 || words[^1] is not null)
            {
                // The first of several gaps: where a name begins.
                if (
                    words.Count < 64
                    && header + gaps <= template.Facts.Length
                    && (template.Facts[header + gaps - 1].Types & VariableTypes.Named) != 0
                )
                    named |= 1UL << words.Count;
                words.Add(null);
            }
        }
        var shape =
            gaps >= ValuesOnly && words.Count(w => w is not null) <= 1
                ? new string([
                    .. key.ToArray()
                        .Where(c => c is (byte)'[' or (byte)']' or (byte)'(' or (byte)')' or (byte)'"' or (byte)'|')
                        .Select(c => (char)c),
                ])
                : "";
        return new Signature([.. words], reason, gaps, named, commas, shape);
    }

    /// <summary>Itself with a gap for some of its words.</summary>
    public Signature Without(bool[] wiped)
    {
        var words = new List<string?>(Words.Length);
        var (reason, named, commas) = (0, 0UL, 0UL);
        for (var i = 0; i < Words.Length; i++)
        {
            if (i == Reason && Reason > 0)
                reason = words.Count;
            if (Words[i] is { } word && !wiped[i])
            {
                if (words.Count < 64 && IsBehindComma(i))
                    commas |= 1UL << words.Count;
                words.Add(word);
            }
            else if (words.Count == 0 || words[^1] is not null)
            {
                if (words.Count < 64 && BeginsNamed(i))
                    named |= 1UL << words.Count;
                words.Add(null);
            }
        }
        return new Signature([.. words], reason, Gaps, named, commas, Shape);
    }

    /// <summary>Whether a name of something may stand here: a word or a value that begins with a capital.</summary>
    public bool BeginsNamed(int place) =>
        place < Words.Length && (Words[place] is { } word ? char.IsUpper(word[0]) : place < 64 && (_named & (1UL << place)) != 0);

    /// <summary>Whether a comma stands before a word, as before what a line says besides.</summary>
    public bool IsBehindComma(int place) => place < 64 && (_commas & (1UL << place)) != 0;

    /// <summary>Takes over what is known of the places of another one that is equal, so that it does not matter which came
    /// first.</summary>
    public void Join(Signature equal)
    {
        _named |= equal._named;
        _commas |= equal._commas;
    }

    public bool Equals(Signature? other) =>
        other is not null && Shape == other.Shape && Words.AsSpan().SequenceEqual(other.Words);

    public override bool Equals(object? obj) => Equals(obj as Signature);

    public override int GetHashCode() => _hash;

    public int CompareTo(Signature? other)
    {
        if (other is null)
            return 1;
        for (var i = 0; i < Math.Min(Words.Length, other.Words.Length); i++)
            if (string.CompareOrdinal(Words[i], other.Words[i]) is not 0 and var order)
                return order;
        return Words.Length.CompareTo(other.Words.Length);
    }

    public override string ToString() => string.Join(' ', Words.Select(w => w ?? "{}"));
}
