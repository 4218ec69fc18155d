using System.Text;
using System.Text.RegularExpressions;

namespace Kumiko.Core.Intake.Formats;

/// <summary>Tells which lines begin a record and which go on with the one before.</summary>
public sealed class RecordBounds
{
    private readonly RecordStart _start;
    private readonly Regex? _pattern;
    private readonly int? _timeWord;

    /// <param name="usual">What the format has where nothing was said.</param>
    internal RecordBounds(FormatSettings settings, RecordStart usual)
    {
        _start = settings.Start == RecordStart.ByFormat ? usual : settings.Start;
        _timeWord = settings.TimeWord;
        if (_start == RecordStart.Pattern)
            _pattern = new Regex(settings.StartPattern ?? "", RegexOptions.NonBacktracking | RegexOptions.CultureInvariant);
    }

    /// <summary>A sentence on a pattern that cannot be used; null where it can.</summary>
    public static string? Problem(FormatSettings settings)
    {
        if (settings.Start != RecordStart.Pattern)
            return null;
        if (string.IsNullOrEmpty(settings.StartPattern))
            return "Write how a line begins that begins a record, as a regular expression.";
        try
        {
            _ = new Regex(settings.StartPattern, RegexOptions.NonBacktracking | RegexOptions.CultureInvariant);
            return null;
        }
        catch (Exception e) when (e is ArgumentException or NotSupportedException)
        {
            return $"This pattern cannot be used: {e.Message}";
        }
    }

    public bool Joins => _start != RecordStart.EachLine;

    /// <inheritdoc cref="IRecordReader.Begins"/>
    public bool Begins(ReadOnlySpan<byte> line, int sinceBlank, ReadOnlySpan<byte> record) =>
        // Of a line that is nothing but colours nothing is left.
        !line.IsEmpty
        && _start switch
        {
            RecordStart.Time => HasTime(line, record),
            RecordStart.Indentation => !Traces.Continues(line, sinceBlank, record),
            RecordStart.BlankLine => sinceBlank > 0,
            RecordStart.Pattern => IsMatch(line),
            _ => true,
        };

    /// <summary>Whether a line has its time where lines of this text have it.</summary>
    private bool HasTime(ReadOnlySpan<byte> line, ReadOnlySpan<byte> record)
    {
        if (line[0] is (byte)' ' or (byte)'\t')
            return false;
        if (_timeWord is { } word)
            return TimePlace.OfWord(line, word) is >= 0 and var at && Times.TimeReader.IsTime(line[at..], out _);
        var place = TimePlace.Find(line, out var isWhole);
        if (place < 0)
            return false;
        if (place < 2)
            return true;
        var end = record.IndexOf((byte)'\n');
        var first = end < 0 ? record : record[..end];
        // Further in it may be what the line is about, unless the record began the same way.
        var before = TimePlace.Find(first, out _);
        return isWhole && (before < 0 || Words(first[..before]) == Words(line[..place]));
    }

    private static int Words(ReadOnlySpan<byte> text)
    {
        var count = 0;
        foreach (var c in text.TrimEnd("[(<\"' "u8))
            count += c == ' ' ? 1 : 0;
        return count;
    }

    private bool IsMatch(ReadOnlySpan<byte> line)
    {
        const int Looked = 2_000;
        foreach (var match in _pattern!.EnumerateMatches(Encoding.UTF8.GetString(line[..Math.Min(line.Length, Looked)])))
            return match.Index == 0;
        return false;
    }
}
