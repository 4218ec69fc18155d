using Kumiko.Core.Records;
using Kumiko.Core.Storage.Templates;

namespace Kumiko.Core.Intake.Formats;

/// <summary>
/// Logs of databases: a time, a process or session, perhaps a user and a database, a level with a colon or in brackets, and a
/// text whose statement may take many lines. Logs of slow statements, whose records begin with <c># Time:</c>, too.
/// </summary>
public sealed class DatabaseFormat : LogFormat
{
    private const double Enough = 0.8;

    public override string Name => "database";

    public override string Title => "Log of a database";

    public override IReadOnlyList<string> Samples =>
        [
            """
                2026-11-23 17:51:04.204 CET [4711] ledger@seats ERROR:  deadlock detected
                2026-11-23 17:51:04.204 CET [4711] ledger@seats DETAIL:  Process 4711 waits for row 409.
                	Process 4712 waits for row 410.
                2026-11-23 17:51:04.204 CET [4711] ledger@seats STATEMENT:  UPDATE seat
                	SET held = true
                	WHERE id = 409
                """,
            """
                2026-11-23T16:51:04.204512Z 42 [Warning] [MY-010055] [Server] row 409 is locked
                2026-11-23T16:51:05.000000Z 0 [System] [MY-010931] [Server] ready for connections
                """,
            """
                # Time: 2026-11-23T16:51:04.204512Z
                # User@Host: ledger[ledger] @ ledger-2 [10.20.4.30]  Id: 42
                # Query_time: 3.204512  Lock_time: 0.000120 Rows_sent: 1  Rows_examined: 409000
                SELECT seat FROM ledger
                WHERE sailing = 'HO-1830';
                """,
        ];

    internal override double Fit(SampleText sample)
    {
        if (sample.Lines.Any(l => l.AsSpan().StartsWith("# Query_time:"u8)))
            return 1;
        var share = sample.Share(IsLine);
        // Statements go on in lines that are not indented.
        var timed = sample.Lines.Where(l => WrittenTime.TryScan(l, out var t) && t.Month > 0).ToList();
        return timed.Count == 0 ? 0 : Math.Max(share, (double)timed.Count(IsLine) / timed.Count * (share > 0.2 ? 1 : 0));
    }

    private static bool IsLine(byte[] line)
    {
        if (!WrittenTime.TryScan(line, out var time) || !time.HasClock || time.Month == 0)
            return false;
        var rest = line.AsSpan(time.Length);
        return ByColon(rest) || ByBrackets(rest);
    }

    /// <summary>A level in capitals with a colon and two blanks, all behind a bracket or a session.</summary>
    private static bool ByColon(ReadOnlySpan<byte> rest)
    {
        var colon = rest.IndexOf(":  "u8);
        if (colon < 2)
            return false;
        var start = rest[..colon].LastIndexOf((byte)' ') + 1;
        return start > 0
            && LevelNames.Find(rest[start..colon]) > 0
            && !rest[start..colon].ContainsAnyInRange((byte)'a', (byte)'z');
    }

    /// <summary>A session's number, then a level in brackets: <c>42 [Warning]</c>.</summary>
    private static bool ByBrackets(ReadOnlySpan<byte> rest)
    {
        rest = rest.TrimStart((byte)' ');
        var digits = 0;
        while (digits < rest.Length && rest[digits] is >= (byte)'0' and <= (byte)'9')
            digits++;
        if (digits == 0 || !rest[digits..].StartsWith(" ["u8))
            return rest.StartsWith("[Note]"u8) || rest.StartsWith("[Warning]"u8) || rest.StartsWith("[ERROR]"u8);
        var end = rest.IndexOf((byte)']');
        return end > 0 && rest[(digits + 2)..end] is var level && LevelNames.Find(level) > 0;
    }

    internal override IRecordReader Open(FormatSettings settings, string source) => new Reader(settings, source);

    private sealed class Reader(FormatSettings settings, string source)
        : PrefixReader(settings, source, new RecordBounds(settings, RecordStart.Time)),
            IRecordReader
    {
        private readonly bool _byFormat = settings.Start == RecordStart.ByFormat;

        bool IRecordReader.Begins(ReadOnlySpan<byte> line, int sinceBlank, ReadOnlySpan<byte> record) =>
            _byFormat && IsSlow(line)
                ? BeginsSlow(line, record)
                : Begins(line, sinceBlank, record) && !(_byFormat && IsHeadAlone(record));

        private static bool IsSlow(ReadOnlySpan<byte> line) => line.StartsWith("# "u8);

        /// <summary>Of a slow statement's head the first line begins it: its time, or its user where no time stands
        /// before.</summary>
        private static bool BeginsSlow(ReadOnlySpan<byte> line, ReadOnlySpan<byte> record) =>
            line.StartsWith("# Time:"u8)
            || (line.StartsWith("# User@Host:"u8) && !(record.StartsWith("# Time:"u8) && IsHeadAlone(record)));

        private static bool IsHeadAlone(ReadOnlySpan<byte> record) =>
            IsSlow(record) && record[(record.LastIndexOf((byte)'\n') + 1)..] is [(byte)'#', ..];

        protected override int Prefix(ReadOnlySpan<byte> line, out bool isWhole)
        {
            isWhole = true;
            if (IsSlow(line))
                return 0;
            if (!WrittenTime.TryScan(line, out var time) || !ByColon(line[time.Length..]))
                return base.Prefix(line, out isWhole);
            var length = Draft.TimeAt(line);
            var colon = length + line[length..].IndexOf(":  "u8);
            var start = line[..colon].LastIndexOf((byte)' ') + 1;
            isWhole = Session(line[length..start]);
            Draft.Level(line[start..colon]);
            return colon + 3;
        }

        /// <summary>Process, user and database as they stand between the time and the level.</summary>
        private bool Session(ReadOnlySpan<byte> text)
        {
            var isKnown = true;
            foreach (var range in text.SplitAny(" ,:"u8))
            {
                var word = text[range].Trim("[]()"u8);
                if (word.IsEmpty)
                    continue;
                if (
                    HeaderWords.IsNumber(word)
                    || (word.IndexOf((byte)'-') is > 0 and var dash && HeaderWords.IsNumber(word[..dash]))
                )
                    Draft.Typed(
                        Draft.Into.HasField("process.pid") ? "session.line" : "process.pid",
                        word.IndexOf((byte)'-') is > 0 and var cut ? word[..cut] : word
                    );
                else if (word.IndexOf((byte)'@') is >= 0 and var at)
                {
                    Draft.Field(HttpFields.User, word[..at]);
                    Draft.Field("db.namespace", word[(at + 1)..]);
                }
                else
                    isKnown = false;
            }
            return isKnown;
        }

        protected override void Rest(ReadOnlySpan<byte> body)
        {
            if (!IsSlow(body))
                return;
            var text = body;
            foreach (var range in text.Split((byte)'\n'))
            {
                var line = text[range].TrimEnd((byte)'\r');
                if (line.StartsWith("# Time:"u8))
                    Draft.TimeAt(line[7..].TrimStart((byte)' '));
                else if (line.StartsWith("# User@Host:"u8))
                    User(line[12..].Trim((byte)' '));
                else if (line.StartsWith("SET timestamp="u8) && !Draft.HasTime)
                    Draft.TimeAt(line[14..]);
                else if (line.StartsWith("# "u8))
                    Numbers(line[2..]);
            }
        }

        private void User(ReadOnlySpan<byte> text)
        {
            var end = text.IndexOfAny((byte)'[', (byte)' ');
            if (end > 0)
                Draft.Field(HttpFields.User, text[..end]);
            if (text.IndexOf(" @ "u8) is > 0 and var at)
            {
                var host = text[(at + 3)..].TrimStart((byte)' ');
                var address = host.IndexOf((byte)'[');
                if (address >= 0 && host[address..].IndexOf((byte)']') is > 1 and var close)
                    Draft.Field(HttpFields.Client, host.Slice(address + 1, close - 1));
            }
        }

        /// <summary><c>Query_time: 3.2  Rows_sent: 1</c>.</summary>
        private void Numbers(ReadOnlySpan<byte> text)
        {
            while (text.IndexOf(": "u8) is > 0 and var colon)
            {
                var name = text[..colon].TrimStart((byte)' ');
                var value = text[(colon + 2)..].TrimStart((byte)' ');
                var end = value.IndexOf((byte)' ');
                var number = end < 0 ? value : value[..end];
                if (name.SequenceEqual("Query_time"u8))
                    HttpFields.Took(number, Instants.Second, Draft);
                else if (!name.Contains((byte)' '))
                    Draft.Typed(Lower(name), number);
                if (end < 0)
                    return;
                text = value[end..];
            }
        }

        private static string Lower(ReadOnlySpan<byte> name) =>
            NamePool.Shared.One("db." + System.Text.Encoding.UTF8.GetString(name).ToLowerInvariant());
    }
}
