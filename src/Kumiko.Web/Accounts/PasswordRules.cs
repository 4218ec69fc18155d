using System.Text.Json;

namespace Kumiko.Web.Accounts;

/// <summary>What a new password must be: long, and not one that many people have.</summary>
public static class PasswordRules
{
    public const int Shortest = 12;
    public const int Longest = 200;

    private static readonly Lazy<HashSet<string>> Common = new(Read);

    /// <summary>What is wrong with a password; null where it is good.</summary>
    /// <param name="own">Words that anybody would try for this person: name, address.</param>
    public static string? Fault(string? password, params IEnumerable<string?> own)
    {
        if (password is null || password.Length < Shortest)
            return $"A password needs {Shortest} characters or more.";
        if (password.Length > Longest)
            return $"A password can have {Longest} characters.";
        var text = password.ToLowerInvariant();
        if (IsCommon(text))
            return "Many people have this password, or one like it. Choose another: a few words that do not belong together do well.";
        var words = own.SelectMany(o =>
                (o ?? "").ToLowerInvariant().Split([' ', '@', '.'], StringSplitOptions.RemoveEmptyEntries)
            )
            .Where(o => o.Length > 3);
        var rest = words.Aggregate(text, (left, word) => left.Replace(word, "", StringComparison.Ordinal));
        return rest.Length < text.Length && Core(rest).Length < 4
            ? "It is little more than your name or address. Choose another."
            : null;
    }

    // A common word with digits and signs around it, or written twice, is as easily guessed as the word alone.
    private static bool IsCommon(string text)
    {
        var core = Core(text);
        return Common.Value.Contains(text)
            || text.Distinct().Count() < 5
            || IsRow(text)
            || core.Length < 4
            || Common.Value.Contains(core)
            || Common.Value.Contains(
                core.Replace('0', 'o')
                    .Replace('1', 'l')
                    .Replace('3', 'e')
                    .Replace('4', 'a')
                    .Replace('5', 's')
                    .Replace('@', 'a')
                    .Replace('$', 's')
            )
            || Repeats(core) is { } once && (once.Length < 6 || Common.Value.Contains(once));
    }

    /// <summary>What is left without digits and signs at both ends.</summary>
    private static string Core(string text)
    {
        var (from, to) = (0, text.Length);
        while (from < to && !char.IsLetter(text[from]))
            from++;
        while (to > from && !char.IsLetter(text[to - 1]))
            to--;
        return text[from..to];
    }

    /// <summary>The part that a text repeats; null where it repeats none.</summary>
    private static string? Repeats(string text)
    {
        for (var length = 1; length <= text.Length / 2; length++)
            if (text.Length % length == 0 && string.Concat(Enumerable.Repeat(text[..length], text.Length / length)) == text)
                return text[..length];
        return null;
    }

    private static bool IsRow(string text)
    {
        string[] rows =
        [
            "01234567890123456789",
            "abcdefghijklmnopqrstuvwxyz",
            "qwertyuiopasdfghjklzxcvbnm",
            "1234567890qwertyuiop",
        ];
        return rows.Any(row =>
            row.Contains(text, StringComparison.Ordinal) || string.Concat(row.Reverse()).Contains(text, StringComparison.Ordinal)
        );
    }

    private static HashSet<string> Read()
    {
        using var stream = typeof(PasswordRules).Assembly.GetManifestResourceStream("common-passwords.json")!;
        return new HashSet<string>(JsonSerializer.Deserialize<string[]>(stream)!, StringComparer.Ordinal);
    }
}
