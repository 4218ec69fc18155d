using System.Collections.Concurrent;
using System.Text;
using System.Text.RegularExpressions;

namespace Kumiko.Core.Language;

/// <summary>Regular expressions that run in linear time.</summary>
public static class Regexes
{
    private const int LongestPattern = 2_000;

    private const int MostKept = 128;

    private static readonly ConcurrentDictionary<(string, string), ConcurrentBag<Regex>> Kept = new();

    /// <summary>
    /// A compiled expression for one thread at a time, to be given back: it learns while it matches, and two threads
    /// that share one would each start anew.
    /// </summary>
    public static Regex Lend(string pattern, string flags) =>
        Kept.TryGetValue((pattern, flags), out var free) && free.TryTake(out var regex) ? regex : Compile(pattern, flags);

    public static void GiveBack(string pattern, string flags, Regex regex)
    {
        if (Kept.Count > MostKept)
            Kept.Clear();
        var free = Kept.GetOrAdd((pattern, flags), _ => []);
        if (free.Count < Environment.ProcessorCount * 2)
            free.Add(regex);
    }

    private static readonly ConcurrentDictionary<(string, string), Regex> Known = new();

    /// <summary>A compiled expression that all threads share, the same each time: compiling takes milliseconds.</summary>
    /// <exception cref="ArgumentException">The pattern is malformed.</exception>
    /// <exception cref="NotSupportedException">It needs backtracking or an automaton that is too large.</exception>
    public static Regex Of(string pattern, string flags)
    {
        if (Known.TryGetValue((pattern, flags), out var known))
            return known;
        if (Known.Count > MostKept)
            Known.Clear();
        return Known.GetOrAdd((pattern, flags), Lend(pattern, flags));
    }

    private static Regex Compile(string pattern, string flags)
    {
        var options = RegexOptions.NonBacktracking | RegexOptions.CultureInvariant;
        if (flags.Contains('i'))
            options |= RegexOptions.IgnoreCase;
        if (flags.Contains('m'))
            options |= RegexOptions.Multiline;
        if (flags.Contains('s'))
            options |= RegexOptions.Singleline;
        return new Regex(pattern, options);
    }

    /// <summary>Why a pattern cannot be used, or null.</summary>
    public static string? Refusal(string pattern, string flags)
    {
        if (pattern.Length == 0)
            return "This regular expression is empty.";
        if (pattern.Length > LongestPattern)
            return FormattableString.Invariant($"A regular expression can have {LongestPattern} characters.");
        try
        {
            GiveBack(pattern, flags, Lend(pattern, flags));
            return null;
        }
        catch (ArgumentException e)
        {
            return "This regular expression is not understood: " + Reason(e.Message);
        }
        catch (NotSupportedException)
        {
            return "This regular expression needs look-around, back-references or a very large count. Write it without.";
        }
    }

    private static string Reason(string message)
    {
        // The framework's message repeats the pattern and ends with the reason.
        var at = message.LastIndexOf("' at offset ", StringComparison.Ordinal);
        return at < 0 ? message : message[(at + 2)..];
    }

    /// <summary>
    /// A text that stands in everything the pattern matches, the longest that can be seen without understanding
    /// groups and choices; null where there is none of three characters. Searching it first is far cheaper.
    /// </summary>
    public static string? RequiredLiteral(string pattern) => RequiredLiterals(pattern) is [var best, ..] ? best : null;

    /// <summary>All texts of three characters or more that stand in everything the pattern matches, the longest first.</summary>
    public static IReadOnlyList<string> RequiredLiterals(string pattern)
    {
        if (pattern.AsSpan().IndexOfAny("|()") >= 0)
            return [];
        var (found, run) = (new List<string>(), new StringBuilder());
        for (var i = 0; i <= pattern.Length; i++)
        {
            var c = i < pattern.Length ? pattern[i] : '$';
            if (c is '?' or '*' or '{')
            {
                // What stands before may be there no time at all.
                if (run.Length > 0)
                    run.Length--;
                if (c == '{')
                    i = Math.Max(i, pattern.IndexOf('}', i));
            }
            else if (c == '[')
                i = ClassEnd(pattern, i);
            else if (c == '\\' && i + 1 < pattern.Length && !char.IsLetterOrDigit(pattern[i + 1]))
            {
                run.Append(pattern[++i]);
                continue;
            }
            else if (c == '\\')
            {
                // A class such as \d is one letter; what has more (\x41, \p{L}) is left alone with all that follows.
                if (i + 1 < pattern.Length && pattern[i + 1] is 'd' or 'D' or 'w' or 'W' or 's' or 'S' or 'b' or 'B')
                    i++;
                else
                    i = pattern.Length;
            }
            else if (c is not ('.' or '^' or '$' or '+'))
            {
                run.Append(c);
                continue;
            }
            if (run.Length >= 3)
                found.Add(run.ToString());
            run.Clear();
        }
        return [.. found.OrderByDescending(f => f.Length)];
    }

    private static int ClassEnd(string pattern, int start)
    {
        for (var i = start + 1; i < pattern.Length; i++)
        {
            if (pattern[i] == '\\')
                i++;
            else if (pattern[i] == ']' && i > start + 1 && !(i == start + 2 && pattern[start + 1] == '^'))
                return i;
        }
        return pattern.Length;
    }
}
