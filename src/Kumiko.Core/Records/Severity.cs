namespace Kumiko.Core.Records;

/// <summary>Severity numbers and names of OpenTelemetry's log data model, in six bands of four.</summary>
public static class Severity
{
    public const int Trace = 1;
    public const int Debug = 5;
    public const int Info = 9;
    public const int Warn = 13;
    public const int Error = 17;
    public const int Fatal = 21;

    /// <summary>The six band names, lowest first.</summary>
    public static readonly string[] Names = ["trace", "debug", "info", "warn", "error", "fatal"];

    /// <summary>0 for unspecified, then 1 (trace) to 6 (fatal).</summary>
    public static int Band(int number) => number is < 1 or > 24 ? 0 : (number + 3) / 4;

    public static string Name(int number) => Band(number) is var band and > 0 ? Names[band - 1] : "";

    /// <summary>The number of a level as people and programs spell it; 0 when the spelling is not known.</summary>
    public static int FromText(ReadOnlySpan<char> text)
    {
        Span<char> lower = stackalloc char[16];
        text = text.Trim();
        if (text.Length is 0 or > 16)
            return 0;
        text.ToLowerInvariant(lower);
        return lower[..text.Length] switch
        {
            "trace" or "verbose" or "finest" or "finer" => Trace,
            "debug" or "dbg" or "fine" or "debug1" or "debug5" => Debug,
            "info" or "information" or "informational" or "inf" or "notice" or "log" => Info,
            "warn" or "warning" or "wrn" => Warn,
            "error" or "err" or "severe" => Error,
            "fatal" or "critical" or "crit" or "alert" or "emergency" or "emerg" or "panic" => Fatal,
            _ => Numbered(lower[..text.Length]),
        };
    }

    private static int Numbered(ReadOnlySpan<char> text)
    {
        // OpenTelemetry's short names carry a digit: INFO2, ERROR4.
        if (text[^1] is < '2' or > '4')
            return 0;
        for (var i = 0; i < Names.Length; i++)
            if (text[..^1].SequenceEqual(Names[i]))
                return (i * 4) + 1 + (text[^1] - '1');
        return 0;
    }
}
