using Kumiko.Core.Intake.Times;
using Kumiko.Core.Records;

namespace Kumiko.Core.Intake.Formats;

/// <summary>Finds where a line has its time: at its beginning, inside a bracket, behind a level, a host or a name.</summary>
internal static class TimePlace
{
    /// <summary>Further in, a time is what the line is about.</summary>
    private const int Furthest = 160;

    /// <summary>Where the time begins; -1 where there is none.</summary>
    /// <param name="isWhole">Whether it has a day and a clock, or counts since 1970.</param>
    public static int Find(ReadOnlySpan<byte> line, out bool isWhole)
    {
        var (second, end) = (-1, Math.Min(line.Length, Furthest));
        isWhole = true;
        for (var at = 0; at < end; at++)
        {
            if (at > 0 && !IsBoundary(line[at - 1]))
                continue;
            if (!MayBegin(line[at]))
                continue;
            switch (Kind(line, at))
            {
                case Found.Whole:
                    return at;
                case Found.Part when second < 0 && (at == 0 || (at == 1 && line[0] is (byte)'[' or (byte)'(' or (byte)'<')):
                    second = at;
                    break;
            }
        }
        isWhole = false;
        return second;
    }

    private enum Found
    {
        None,

        /// <summary>A day alone, or a clock.</summary>
        Part,
        Whole,
    }

    private static Found Kind(ReadOnlySpan<byte> line, int at)
    {
        var text = line[at..];
        if (WrittenTime.TryScan(text, out var written))
        {
            if (written.Length < text.Length && char.IsAsciiLetterOrDigit((char)text[written.Length]))
                return Found.None;
            return written is { HasClock: true, Month: > 0 } ? Found.Whole : Found.Part;
        }
        // A number counts since 1970 where a line, a bracket or a value begins; elsewhere it is a number.
        var mayCount = at == 0 || line[at - 1] is not ((byte)' ' or (byte)',' or (byte)';' or (byte)':' or (byte)'\t');
        return mayCount && TimeReader.IsTime(text, out _) ? Found.Whole : Found.None;
    }

    private static bool MayBegin(byte c) => c is >= (byte)'0' and <= (byte)'9' or (byte)'@' || char.IsAsciiLetter((char)c);

    private static bool IsBoundary(byte c) =>
        c
            is (byte)' '
                or (byte)'['
                or (byte)'('
                or (byte)'<'
                or (byte)'>'
                or (byte)'"'
                or (byte)'\''
                or (byte)'|'
                or (byte)','
                or (byte)';'
                or (byte)'='
                or (byte)':'
                or (byte)'\t'
                or (byte)'{';

    /// <summary>Where a word begins, counted from 0; -1 where there are not so many.</summary>
    public static int OfWord(ReadOnlySpan<byte> line, int word)
    {
        var at = 0;
        while (true)
        {
            while (at < line.Length && line[at] is (byte)' ' or (byte)'\t')
                at++;
            if (at >= line.Length)
                return -1;
            if (word-- == 0)
                return at;
            while (at < line.Length && line[at] is not ((byte)' ' or (byte)'\t'))
                at++;
        }
    }
}
