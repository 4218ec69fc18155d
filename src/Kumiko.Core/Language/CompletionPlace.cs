namespace Kumiko.Core.Language;

/// <summary>What can stand at a place of a query.</summary>
[Flags]
public enum Wanted
{
    Nothing = 0,
    Field = 1,
    Value = 2,
    Function = 4,
    Stage = 8,
    Set = 16,
}

/// <summary>A place in a query's text where somebody writes, and what can stand there.</summary>
/// <param name="Span">The word being written, which a completion replaces.</param>
/// <param name="Prefix">Its part before the caret.</param>
/// <param name="Field">Whose values are wanted; null where none are.</param>
/// <param name="Stage">The stage's word, empty for the match.</param>
/// <param name="Keywords">Words of the language that can stand here.</param>
/// <param name="Quoted">Whether it is inside quotes, which stay.</param>
/// <param name="Before">The text up to the stage, which says what fields there are.</param>
public sealed record CompletionPlace(
    Wanted Wanted,
    TextSpan Span,
    string Prefix,
    string? Field,
    string Stage,
    IReadOnlyList<string> Keywords,
    bool Quoted,
    string Before
)
{
    private static readonly string[] Openings = ["not", "exists", "from", "with"];
    private static readonly string[] Joins = ["and", "or"];
    private static readonly string[] Orders = ["asc", "desc"];

    private readonly record struct Token(string Text, int Start, bool IsName);

    /// <param name="text">Any text.</param>
    /// <param name="caret">Where one writes, 0 to the text's length.</param>
    public static CompletionPlace At(string text, int caret)
    {
        caret = Math.Clamp(caret, 0, text.Length);
        var tokens = new List<Token>();
        var (stage, stageStart, at) = (0, 0, 0);
        while (at < caret)
        {
            var c = text[at];
            if (char.IsWhiteSpace(c))
            {
                at++;
                continue;
            }
            if (
                c == '-'
                && at + 1 < text.Length
                && text[at + 1] == '-'
                && (at + 2 >= text.Length || Language.Keywords.EndsBareWord(text[at + 2]))
            )
            {
                var line = text.IndexOf('\n', at);
                if (line < 0 || line >= caret)
                    return Nothing(text, caret);
                at = line;
                continue;
            }
            if (c == '|')
            {
                (stage, stageStart) = (stage + 1, at++);
                tokens.Clear();
                continue;
            }
            if (c is '"' or '\'' or '`')
            {
                var end = Closes(text, at);
                // Inside of it: the caret stands before its end.
                if (end < 0 || end >= caret)
                    return Place(text, caret, tokens, stage, stageStart, at + 1, end < 0 ? caret : end, c is not '`', c is '`');
                tokens.Add(new Token(c == '`' ? text[(at + 1)..end] : text[at..(end + 1)], at, true));
                at = end + 1;
                continue;
            }
            if (c == '/' && tokens.Count > 0 && tokens[^1].Text is "~" or "!~")
            {
                var end = at + 1;
                while (end < text.Length && text[end] is not '/' and not '\n')
                    end += text[end] == '\\' ? 2 : 1;
                if (end >= caret)
                    return Nothing(text, caret);
                tokens.Add(new Token("/…/", at, false));
                at = end + 1;
                continue;
            }
            if (Language.Keywords.Delimiters.Contains(c))
            {
                var length = at + 1 < text.Length && text.Substring(at, 2) is "!=" or "!~" or "<=" or ">=" ? 2 : 1;
                tokens.Add(new Token(text.Substring(at, length), at, false));
                at += length;
                continue;
            }
            var stop = at;
            while (stop < text.Length && !Language.Keywords.EndsBareWord(text[stop]))
                stop++;
            if (stop >= caret)
                return Place(text, caret, tokens, stage, stageStart, at, stop, false, false);
            tokens.Add(new Token(text[at..stop], at, true));
            at = stop;
        }
        return Place(text, caret, tokens, stage, stageStart, caret, caret, false, false);
    }

    private static CompletionPlace Nothing(string text, int caret) =>
        new(Wanted.Nothing, new TextSpan(caret, 0), "", null, "", [], false, text);

    private static int Closes(string text, int open)
    {
        for (var i = open + 1; i < text.Length; i++)
        {
            if (text[i] == text[open])
                return i;
            if (text[i] == '\\' && text[open] != '`')
                i++;
        }
        return -1;
    }

    private static CompletionPlace Place(
        string text,
        int caret,
        List<Token> tokens,
        int stage,
        int stageStart,
        int start,
        int end,
        bool quoted,
        bool name
    )
    {
        var word = stage > 0 && tokens.Count > 0 ? tokens[0].Text.ToLowerInvariant() : "";
        CompletionPlace Of(Wanted wanted, IEnumerable<string>? keywords = null, string? field = null) =>
            new(
                wanted,
                TextSpan.Between(start, Math.Max(start, end)),
                text[start..caret],
                field,
                word,
                [.. keywords ?? []],
                quoted || name,
                text[..stageStart]
            );
        if (name)
            return Of(Wanted.Field);
        if (ValueOf(tokens) is { } field)
            return Of(Wanted.Value, field: field);
        if (quoted)
            return Of(Wanted.Nothing);
        var before = tokens.Count == 0 ? "" : tokens[^1].Text.ToLowerInvariant();
        if (stage == 0)
        {
            if (before == "from")
                return Of(Wanted.Set);
            if (tokens.Count == 0)
                return Of(Wanted.Field, Openings);
            return before is "and" or "or" or "not" or "("
                ? Of(Wanted.Field, ["not", "exists"])
                : Of(Wanted.Field, [.. Joins, "not", "in"]);
        }
        if (tokens.Count == 0)
            return Of(Wanted.Stage);
        var kind = StageKinds.Find(word);
        if (kind is { TakesSet: true } && tokens.Count == 1 || before == "from")
            return Of(Wanted.Set);
        var keywords = kind?.Keywords ?? [];
        if (word == "order" && tokens[^1].IsName && before is not "by" && tokens.Count > 1)
            return Of(Wanted.Field, Orders);
        return kind is { TakesExpressions: false } ? Of(Wanted.Field, keywords) : Of(Wanted.Field | Wanted.Function, keywords);
    }

    /// <summary>The field whose value stands next: behind an operator, or in a list.</summary>
    private static string? ValueOf(List<Token> tokens)
    {
        if (tokens.Count >= 2 && tokens[^1].Text is "=" or "!=" or "<" or ">" or "<=" or ">=" && tokens[^2].IsName)
            return tokens[^2].Text;
        var open = tokens.Count - 1;
        if (open < 0 || tokens[open].Text is not ("(" or ","))
            return null;
        while (open >= 0 && tokens[open].Text != "(")
            open--;
        return open >= 2 && Language.Keywords.Is(tokens[open - 1].Text, "in")
            ? tokens[Language.Keywords.Is(tokens[open - 2].Text, "not") && open >= 3 ? open - 3 : open - 2].Text
            : null;
    }
}
