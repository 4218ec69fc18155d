using System.Buffers;
using System.Text;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Patterns;

namespace Kumiko.Core.Storage.Templates;

/// <summary>What the pieces of a header look like: levels, hosts, programs, loggers.</summary>
internal static class HeaderWords
{
    private static readonly SearchValues<byte> NotOfLoggers = SearchValues.Create("\"'=,;{}<>!?%&"u8);
    private static readonly SearchValues<byte> Joints = SearchValues.Create("./$_@#:["u8);

    /// <summary>Levels as severities have them, and those only some daemons and libraries write.</summary>
    public static bool IsLevel(ReadOnlySpan<byte> word)
    {
        if (word.Length is < 3 or > 11)
            return false;
        Span<char> text = stackalloc char[word.Length];
        for (var i = 0; i < word.Length; i++)
            text[i] = (char)word[i];
        return Severity.FromText(text) > 0
            || text is "LOG" or "HINT" or "DETAIL" or "STATEMENT" or "CONTEXT" or "CONFIG"
            || text is "DBG" or "TRC" or "trce" or "dbug" or "VRB" or "FTL" or "fail";
    }

    /// <summary>Levels that hardly begin a sentence.</summary>
    public static bool NeverBegins(ReadOnlySpan<byte> level) => (level[0] | 0x20) is 'i' or 'd' or 't' || level.Length == 4;

    /// <summary>Whether a token names a program: with its process (true), without one (false), or not at all (null).</summary>
    public static bool? Program(ReadOnlySpan<byte> token)
    {
        var name = token is [.., (byte)':'] ? token[..^1] : token;
        if (name is [.., (byte)']'] && name.IndexOf((byte)'[') is > 0 and var open && IsProcess(name[(open + 1)..^1]))
            return IsName(name[..open]) ? true : null;
        return token is [.., (byte)':'] && name.Length > 1 && IsName(name) ? false : null;
    }

    /// <summary>Whether both can be a host and a program rather than the beginning of a sentence.</summary>
    public static bool IsPlainPair(ReadOnlySpan<byte> host, ReadOnlySpan<byte> program) =>
        !IsSaid(host)
        && !IsSaid(program[..^1])
        && (host.ContainsAnyInRange((byte)'0', (byte)'9') || !IsCapitalised(host))
        && !IsCapitalised(program[..^1]);

    /// <summary>A word that tells what happened, or joins others in a sentence.</summary>
    public static bool IsSaid(ReadOnlySpan<byte> word) =>
        word.Length < 24 && Encoding.ASCII.GetString(word) is var text && (WordClasses.IsTurn(text) || WordClasses.Joins(text));

    /// <summary>A capital that goes on in small letters, as sentences begin.</summary>
    public static bool IsCapitalised(ReadOnlySpan<byte> word) =>
        IsUpper(word[0]) && word[1..].ContainsAnyInRange((byte)'a', (byte)'z');

    public static bool IsHost(ReadOnlySpan<byte> name)
    {
        foreach (var c in name)
            if (!IsLetterOrDigit(c) && !".-_:".Contains((char)c))
                return false;
        return name[^1] != ':' && name.ContainsAnyInRange((byte)'0', (byte)'z');
    }

    public static bool IsLogger(ReadOnlySpan<byte> name) => !name.IsEmpty && IsLetter(name[0]) && !name.ContainsAny(NotOfLoggers);

    /// <summary>A file and a line: <c>worker.go:23</c>.</summary>
    public static bool IsPlace(ReadOnlySpan<byte> name) =>
        name.LastIndexOf((byte)':') is > 2 and var colon && IsNumber(name[(colon + 1)..]) && name.Contains((byte)'.');

    /// <summary>Joined by signs, or by capitals inside: <c>sales.Checkout</c>, <c>seatMap</c>.</summary>
    public static bool IsComposed(ReadOnlySpan<byte> name)
    {
        if (name[1..].ContainsAny(Joints))
            return true;
        for (var i = 1; i < name.Length; i++)
            if (IsUpper(name[i]) && IsLower(name[i - 1]))
                return true;
        return false;
    }

    public static bool HasDigit(ReadOnlySpan<byte> name) => name.ContainsAnyInRange((byte)'0', (byte)'9');

    public static bool IsNumber(ReadOnlySpan<byte> text) => !text.IsEmpty && !text.ContainsAnyExceptInRange((byte)'0', (byte)'9');

    public static bool IsLetter(byte c) => char.IsAsciiLetter((char)c);

    private static bool IsUpper(byte c) => char.IsAsciiLetterUpper((char)c);

    private static bool IsLower(byte c) => char.IsAsciiLetterLower((char)c);

    private static bool IsLetterOrDigit(byte c) => char.IsAsciiLetterOrDigit((char)c);

    private static bool IsProcess(ReadOnlySpan<byte> text)
    {
        if (text.IsEmpty || text.Length > 20)
            return false;
        foreach (var c in text)
            if (c is not (>= (byte)'0' and <= (byte)'9') && !".-:,".Contains((char)c))
                return false;
        return true;
    }

    private static bool IsName(ReadOnlySpan<byte> name)
    {
        if (name.Length > 64)
            return false;
        var letters = false;
        foreach (var c in name)
        {
            letters |= IsLetter(c);
            if (!IsLetterOrDigit(c) && !".-_/()@+".Contains((char)c))
                return false;
        }
        return letters;
    }
}
