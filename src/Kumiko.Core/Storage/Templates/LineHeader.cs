namespace Kumiko.Core.Storage.Templates;

/// <summary>
/// What a logging library or a log daemon writes before a line: time, host, program, process, level, thread, logger.
/// It begins with a time, perhaps behind a priority, a bracket, a level or a process, and ends where the line itself begins.
/// </summary>
/// <param name="Split">Where the time ends; the rest of the header follows. 0 where there is no header.</param>
/// <param name="End">Where the line itself begins, which is never empty.</param>
internal readonly record struct LineHeader(int Split, int End)
{
    /// <summary>Shorter bodies have none: no room for a time and a word.</summary>
    private const int Shortest = 8;

    public static LineHeader Of(ReadOnlySpan<byte> body)
    {
        if (body.Length < Shortest || !MayBegin(body[0], body[1]))
            return default;
        var line = body.IndexOf((byte)'\n') is >= 0 and var end ? body[..end] : body;
        var reader = new HeaderReader(line);
        return reader.Read();
    }

    private static bool MayBegin(byte first, byte second) =>
        "0123456789[<(deiwtn".Contains((char)first)
        || (char.IsAsciiLetterUpper((char)first) && char.IsAsciiLetterOrDigit((char)second));
}
