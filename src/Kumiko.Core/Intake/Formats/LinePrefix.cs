using System.Buffers.Text;
using System.Net;
using System.Text;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Templates;

namespace Kumiko.Core.Intake.Formats;

/// <summary>
/// What stands in front of a line's own text: time, host, program, process, level, thread, logger, client. What it says becomes
/// parts and fields of the record; of a piece that cannot be told what it is, the line is kept as it came.
/// </summary>
internal static class LinePrefix
{
    private const int LongestAddress = 64;

    /// <summary>Reads a prefix into a draft.</summary>
    /// <param name="line">One line, without colours.</param>
    /// <param name="timeWord">Which word is the time, where that is known.</param>
    /// <param name="isWhole">Whether all that it said has become fields.</param>
    /// <returns>Where the line's own text begins; 0 where it has no prefix.</returns>
    public static int Read(ReadOnlySpan<byte> line, int? timeWord, RecordDraft draft, out bool isWhole)
    {
        isWhole = true;
        if (LetterAndDay(line, draft) is > 0 and var behind)
            return AfterLetter(line, behind, draft);
        var start = Priority(line, draft);
        var place = timeWord is { } word ? TimePlace.OfWord(line, word) : TimePlace.Find(line[start..], out _);
        if (place < 0)
            return WithoutTime(line, start, draft);
        if (timeWord is null)
            place += start;
        var length = draft.TimeAt(line[place..]);
        if (length == 0)
            return start;
        if (place > start && Ordinary(line[start..], place - start, draft, ref isWhole) is > 0 and var behindAll)
            return start + behindAll;
        // Of a time further in, only names, numbers and a level may stand in front of it.
        var opens = place > start && line[place - 1] is (byte)'[' or (byte)'(' or (byte)'<' or (byte)'"' ? place - 1 : place;
        var before = line[start..opens];
        var header = new HeaderReader(line[opens..]).Read(out var pieces);
        if (!before.Trim(" \t|-:,"u8).IsEmpty && !Before(before, draft))
            return start;
        if (header.End == 0)
            return AfterTime(line, place + length);
        for (var i = 0; i < pieces.Count; i++)
        {
            var piece = pieces[i];
            isWhole &= Take(piece.Part, line[(opens + piece.Start)..(opens + piece.End)], i == 0, draft);
        }
        return opens + header.End;
    }

    /// <summary>A header as libraries write it, whose time is not the first of it.</summary>
    /// <returns>Where it ends; 0 where it is none, or has its time elsewhere.</returns>
    private static int Ordinary(ReadOnlySpan<byte> line, int place, RecordDraft draft, ref bool isWhole)
    {
        var header = new HeaderReader(line).Read(out var pieces);
        if (header.End == 0 || header.Split <= place)
            return 0;
        for (var i = 0; i < pieces.Count; i++)
            isWhole &= Take(pieces[i].Part, line[pieces[i].Start..pieces[i].End], false, draft);
        return header.End;
    }

    /// <summary>A letter for the level and the day in front of the clock: <c>I1123 17:51:04.204512</c>.</summary>
    /// <returns>Where the clock ends; 0 where the line does not begin so.</returns>
    private static int LetterAndDay(ReadOnlySpan<byte> line, RecordDraft draft)
    {
        const int Clock = 6;
        if (
            line.Length < Clock + 8
            || !"IWEFD"u8.Contains(line[0])
            || line[Clock - 1] != ' '
            || !HeaderWords.IsNumber(line[1..(Clock - 1)])
            || !WrittenTime.TryScan(line[Clock..], out var clock)
            || clock.Month != 0
        )
            return 0;
        var day = (Month: ((line[1] - '0') * 10) + line[2] - '0', Day: ((line[3] - '0') * 10) + line[4] - '0');
        if (day.Month is 0 or > 12 || day.Day is 0 or > 31 || !draft.Place(clock with { Month = day.Month, Day = day.Day }))
            return 0;
        draft.Level(line[..1]);
        return Clock + clock.Length;
    }

    /// <summary>Behind it stand a process and a place in the code, up to a bracket.</summary>
    private static int AfterLetter(ReadOnlySpan<byte> line, int at, RecordDraft draft)
    {
        var close = line[at..].IndexOf("] "u8);
        if (close < 0)
            return AfterTime(line, at);
        foreach (var range in line.Slice(at, close).Split((byte)' '))
        {
            var word = line.Slice(at, close)[range];
            if (HeaderWords.IsNumber(word))
                Number(word, draft);
            else if (!word.IsEmpty)
                Once("code.location", "logger", word, draft);
        }
        return at + close + 2;
    }

    /// <summary>The text behind a time that has nothing else of a header behind it.</summary>
    private static int AfterTime(ReadOnlySpan<byte> line, int end)
    {
        var at = end;
        if (at < line.Length && line[at] is (byte)']' or (byte)')' or (byte)'>' or (byte)'"')
            at++;
        while (at < line.Length && line[at] is (byte)' ' or (byte)'\t' or (byte)':' or (byte)',' or (byte)'|')
            at++;
        return at < line.Length ? at : 0;
    }

    /// <summary>A line without a time may begin with its level.</summary>
    private static int WithoutTime(ReadOnlySpan<byte> line, int start, RecordDraft draft)
    {
        var text = line[start..];
        var bracket = text is [(byte)'[', ..];
        var word = bracket ? text[1..] : text;
        var length = 0;
        while (length < word.Length && char.IsAsciiLetter((char)word[length]))
            length++;
        // What a Go program says before it ends is no level, but the beginning of its trace.
        if (length < 3 || length >= word.Length || !HeaderWords.IsLevel(word[..length]) || word.StartsWith("panic:"u8))
            return start;
        var behind = word[length];
        var end = length;
        if (bracket && behind == ']')
            end += 2;
        else if (!bracket && behind == ':')
            end += 1;
        else if (!bracket && behind == ' ' && !word[..length].ContainsAnyInRange((byte)'a', (byte)'z'))
            end += 0;
        else
            return start;
        while (end < text.Length && text[end] is (byte)' ' or (byte)':' or (byte)'-')
            end++;
        if (end >= text.Length)
            return start;
        draft.Level(word[..length]);
        return start + end;
    }

    /// <summary>A priority of syslog or the kernel: <c>&lt;30&gt;</c>.</summary>
    private static int Priority(ReadOnlySpan<byte> line, RecordDraft draft)
    {
        if (
            line.Length < 4
            || line[0] != '<'
            || !Utf8Parser.TryParse(line[1..], out int number, out var digits)
            || digits > 3
            || number is < 0 or > 191
            || line.Length <= digits + 1
            || line[digits + 1] != '>'
        )
            return 0;
        var (level, severity) = Syslog.SyslogNames.Severities[number % 8];
        draft.Field("syslog.facility", Encoding.ASCII.GetBytes(Syslog.SyslogNames.Facilities[number / 8]));
        draft.Level(Encoding.ASCII.GetBytes(level));
        draft.Severity(severity);
        return digits + 2;
    }

    /// <summary>Words in front of the time.</summary>
    /// <returns>Whether each is known; else nothing of them is taken away.</returns>
    private static bool Before(ReadOnlySpan<byte> text, RecordDraft draft)
    {
        const int Most = 4;
        var count = 0;
        foreach (var range in text.SplitAny(" \t|,"u8))
            if (count++ > Most || Kind(Bare(text[range]), count - 1) == BeforeKind.Unknown)
                return false;
        count = 0;
        foreach (var range in text.SplitAny(" \t|,"u8))
        {
            var word = Bare(text[range]);
            switch (Kind(word, count++))
            {
                case BeforeKind.Level:
                    draft.Level(word);
                    break;
                case BeforeKind.Client:
                    draft.Field("client.address", word);
                    break;
                case BeforeKind.Name:
                    draft.Service(word.TrimEnd((byte)':'));
                    break;
                case BeforeKind.Number:
                    draft.Typed("process.pid", word);
                    break;
            }
        }
        return true;
    }

    private enum BeforeKind
    {
        Unknown,
        Nothing,
        Level,
        Client,
        Name,
        Number,
    }

    private static BeforeKind Kind(ReadOnlySpan<byte> word, int at)
    {
        if (word.IsEmpty || word.SequenceEqual("-"u8) || word.SequenceEqual("--"u8))
            return BeforeKind.Nothing;
        if (HeaderWords.IsLevel(word))
            return BeforeKind.Level;
        if (IsAddress(word))
            return BeforeKind.Client;
        if (HeaderWords.IsNumber(word) && word.Length < 8)
            return BeforeKind.Number;
        return
            at == 0
            && HeaderWords.IsHost(word.TrimEnd((byte)':'))
            && HeaderWords.IsLetter(word[0])
            && !HeaderWords.IsCapitalised(word)
            ? BeforeKind.Name
            : BeforeKind.Unknown;
    }

    private static ReadOnlySpan<byte> Bare(ReadOnlySpan<byte> word) => word.Trim("[]()\"'"u8);

    private static bool IsAddress(ReadOnlySpan<byte> text)
    {
        if (text.Length is < 3 or > LongestAddress || text.IndexOfAny((byte)'.', (byte)':') < 0)
            return false;
        Span<char> chars = stackalloc char[text.Length];
        return Ascii.ToUtf16(text, chars, out _) == System.Buffers.OperationStatus.Done
            && IPAddress.TryParse(chars, out _)
            && (text.Contains((byte)':') || text.Count((byte)'.') == 3);
    }

    /// <summary>Gives a piece of a header to the record.</summary>
    /// <returns>False where it is not known what it says.</returns>
    private static bool Take(HeaderPart part, ReadOnlySpan<byte> text, bool isFirst, RecordDraft draft)
    {
        switch (part)
        {
            case HeaderPart.Level:
                draft.Level(text);
                return true;
            case HeaderPart.Tag:
                Tag(text, draft);
                return true;
            case HeaderPart.Serial:
                var cut = text.IndexOfAny("#/:"u8);
                draft.Typed("process.pid", text[..cut]);
                draft.Typed("thread.id", text[(cut + 1)..].TrimStart("0"u8));
                return true;
            case HeaderPart.Logger:
                draft.Field("logger", text);
                return true;
            case HeaderPart.Bracket:
                return Inside(text[1..^1].Trim((byte)' '), draft);
            case HeaderPart.Piped:
                return Inside(text.Trim((byte)' '), draft);
            default:
                return Open(text, isFirst, draft);
        }
    }

    /// <summary><c>gate-t1 sshd[4711]:</c> or <c>sshd[4711]:</c>.</summary>
    public static void Tag(ReadOnlySpan<byte> text, RecordDraft draft)
    {
        var blank = text.IndexOf((byte)' ');
        if (blank > 0 && HeaderWords.IsLevel(text[..blank]))
        {
            draft.Level(text[..blank]);
            draft.Field("logger", text[(blank + 1)..].Trim(" :"u8));
            return;
        }
        if (blank > 0)
        {
            draft.Host(text[..blank]);
            text = text[(blank + 1)..].TrimStart((byte)' ');
        }
        Program(text, draft);
    }

    /// <summary><c>sshd[4711]:</c>, each part of which but the name may be missing.</summary>
    public static void Program(ReadOnlySpan<byte> text, RecordDraft draft)
    {
        text = text is [.., (byte)':'] ? text[..^1] : text;
        var open = text is [.., (byte)']'] ? text.LastIndexOf((byte)'[') : -1;
        draft.Service(open > 0 ? text[..open] : text);
        if (open > 0)
            draft.Typed("process.pid", text[(open + 1)..^1]);
    }

    private static bool Inside(ReadOnlySpan<byte> text, RecordDraft draft)
    {
        if (text.IsEmpty || text.SequenceEqual("-"u8))
            return true;
        if (HeaderWords.IsLevel(text))
        {
            draft.Level(text);
            return true;
        }
        if (HeaderWords.IsNumber(text))
            return Number(text, draft);
        if (text.StartsWith("pid "u8) || text.StartsWith("tid "u8))
            return Process(text, draft);
        if (text.StartsWith("client "u8))
            return Client(text[7..], draft);
        if (IsAddress(text))
            return Client(text, draft);
        if (text.IndexOf((byte)':') is > 0 and var colon && HeaderWords.IsLevel(text[(colon + 1)..]))
        {
            draft.Field("logger", text[..colon]);
            draft.Level(text[(colon + 1)..]);
            return true;
        }
        if (text.Contains((byte)' ') || text.Contains((byte)'='))
            return false;
        var isLogger = HeaderWords.IsComposed(text) && text.ContainsAny(".$"u8) && !HeaderWords.HasDigit(text[..1]);
        return Once(isLogger ? "logger" : "thread.name", isLogger ? "thread.name" : "logger", text, draft);
    }

    /// <summary>A field, or the other where there is one of its name.</summary>
    private static bool Once(string name, string other, ReadOnlySpan<byte> text, RecordDraft draft)
    {
        if (draft.Into.HasField(name))
            name = other;
        if (draft.Into.HasField(name))
            return false;
        draft.Field(name, text);
        return true;
    }

    private static bool Number(ReadOnlySpan<byte> text, RecordDraft draft)
    {
        if (text.Length > 18)
            return false;
        var name = draft.Into.HasField("process.pid") ? "thread.id" : "process.pid";
        if (draft.Into.HasField(name))
            return false;
        draft.Typed(name, text);
        return true;
    }

    /// <summary><c>pid 4711:tid 139</c>.</summary>
    private static bool Process(ReadOnlySpan<byte> text, RecordDraft draft)
    {
        var colon = text.IndexOf((byte)':');
        var first = colon < 0 ? text : text[..colon];
        draft.Typed(first.StartsWith("tid"u8) ? "thread.id" : "process.pid", first[4..]);
        if (colon > 0 && text[(colon + 1)..].StartsWith("tid "u8))
            draft.Typed("thread.id", text[(colon + 5)..]);
        return true;
    }

    /// <summary>An address, perhaps with its port.</summary>
    public static bool Client(ReadOnlySpan<byte> text, RecordDraft draft)
    {
        var colon = text.LastIndexOf((byte)':');
        var hasPort =
            colon > 0
            && HeaderWords.IsNumber(text[(colon + 1)..])
            && (text[..colon].IndexOf((byte)':') < 0 || text[colon - 1] == ']');
        draft.Field("client.address", (hasPort ? text[..colon] : text).Trim("[]"u8));
        if (hasPort)
            draft.Typed("client.port", text[(colon + 1)..]);
        return true;
    }

    private static bool Open(ReadOnlySpan<byte> text, bool isFirst, RecordDraft draft)
    {
        text = text.TrimEnd(",:;"u8);
        if (text.IsEmpty || text.SequenceEqual("-"u8))
            return true;
        if (HeaderWords.IsNumber(text))
            return Number(text, draft);
        if (IsAddress(text))
            return !draft.Into.HasField("client.address") && Client(text, draft);
        if (HeaderWords.Program(text) is true)
        {
            Program(text, draft);
            return true;
        }
        if (isFirst && HeaderWords.IsHost(text) && HeaderWords.HasDigit(text))
        {
            draft.Host(text);
            return true;
        }
        return HeaderWords.IsComposed(text) && HeaderWords.IsLogger(text) && Once("logger", "thread.name", text, draft);
    }
}
