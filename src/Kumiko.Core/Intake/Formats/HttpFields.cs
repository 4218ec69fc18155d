using Kumiko.Core.Records;

namespace Kumiko.Core.Intake.Formats;

/// <summary>What logs of web servers say, by the names of OpenTelemetry's conventions.</summary>
internal static class HttpFields
{
    public const string Method = "http.request.method";
    public const string Path = "url.path";
    public const string Query = "url.query";
    public const string Protocol = "network.protocol.version";
    public const string Status = "http.response.status_code";
    public const string Bytes = "http.response.body.size";
    public const string Referer = "http.request.header.referer";
    public const string Agent = "user_agent.original";
    public const string Client = "client.address";
    public const string User = "user.name";
    public const string Server = "server.address";
    public const string ServerPort = "server.port";
    public const string Duration = "duration";

    /// <summary>Method, path, query and protocol of a request as it was written.</summary>
    /// <returns>False where it is no request, such as bytes of TLS.</returns>
    public static bool Request(ReadOnlySpan<byte> text, RecordDraft draft)
    {
        var first = text.IndexOf((byte)' ');
        if (first <= 0 || first > 20 || text[..first].ContainsAnyExceptInRange((byte)'A', (byte)'Z'))
            return false;
        var target = text[(first + 1)..];
        var last = target.LastIndexOf((byte)' ');
        var protocol = last >= 0 && target[(last + 1)..].StartsWith("HTTP/"u8) ? target[(last + 6)..] : default;
        if (!protocol.IsEmpty)
            target = target[..last];
        draft.Field(Method, text[..first]);
        Target(target, draft);
        if (!protocol.IsEmpty)
            draft.Field(Protocol, protocol);
        return true;
    }

    private static void Target(ReadOnlySpan<byte> target, RecordDraft draft)
    {
        var query = target.IndexOf((byte)'?');
        draft.Field(Path, query < 0 ? target : target[..query]);
        if (query >= 0)
            draft.Field(Query, target[(query + 1)..]);
    }

    /// <summary>How long something took.</summary>
    /// <param name="unit">Nanoseconds of one.</param>
    public static void Took(ReadOnlySpan<byte> number, long unit, RecordDraft draft)
    {
        if (System.Buffers.Text.Utf8Parser.TryParse(number, out double count, out var read) && read == number.Length)
            draft.Field(Duration, Value.Duration((long)Math.Round(count * unit)));
        else
            draft.Field(Duration, number);
    }
}
