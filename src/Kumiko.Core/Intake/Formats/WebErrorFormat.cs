using Kumiko.Core.Records;
using Kumiko.Core.Storage.Templates;

namespace Kumiko.Core.Intake.Formats;

/// <summary>Error logs of web servers: a time, a level, process and client in brackets or in front, and the request at the
/// end.</summary>
public sealed class WebErrorFormat : LogFormat
{
    public override string Name => "web-error";

    public override string Title => "Error log of a web server";

    public override IReadOnlyList<string> Samples =>
        [
            "[Mon Nov 23 17:51:04.204512 2026] [core:error] [pid 4711:tid 139] [client 10.20.4.17:51000] no such file: /srv/book",
            "2026/11/23 17:51:04 [error] 4711#4711: *42 no answer from upstream, client: 10.20.4.17, server: booking, "
                + "request: \"GET /v2/fares HTTP/1.1\", host: \"skerry.example\"",
        ];

    internal override double Fit(SampleText sample) => sample.Share(line => IsBracketed(line) || IsNumbered(line));

    private static bool IsBracketed(ReadOnlySpan<byte> line)
    {
        if (line is not [(byte)'[', ..] || !WrittenTime.TryScan(line[1..], out var time) || !time.HasClock)
            return false;
        var rest = line[(1 + time.Length)..];
        if (!rest.StartsWith("] ["u8) || rest.IndexOf("] "u8) < 0)
            return false;
        var end = rest[3..].IndexOf((byte)']');
        if (end < 0)
            return false;
        var inside = rest.Slice(3, end);
        return HeaderWords.IsLevel(inside) || (inside.IndexOf((byte)':') is >= 0 and var colon && IsLevel(inside[(colon + 1)..]));
    }

    private static bool IsNumbered(ReadOnlySpan<byte> line)
    {
        if (!WrittenTime.TryScan(line, out var time) || !time.HasClock || line.Length < time.Length + 4)
            return false;
        var rest = line[time.Length..];
        if (!rest.StartsWith(" ["u8) || rest.IndexOf("] "u8) is not (> 0 and var close) || !IsLevel(rest[2..close]))
            return false;
        var process = rest[(close + 2)..];
        return process.IndexOf((byte)'#') is > 0 and < 12 and var hash && HeaderWords.IsNumber(process[..hash]);
    }

    private static bool IsLevel(ReadOnlySpan<byte> text) => LevelNames.Find(text) > 0 || text.StartsWith("trace"u8);

    internal override IRecordReader Open(FormatSettings settings, string source) => new Reader(settings, source);

    private sealed class Reader(FormatSettings settings, string source)
        : PrefixReader(settings, source, new RecordBounds(settings, RecordStart.Time))
    {
        private static readonly (byte[] Key, string Field)[] Behind =
        [
            ([.. ", client: "u8], HttpFields.Client),
            ([.. ", server: "u8], HttpFields.Server),
            ([.. ", request: "u8], "http.request.line"),
            ([.. ", upstream: "u8], "http.upstream"),
            ([.. ", host: "u8], "url.domain"),
            ([.. ", referrer: "u8], HttpFields.Referer),
            ([.. ", referer: "u8], HttpFields.Referer),
        ];

        protected override void Rest(ReadOnlySpan<byte> body)
        {
            // The connection's number stands before the text.
            if (body is [(byte)'*', ..] && body.IndexOf((byte)' ') is > 1 and var end && HeaderWords.IsNumber(body[1..end]))
                Draft.Typed("connection.id", body[1..end]);
            foreach (var (key, field) in Behind)
            {
                if (body.LastIndexOf(key) is >= 0 and var at)
                    Take(field, Value(body[(at + key.Length)..]));
            }
        }

        private void Take(string field, ReadOnlySpan<byte> value)
        {
            if (field == HttpFields.Client)
                LinePrefix.Client(value, Draft);
            else if (field != "http.request.line" || !HttpFields.Request(value, Draft))
                Draft.Field(field, value);
        }

        private static ReadOnlySpan<byte> Value(ReadOnlySpan<byte> text)
        {
            if (text is [(byte)'"', ..])
                return text[1..].IndexOf((byte)'"') is >= 0 and var close ? text.Slice(1, close) : text[1..];
            var end = text.IndexOfAny((byte)',', (byte)'\n');
            return end < 0 ? text : text[..end];
        }
    }
}
