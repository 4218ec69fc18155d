namespace Kumiko.Core.Language;

/// <summary>Keywords, delimiters and spellings that the parser and the printer share.</summary>
internal static class Keywords
{
    public const string Delimiters = "(),|\"'=!<>~";

    public static readonly HashSet<string> MatchKeywords = new(StringComparer.OrdinalIgnoreCase) { "and", "or", "not" };

    public static readonly HashSet<string> ExpressionKeywords = new(StringComparer.OrdinalIgnoreCase)
    {
        "and",
        "or",
        "not",
        "in",
        "as",
        "by",
        "per",
        "desc",
        "asc",
        "true",
        "false",
    };

    public static bool Is(string word, string keyword) => string.Equals(word, keyword, StringComparison.OrdinalIgnoreCase);

    public static bool EndsBareWord(char c) => char.IsWhiteSpace(c) || Delimiters.Contains(c);

    /// <summary>Whether the text can stand in the match without quotes and come back as it was.</summary>
    public static bool IsBare(string text) =>
        text.Length > 0 && text[0] != '`' && text != "--" && !text.Any(EndsBareWord) && !MatchKeywords.Contains(text);

    public static bool IsIdentifier(string text)
    {
        if (text.Length == 0 || !(char.IsAsciiLetter(text[0]) || text[0] == '_') || text[^1] == '.' || text.Contains(".."))
            return false;
        return text.All(c => char.IsLetterOrDigit(c) || c is '_' or '.') && !ExpressionKeywords.Contains(text);
    }

    /// <summary>Whether a character belongs to a token of searched text.</summary>
    public static bool IsTokenChar(char c) => char.IsLetterOrDigit(c) || c == '_';

    public static string Quote(string text)
    {
        var quoted = new System.Text.StringBuilder("\"", text.Length + 2);
        foreach (var c in text)
            quoted.Append(
                c switch
                {
                    '"' => "\\\"",
                    '\\' => "\\\\",
                    '\n' => "\\n",
                    '\r' => "\\r",
                    '\t' => "\\t",
                    < ' ' or '\u007f' => FormattableString.Invariant($"\\u{{{(int)c:x}}}"),
                    _ => c,
                }
            );
        return quoted.Append('"').ToString();
    }

    public static string Name(string name, bool match)
    {
        var isPlain = match ? IsBare(name) : IsIdentifier(name);
        return isPlain ? name : "`" + name.Replace("`", "``") + "`";
    }

    /// <summary>The candidate with the fewest edits away, if that is close enough to be what was meant.</summary>
    public static string? Nearest(string word, IEnumerable<string> candidates)
    {
        var best = candidates
            .Select(c => (Name: c, Far: Distance(word.ToLowerInvariant(), c.ToLowerInvariant())))
            .OrderBy(c => c.Far)
            .FirstOrDefault();
        return best.Name is not null && best.Far <= Math.Max(1, word.Length / 3) ? best.Name : null;
    }

    private static int Distance(string a, string b)
    {
        // Levenshtein's distance with swapped neighbours as one edit. Long words are never near a keyword.
        if (a.Length > 40 || b.Length > 40)
            return int.MaxValue;
        var far = new int[a.Length + 1, b.Length + 1];
        for (var i = 0; i <= a.Length; i++)
            far[i, 0] = i;
        for (var j = 0; j <= b.Length; j++)
            far[0, j] = j;
        for (var i = 1; i <= a.Length; i++)
        for (var j = 1; j <= b.Length; j++)
        {
            var replaced = far[i - 1, j - 1] + (a[i - 1] == b[j - 1] ? 0 : 1);
            far[i, j] = Math.Min(replaced, Math.Min(far[i - 1, j], far[i, j - 1]) + 1);
            if (i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1])
                far[i, j] = Math.Min(far[i, j], far[i - 2, j - 2] + 1);
        }
        return far[a.Length, b.Length];
    }
}
