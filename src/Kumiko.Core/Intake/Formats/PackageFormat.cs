using Kumiko.Core.Records;

namespace Kumiko.Core.Intake.Formats;

/// <summary>What package managers did: <c>date time what …</c> a line, or stanzas between blank lines.</summary>
public sealed class PackageFormat : LogFormat
{
    private static readonly string[] Actions =
    [
        "status",
        "install",
        "installed",
        "upgrade",
        "upgraded",
        "remove",
        "removed",
        "purge",
        "configure",
        "trigproc",
        "startup",
        "conffile",
        "downgrade",
        "downgraded",
        "reinstalled",
        "erase",
    ];

    public override string Name => "packages";

    public override string Title => "Log of a package manager";

    public override IReadOnlyList<string> Samples =>
        [
            """
                2026-11-23 17:51:04 upgrade tide-reader:amd64 2.30-1 2.31-1
                2026-11-23 17:51:05 status half-configured tide-reader:amd64 2.31-1
                """,
            """
                Start-Date: 2026-11-23  17:51:04
                Commandline: upgrade tide-reader
                Upgrade: tide-reader:amd64 (2.30-1, 2.31-1)
                End-Date: 2026-11-23  17:51:09

                Start-Date: 2026-11-24  06:12:40
                Remove: quay-probe:amd64 (1.4-2)
                End-Date: 2026-11-24  06:12:41
                """,
        ];

    internal override double Fit(SampleText sample) =>
        IsStanzas(sample) ? 1 : sample.Share(line => ActionAt(line, out _, out _), indented: true);

    private static bool IsStanzas(SampleText sample) =>
        sample.Lines.Count > 0 && sample.Lines[0].AsSpan().StartsWith("Start-Date: "u8);

    internal override FormatSettings Learn(SampleText sample, FormatSettings settings) =>
        IsStanzas(sample) ? settings with { Start = RecordStart.BlankLine } : settings;

    /// <summary>A time, perhaps a program in brackets, and what was done.</summary>
    private static bool ActionAt(ReadOnlySpan<byte> line, out int start, out int end)
    {
        (start, end) = (0, 0);
        var bracket = line is [(byte)'[', ..] ? 1 : 0;
        if (!WrittenTime.TryScan(line[bracket..], out var time) || time.Month == 0)
            return false;
        start = bracket + time.Length;
        while (start < line.Length && line[start] is (byte)' ' or (byte)']')
            start++;
        if (start < line.Length && line[start] == '[' && line[start..].IndexOf("] "u8) is > 0 and var close)
            start += close + 2;
        var length = line[start..].IndexOfAny((byte)' ', (byte)':');
        end = length < 0 ? line.Length : start + length;
        var word = System.Text.Encoding.Latin1.GetString(line[start..end]);
        return Actions.Contains(word, StringComparer.OrdinalIgnoreCase);
    }

    internal override IRecordReader Open(FormatSettings settings, string source) => new Reader(settings, source);

    private sealed class Reader(FormatSettings settings, string source)
        : PrefixReader(settings, source, new RecordBounds(settings, RecordStart.Time))
    {
        private bool _isStanza;

        protected override int Prefix(ReadOnlySpan<byte> line, out bool isWhole)
        {
            isWhole = true;
            _isStanza = line.StartsWith("Start-Date: "u8);
            if (_isStanza)
            {
                Draft.TimeAt(line["Start-Date: ".Length..]);
                return 0;
            }
            if (!ActionAt(line, out var start, out _))
                return base.Prefix(line, out isWhole);
            var bracket = line[0] == '[' ? 1 : 0;
            var length = Draft.TimeAt(line[bracket..]);
            var program = line[(bracket + length)..start].Trim("[] "u8);
            if (!program.IsEmpty)
                Draft.Service(program);
            return start;
        }

        protected override void Rest(ReadOnlySpan<byte> body)
        {
            if (_isStanza)
            {
                Stanza(body);
                return;
            }
            var words = body;
            var at = 0;
            foreach (var range in words.Split((byte)' '))
            {
                var word = words[range];
                if (at == 0)
                    Draft.Field("package.action", word.TrimEnd((byte)':'));
                // A state stands before the package; a package has an architecture or a version behind it.
                else if (at <= 2 && word.Contains((byte)':') && !Draft.Into.HasField("package.name"))
                    Draft.Field("package.name", word);
                if (at++ > 4)
                    break;
            }
        }

        private void Stanza(ReadOnlySpan<byte> body)
        {
            foreach (var range in body.Split((byte)'\n'))
            {
                var line = body[range].TrimEnd((byte)'\r');
                if (line.IndexOf(": "u8) is > 0 and < 40 and var colon && !line[..colon].Contains((byte)' '))
                    Draft.Field(
                        NamePool.Shared.One(
                            "package." + System.Text.Encoding.UTF8.GetString(line[..colon]).ToLowerInvariant().Replace('-', '_')
                        ),
                        line[(colon + 2)..]
                    );
            }
        }
    }
}
