using Kumiko.Core.Records;

namespace Kumiko.Core.Intake;

/// <summary>Severity numbers of levels as programs spell them, beyond the names that people use.</summary>
internal static class LevelNames
{
    private static readonly int[] OfSyslog = [21, 19, 18, 17, 13, 10, 9, 5];

    /// <summary>The severity number of a name; 0 where it is none.</summary>
    public static int Find(ReadOnlySpan<byte> text)
    {
        const int Longest = 16;
        if (text.Length is 0 or > Longest)
            return 0;
        Span<char> name = stackalloc char[Longest];
        for (var i = 0; i < text.Length; i++)
            name[i] = char.ToLowerInvariant((char)text[i]);
        return FindLower(name[..text.Length]);
    }

    /// <inheritdoc cref="Find(ReadOnlySpan{byte})"/>
    public static int Find(string text)
    {
        const int Longest = 16;
        return text.Length is 0 or > Longest ? 0 : FindLower(text.ToLowerInvariant());
    }

    /// <param name="lower">In small letters.</param>
    private static int FindLower(ReadOnlySpan<char> lower)
    {
        if (Severity.FromText(lower) is var known and > 0)
            return known;
        if (int.TryParse(lower, System.Globalization.NumberStyles.None, null, out var number))
            return FromNumber(number);
        return lower switch
        {
            "t" or "v" or "trc" or "trce" or "vrb" => Severity.Trace,
            "d" or "dbug" or "config" or "debug2" or "debug3" or "debug4" => Severity.Debug,
            "i" or "n" or "note" or "system" or "hint" or "detail" or "statement" or "context" or "notification" or "ok" =>
                Severity.Info,
            "w" or "warns" => Severity.Warn,
            "e" or "eror" or "fail" or "failed" or "failure" or "fault" => Severity.Error,
            "f" or "c" or "a" or "ftl" or "abort" => Severity.Fatal,
            _ => 0,
        };
    }

    /// <summary>Levels in tens from 10 (trace) to 60 (fatal), those of syslog from 0 (the gravest) to 7, or
    /// OpenTelemetry's.</summary>
    public static int FromNumber(long number) =>
        number switch
        {
            10 or 20 or 30 or 40 or 50 or 60 => ((int)(number / 10) - 1) * 4 + 1,
            >= 0 and <= 7 => OfSyslog[number],
            > 7 and <= 24 => (int)number,
            _ => 0,
        };
}
