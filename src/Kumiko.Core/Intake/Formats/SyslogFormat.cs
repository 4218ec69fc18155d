using System.Net;
using Kumiko.Core.Intake.Syslog;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Blocks;
using Kumiko.Core.Storage.Templates;

namespace Kumiko.Core.Intake.Formats;

/// <summary>Files that syslog daemons write: RFC 3164 and RFC 5424, also without priorities and with times of RFC 3339.</summary>
public sealed class SyslogFormat : LogFormat
{
    public override string Name => "syslog";

    public override string Title => "Syslog file";

    public override IReadOnlyList<string> Samples =>
        [
            """
                Nov 23 17:51:04 quay-2 radiod[4711]: link to Orra lost
                Nov 23 17:51:09 quay-2 kernel: eth0: link is down
                """,
            """
                2026-11-23T17:51:04.204512+01:00 quay-2 radiod[4711]: link to Orra lost
                2026-11-23T17:51:05.000001+01:00 quay-2 radiod[4711]: link is back
                """,
            """<165>1 2026-11-23T17:51:04.204Z quay-2 radiod 4711 LINK [radio@32473 channel="7"] link to Orra lost""",
        ];

    internal override double Fit(SampleText sample) => sample.Share(line => IsVersioned(line) || Tagged(line) > 0);

    internal override IRecordReader Open(FormatSettings settings, string source) => new Reader(settings, source);

    /// <summary>Whether a line is of RFC 5424: a priority and a version.</summary>
    private static bool IsVersioned(ReadOnlySpan<byte> line) =>
        line is [(byte)'<', ..] && line.IndexOf((byte)'>') is > 1 and < 5 and var end && line[(end + 1)..].StartsWith("1 "u8);

    /// <summary>Where the text begins behind a time, a host and a tag; 0 where a line has not all three.</summary>
    private static int Tagged(ReadOnlySpan<byte> line)
    {
        var at = Behind(line);
        if (at == 0)
            return 0;
        var host = Word(line[at..]);
        if (!IsHost(host))
            return 0;
        var behind = line[(at + host.Length)..];
        var tag = Math.Max(TagAt(behind), ProcessAt(behind));
        return tag > 0 ? at + host.Length + tag : 0;
    }

    /// <summary>Where the host begins: behind a priority and a time that begin the line.</summary>
    private static int Behind(ReadOnlySpan<byte> line)
    {
        var start = line is [(byte)'<', ..] && line.IndexOf((byte)'>') is > 1 and < 5 and var end ? end + 1 : 0;
        if (!WrittenTime.TryScan(line[start..], out var time) || !time.HasClock || time.Month == 0)
            return 0;
        var at = start + time.Length;
        return at + 1 < line.Length && line[at] == ' ' ? at + 1 + Blanks(line[(at + 1)..]) : 0;
    }

    private static bool IsHost(ReadOnlySpan<byte> word) =>
        !word.IsEmpty && HeaderWords.IsHost(word) && !HeaderWords.IsLevel(word);

    private static int Blanks(ReadOnlySpan<byte> text)
    {
        var other = text.IndexOfAnyExcept((byte)' ');
        return other < 0 ? text.Length : other;
    }

    private static ReadOnlySpan<byte> Word(ReadOnlySpan<byte> text)
    {
        var end = text.IndexOf((byte)' ');
        return end < 0 ? text : text[..end];
    }

    /// <summary>The length of blanks and a tag with its colon; 0 where none follows.</summary>
    private static int TagAt(ReadOnlySpan<byte> text)
    {
        const int Longest = 128;
        var blanks = Blanks(text);
        if (blanks is 0 or > 2)
            return 0;
        var word = Word(text[blanks..]);
        // What begins with a bracket is a process, and the word before it the program.
        if (word.Length is < 2 or > Longest || word[0] == '[')
            return 0;
        if (word[^1] == ':')
            return blanks + word.Length;
        return word.LastIndexOf("]:"u8) is > 0 and var bracket ? blanks + bracket + 2 : 0;
    }

    /// <summary>The length of a blank, a process in brackets and a colon: <c> [4711]:</c>; 0 where none follows.</summary>
    private static int ProcessAt(ReadOnlySpan<byte> text)
    {
        var end = text.StartsWith(" ["u8) ? text.IndexOf("]:"u8) : -1;
        return end is > 2 and < 16 && HeaderWords.IsNumber(text[2..end]) ? end + 2 : 0;
    }

    private sealed class Reader(FormatSettings settings, string source)
        : PrefixReader(settings, source, new RecordBounds(settings, RecordStart.Time)),
            IRecordReader
    {
        private readonly string _source = source;
        private readonly SyslogParser _versioned = new();

        Refusal? ILineParser.Parse(ReadOnlySpan<byte> record, long now, RecordBlockBuilder into)
        {
            if (!IsVersioned(record))
                return Parse(record, now, into);
            _versioned.Parse(record, _source, now, null, into);
            return null;
        }

        bool IRecordReader.Begins(ReadOnlySpan<byte> line, int sinceBlank, ReadOnlySpan<byte> record) =>
            IsVersioned(line) || Begins(line, sinceBlank, record);

        protected override int Prefix(ReadOnlySpan<byte> line, out bool isWhole)
        {
            var at = Behind(line);
            if (at == 0)
                return base.Prefix(line, out isWhole);
            isWhole = true;
            var start = Priority(line);
            if (Draft.TimeAt(line[start..]) == 0)
                return start;
            var host = Word(line[at..]);
            // A word that is a tag already says that there is no host.
            if (ProcessAt(line[(at + host.Length)..]) is > 0 and var process)
            {
                Draft.Service(host);
                Draft.Typed("process.pid", line.Slice(at + host.Length + 2, process - 4));
                return Math.Min(line.Length, at + host.Length + process + 1);
            }
            var isTag = host is [.., (byte)':'] && !IPAddress.TryParse(System.Text.Encoding.Latin1.GetString(host), out _);
            if (!isTag && IsHost(host) && at + host.Length < line.Length)
            {
                Draft.Host(host);
                at += host.Length;
            }
            else if (isTag)
                at--;
            var tag = TagAt(line[at..]);
            if (tag > 0)
            {
                LinePrefix.Program(line[(at + Blanks(line[at..]))..(at + tag)], Draft);
                at += tag;
            }
            return Math.Min(line.Length, at + Math.Min(1, Blanks(line[at..])));
        }

        private int Priority(ReadOnlySpan<byte> line)
        {
            if (line[0] != '<' || line.IndexOf((byte)'>') is not (> 1 and var end))
                return 0;
            if (!System.Buffers.Text.Utf8Parser.TryParse(line[1..end], out int number, out _) || number is < 0 or > 191)
                return end + 1;
            var (level, severity) = SyslogNames.Severities[number % 8];
            Draft.Field("syslog.facility", SyslogNames.FacilityValues[number / 8]);
            Draft.Level(System.Text.Encoding.ASCII.GetBytes(level));
            Draft.Severity(severity);
            return end + 1;
        }
    }
}
