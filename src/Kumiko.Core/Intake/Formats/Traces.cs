namespace Kumiko.Core.Intake.Formats;

/// <summary>
/// Tells where stack traces go on, of the runtimes that most logs come from: Java, .NET, Python, Go, JavaScript, PHP, Ruby.
/// Frames are indented by nearly all; what is not is told by how it begins, and by the line before it.
/// </summary>
internal static class Traces
{
    /// <summary>A record tells by its beginning what it is; looking through all of it for each line would take ever longer.</summary>
    private const int Looked = 8 * 1024;

    /// <summary>Whether a line goes on with a record, where lines have no times to tell.</summary>
    public static bool Continues(ReadOnlySpan<byte> line, int sinceBlank, ReadOnlySpan<byte> record)
    {
        var beginning = record[..Math.Min(record.Length, Looked)];
        if (line[0] is (byte)' ' or (byte)'\t' || Joins(line))
            return sinceBlank == 0 || IsTrace(beginning, record);
        if (!IsTrace(beginning, record))
            return sinceBlank == 0 && line.StartsWith("Traceback (most recent call last)"u8);
        var last = Last(record);
        // Python ends with a line that is not indented: the exception itself.
        if (beginning.IndexOf("Traceback (most recent call last)"u8) >= 0)
            return PythonGoesOn(line, sinceBlank, last, beginning);
        return (beginning.IndexOf("goroutine "u8) >= 0 || record.StartsWith("panic: "u8)) && GoGoesOn(line);
    }

    private static bool PythonGoesOn(ReadOnlySpan<byte> line, int sinceBlank, ReadOnlySpan<byte> last, ReadOnlySpan<byte> record)
    {
        if (
            line.StartsWith("During handling of the above exception"u8)
            || line.StartsWith("The above exception was the direct cause"u8)
        )
            return true;
        if (line.StartsWith("Traceback (most recent call last)"u8))
            return sinceBlank > 0 && IsChain(last);
        // Behind the frames stands the exception, which may have more lines only where they are indented.
        return sinceBlank == 0 && last.Length > 0 && last[0] is (byte)' ' or (byte)'\t' && IsFrame(last, record);
    }

    private static bool IsChain(ReadOnlySpan<byte> last) =>
        last.StartsWith("During handling of"u8) || last.StartsWith("The above exception"u8);

    private static bool IsFrame(ReadOnlySpan<byte> last, ReadOnlySpan<byte> record) =>
        last.StartsWith("  "u8) && record.LastIndexOf("  File \""u8) >= 0;

    private static bool GoGoesOn(ReadOnlySpan<byte> line) =>
        line.StartsWith("goroutine "u8)
        || line.StartsWith("created by "u8)
        || line.StartsWith("[signal "u8)
        || line.StartsWith("exit status "u8)
        || line.StartsWith("panic"u8)
        || line.StartsWith("main."u8)
        || line.StartsWith("runtime."u8)
        || (line[^1] == ')' && line.IndexOf((byte)'(') > 0 && line[..line.IndexOf((byte)'(')].IndexOfAny(" \t"u8) < 0);

    /// <summary>Beginnings of lines that only ever go on.</summary>
    private static bool Joins(ReadOnlySpan<byte> line) =>
        line[0] switch
        {
            (byte)'C' => line.StartsWith("Caused by: "u8),
            (byte)'S' => line.StartsWith("Suppressed: "u8) || line.StartsWith("Stack trace:"u8),
            (byte)'#' => line.Length > 2 && line[1] is >= (byte)'0' and <= (byte)'9',
            (byte)'.' => line.StartsWith("... "u8),
            (byte)'a' => line.StartsWith("at "u8) && line.IndexOf((byte)'(') > 0 && line[^1] == ')',
            (byte)'-' => line.StartsWith("--- "u8),
            (byte)'}' or (byte)')' or (byte)']' => line.Length < 4,
            _ => false,
        };

    /// <summary>Whether a record is or holds a stack trace.</summary>
    private static bool IsTrace(ReadOnlySpan<byte> beginning, ReadOnlySpan<byte> record) =>
        beginning.IndexOf("\tat "u8) >= 0
        || beginning.IndexOf("\n    at "u8) >= 0
        || beginning.IndexOf("\n   at "u8) >= 0
        || beginning.IndexOf("Traceback (most recent call last)"u8) >= 0
        || beginning.StartsWith("panic: "u8)
        || beginning.IndexOf("\npanic: "u8) >= 0
        || beginning.StartsWith("goroutine "u8)
        || beginning.StartsWith("fatal error: "u8)
        || beginning.IndexOf("Stack trace:\n"u8) >= 0
        || beginning.IndexOf("\n#0 "u8) >= 0
        || beginning.IndexOf("\n\tfrom "u8) >= 0
        || beginning.IndexOf("\nCaused by: "u8) >= 0
        || IsJavaScriptBeginning(record);

    /// <summary>Where a script ended: its place, its line, and a mark below it.</summary>
    private static bool IsJavaScriptBeginning(ReadOnlySpan<byte> record)
    {
        var last = Last(record).Trim((byte)' ');
        return !last.IsEmpty && last.IndexOfAnyExcept((byte)'^') < 0;
    }

    private static ReadOnlySpan<byte> Last(ReadOnlySpan<byte> record) => record[(record.LastIndexOf((byte)'\n') + 1)..];
}
