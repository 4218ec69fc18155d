using System.Text;
using Kumiko.Core.Storage.Columns;
using Kumiko.Core.Storage.Templates;

namespace Kumiko.Core.Storage.Patterns;

/// <summary>Makes one text of the templates of a pattern: what all have in common, with gaps where they differ.</summary>
internal sealed class PatternText
{
    /// <summary>So many templates are laid over each other; more change little.</summary>
    private const int MostLaid = 64;

    private readonly record struct Piece(string? Word, string Before, GapFacts Facts);

    private readonly List<Piece> _pieces;
    private readonly string _after;

    /// <param name="templates">In an order that does not depend on when they came.</param>
    public PatternText(IReadOnlyList<Template> templates, BodyTokens tokens)
    {
        var first = true;
        (_pieces, _after) = ([], "");
        foreach (var template in templates.Take(MostLaid))
        {
            var pieces = Cut(template, tokens, out var after);
            if (first)
                (_pieces, _after) = (pieces, after);
            else
            {
                _pieces = Common(_pieces, pieces);
                if (after != _after)
                    _after = "";
            }
            first = false;
        }
    }

    /// <summary>Words and gaps alone, for the id: it stays the same when a gap varies at last or shows another type.</summary>
    public string Skeleton
    {
        get
        {
            var to = new StringBuilder();
            foreach (var piece in _pieces)
                to.Append(piece.Before).Append(piece.Word ?? "\0");
            return to.Append(_after).ToString();
        }
    }

    private static List<Piece> Cut(Template template, BodyTokens tokens, out string after)
    {
        tokens.Cut(template.Key);
        var pieces = new List<Piece>(tokens.Count);
        ReadOnlySpan<byte> key = template.Key;
        var header = BodyTokens.HasHeader(key) ? BodyTokens.HeaderTokens : 0;
        var (end, gap) = (header, header);
        for (var t = header; t < tokens.Count; t++)
        {
            var token = tokens[t];
            var before = Encoding.UTF8.GetString(key[end..token.Start]);
            end = token.Start + token.Length;
            pieces.Add(
                tokens.IsVariable(t)
                    ? new Piece(null, before, gap < template.Facts.Length ? template.Facts[gap++] : default)
                    : new Piece(Encoding.UTF8.GetString(token.Of(key)), before, default)
            );
        }
        after = Encoding.UTF8.GetString(key[end..]);
        return pieces;
    }

    /// <summary>The words that both have in this order, and between them the gaps of both where they agree, or one gap.</summary>
    private static List<Piece> Common(List<Piece> a, List<Piece> b)
    {
        var lengths = new int[a.Count + 1, b.Count + 1];
        for (var i = a.Count - 1; i >= 0; i--)
        for (var j = b.Count - 1; j >= 0; j--)
            lengths[i, j] =
                a[i].Word is { } word && word == b[j].Word
                    ? lengths[i + 1, j + 1] + 1
                    : Math.Max(lengths[i + 1, j], lengths[i, j + 1]);
        var common = new List<Piece>();
        var (fromA, fromB) = (0, 0);
        for (int i = 0, j = 0; i < a.Count || j < b.Count; )
        {
            if (
                i < a.Count
                && j < b.Count
                && a[i].Word is { } word
                && word == b[j].Word
                && lengths[i, j] == lengths[i + 1, j + 1] + 1
            )
            {
                Between(a[fromA..i], b[fromB..j], common);
                common.Add(a[i] with { Before = Longer(a[i].Before, b[j].Before) });
                (fromA, fromB) = (++i, ++j);
            }
            else if (i < a.Count && (j == b.Count || lengths[i + 1, j] >= lengths[i, j + 1]))
                i++;
            else
                j++;
        }
        Between(a[fromA..], b[fromB..], common);
        return common;
    }

    private static string Longer(string a, string b) =>
        a.Length > b.Length || (a.Length == b.Length && string.CompareOrdinal(a, b) <= 0) ? a : b;

    private static void Between(List<Piece> a, List<Piece> b, List<Piece> to)
    {
        if (a.Count == b.Count && (IsMostlyGaps(a) || IsMostlyGaps(b)))
        {
            for (var i = 0; i < a.Count; i++)
            {
                var both = Gap(a[i]);
                both.Observe(Gap(b[i]));
                to.Add(new Piece(null, Longer(a[i].Before, b[i].Before), both));
            }
            return;
        }
        if (Math.Min(a.Count, b.Count) >= Signature.ValuesOnly && IsMostlyGaps(a) && IsMostlyGaps(b))
        {
            // Lines of values: the one that has more of them shows all.
            foreach (var piece in a.Count > b.Count ? a : b)
                to.Add(new Piece(null, piece.Before, Gap(piece) with { Varies = true }));
            return;
        }
        var facts = new GapFacts { Varies = true };
        foreach (var side in new[] { a, b })
        {
            if (side.Count == 0)
                continue;
            if (side is [var one])
                facts.Observe(Gap(one));
            else
                facts.Types |= VariableTypes.Text;
        }
        to.Add(
            new Piece(
                null,
                (a, b) switch
                {
                    ({ Count: 0 }, _) => b[0].Before,
                    (_, { Count: 0 }) => a[0].Before,
                    _ => Longer(a[0].Before, b[0].Before),
                },
                facts
            )
        );
    }

    private static bool IsMostlyGaps(List<Piece> pieces) => pieces.Count(p => p.Word is null) * 3 >= pieces.Count * 2;

    /// <summary>What a piece shows as a gap.</summary>
    private static GapFacts Gap(Piece piece)
    {
        var facts = piece.Facts;
        if (piece.Word is { } word)
            facts.Observe(Encoding.UTF8.GetBytes(word), closely: true);
        return facts;
    }

    /// <summary>The text with named gaps; a gap that had one value only, and no digit in it, is shown as that value.</summary>
    public (string Text, List<PatternVariable> Variables) Print()
    {
        var to = new StringBuilder();
        var variables = new List<PatternVariable>();
        var names = new HashSet<string>(StringComparer.Ordinal);
        for (var i = 0; i < _pieces.Count; i++)
        {
            var piece = _pieces[i];
            to.Append(piece.Before.Replace("{", "{{", StringComparison.Ordinal).Replace("}", "}}", StringComparison.Ordinal));
            if ((piece.Word ?? Constant(piece.Facts)) is { } word)
            {
                to.Append(word);
                continue;
            }
            var type = VariableType.Name(piece.Facts.Types);
            var name = GapText(i) ?? type;
            for (var n = 2; !names.Add(name); n++)
                name = $"{name.TrimEnd('0', '1', '2', '3', '4', '5', '6', '7', '8', '9')}{n}";
            to.Append('{').Append(name).Append('}');
            variables.Add(new PatternVariable(name, type));
        }
        return (
            to.Append(_after.Replace("{", "{{", StringComparison.Ordinal).Replace("}", "}}", StringComparison.Ordinal))
                .ToString(),
            variables
        );
    }

    private static string? Constant(GapFacts facts) =>
        !facts.Varies
        && facts.Only is { } only
        && !only.AsSpan().ContainsAnyInRange((byte)'0', (byte)'9')
        && !only.AsSpan().ContainsAny("{}"u8)
            ? Encoding.UTF8.GetString(only)
            : null;

    /// <summary>What the words beside a gap call it: the name before an equals sign or a colon, the noun before it, or what is
    /// counted behind it.</summary>
    private string? GapText(int gap)
    {
        var before = _pieces[gap].Before;
        var last = gap > 0 ? _pieces[gap - 1].Word : null;
        if (last is not null)
        {
            var close = before.AsSpan().Trim(" \"'`([#<");
            // What follows a verb and a colon is its reason.
            if (close is ":" && before.EndsWith(' ') && WordClasses.IsDone(last))
                return "reason";
            if (close is "=" or ":" && CanBe(last))
                return Identifier(last);
            if (close.IsEmpty && WordClasses.CanName(last) && !WordClasses.IsTurn(last))
                return Identifier(last);
        }
        if (
            gap + 1 < _pieces.Count
            && _pieces[gap + 1] is { Before: " ", Word: { } next }
            && WordClasses.CanName(next)
            && next[^1] == 's'
            && !WordClasses.IsTurn(next)
            && IsCount(_pieces[gap].Facts.Types)
        )
            return Identifier(next);
        return null;
    }

    private static bool IsCount(VariableTypes types) => (types & ~(VariableTypes.Integer | VariableTypes.Decimal)) == 0;

    private static bool CanBe(string word) =>
        word.Length <= 40
        && Array.TrueForAll(word.ToCharArray(), c => char.IsAsciiLetterOrDigit(c) || c is '_' or '-' or '.')
        && char.IsAsciiLetter(word[0]);

    private static string Identifier(string word) => word.Replace('-', '_').Replace('.', '_').ToLowerInvariant();
}
