using System.Collections.Frozen;

namespace Kumiko.Core.Storage.Patterns;

/// <summary>What a word says about itself, when templates differ in it.</summary>
internal static class WordClasses
{
    /// <summary>Words that change what a sentence says, so that sentences that differ in one of them are two.</summary>
    private static readonly FrozenSet<string> Turns = new[]
    {
        "not",
        "no",
        "never",
        "without",
        "with",
        "before",
        "after",
        "again",
        "already",
        "still",
        "un",
        "non",
        "up",
        "down",
        "on",
        "off",
        "in",
        "out",
        "over",
        "under",
        "into",
        "from",
        "to",
        "for",
        "by",
        "of",
        "at",
        "as",
        "and",
        "or",
        "but",
        "is",
        "was",
        "are",
        "were",
        "has",
        "had",
        "have",
        "be",
        "been",
        "will",
        "can",
        "cannot",
        "could",
        "may",
        "must",
        "did",
        "does",
        "do",
        "open",
        "close",
        "start",
        "stop",
        "begin",
        "end",
        "commit",
        "rollback",
        "lock",
        "unlock",
        "read",
        "write",
        "send",
        "receive",
        "get",
        "put",
        "add",
        "remove",
        "create",
        "delete",
        "insert",
        "update",
        "load",
        "save",
        "accept",
        "reject",
        "grant",
        "deny",
        "allow",
        "enable",
        "disable",
        "sent",
        "lost",
        "found",
        "held",
        "made",
        "took",
        "done",
        "wrote",
        "ran",
        "came",
        "went",
        "fell",
        "rose",
        "grew",
        "gave",
        "saw",
        "chose",
        "broke",
        "froze",
        "paid",
        "shut",
        "set",
        "reset",
        "hit",
        "cut",
        "put",
        "quit",
        "split",
        "kept",
        "left",
        "began",
        "got",
        "built",
        "drawn",
        "given",
        "taken",
        "written",
        "chosen",
        "broken",
        "seen",
        "gone",
        "success",
        "failure",
        "ok",
        "fail",
        "error",
        "ready",
        "missing",
        "present",
    }.ToFrozenSet(StringComparer.OrdinalIgnoreCase);

    /// <summary>Words that stand where a value would, when there is none or the usual one.</summary>
    private static readonly FrozenSet<string> Nothing = new[]
    {
        "none",
        "null",
        "nil",
        "n/a",
        "undefined",
        "unknown",
        "unset",
        "unnamed",
        "all",
        "any",
        "default",
        "localhost",
        "root",
        "admin",
        "nobody",
        "anonymous",
        "guest",
    }.ToFrozenSet(StringComparer.OrdinalIgnoreCase);

    /// <summary>Units: what stands behind a number as another one might.</summary>
    private static readonly FrozenSet<string> Units = new[]
    {
        "B",
        "kB",
        "KB",
        "MB",
        "GB",
        "TB",
        "KiB",
        "MiB",
        "GiB",
        "TiB",
        "bytes",
        "ns",
        "us",
        "µs",
        "ms",
        "s",
        "sec",
        "secs",
        "min",
        "h",
        "d",
        "kbit",
        "Mbit",
        "Gbit",
    }.ToFrozenSet(StringComparer.Ordinal);

    /// <summary>Words that only join: what stands behind them is not named by them.</summary>
    private static readonly FrozenSet<string> Joining = new[]
    {
        "a",
        "an",
        "the",
        "of",
        "in",
        "on",
        "at",
        "to",
        "by",
        "for",
        "from",
        "with",
        "after",
        "before",
        "and",
        "or",
        "is",
        "was",
        "are",
        "be",
        "as",
        "than",
        "via",
        "within",
        "over",
        "under",
        "since",
        "until",
        "about",
        "into",
        "has",
        "have",
        "had",
        "not",
        "no",
        "up",
        "down",
        "off",
        "out",
        "that",
        "this",
        "it",
        "its",
        "another",
        "only",
        "more",
    }.ToFrozenSet(StringComparer.OrdinalIgnoreCase);

    public static bool IsTurn(string word) => Turns.Contains(word) || IsDone(word);

    /// <summary>Whether something is done or being done.</summary>
    public static bool IsDone(string word) =>
        word.Length >= 5
        && (word.EndsWith("ed", StringComparison.OrdinalIgnoreCase) || word.EndsWith("ing", StringComparison.OrdinalIgnoreCase));

    /// <summary>Words that deny.</summary>
    public static bool Denies(string word) => word is "not" or "no" or "never" or "without" or "cannot";

    public static bool IsNothing(string word) => Nothing.Contains(word);

    public static bool IsUnit(string word) => Units.Contains(word);

    public static bool Joins(string word) => Joining.Contains(word);

    /// <summary>Whether it is spelled as names of things are: in capitals, in camel case, or put together with dots, dashes and
    /// the like.</summary>
    public static bool LooksLikeValue(string word)
    {
        if (IsNothing(word))
            return true;
        var capitals = 0;
        for (var i = 0; i < word.Length; i++)
        {
            if (char.IsUpper(word[i]))
                capitals++;
            else if (i > 0 && i < word.Length - 1 && word[i] is '.' or '_' or '/' or '@' or '-' or ':')
                return true;
        }
        return capitals > 1 || (capitals == 1 && !char.IsUpper(word[0]));
    }

    /// <summary>Whether it can name a variable that stands behind it.</summary>
    public static bool CanName(string word)
    {
        if (word.Length is < 2 or > 24 || Joins(word) || !char.IsAsciiLetter(word[0]))
            return false;
        foreach (var c in word)
            if (!char.IsAsciiLetter(c) && c is not ('_' or '-' or '.'))
                return false;
        return true;
    }
}
