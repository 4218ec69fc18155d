using System.Globalization;
using System.IO.Compression;
using System.Text.Json;

namespace Kumiko.Demo.World;

/// <summary>
/// Spans of the world, in files that receivers will read: OTLP as JSON, a request on each line, gzip. A file for
/// each stretch of history, written anew if it is made again; one for each live hour, which grows.
/// </summary>
public sealed class SignalFiles(string folder)
{
    private readonly string _folder = Path.Combine(folder, "signals");

    /// <summary>Writes the file of a stretch of history.</summary>
    public void Write(DateTimeOffset from, IReadOnlyList<SimulatedSpan> spans) =>
        Save("spans", from, FileMode.Create, to => WriteSpans(to, spans));

    /// <summary>Adds what just happened to the file of its hour.</summary>
    public void Append(DateTimeOffset from, IReadOnlyList<SimulatedSpan> spans)
    {
        var hour = new DateTimeOffset(from.UtcTicks / TimeSpan.TicksPerHour * TimeSpan.TicksPerHour, TimeSpan.Zero);
        Save("live-spans", hour, FileMode.Append, to => WriteSpans(to, spans));
    }

    private void Save(string kind, DateTimeOffset of, FileMode mode, Action<Stream> write)
    {
        Directory.CreateDirectory(_folder);
        using var file = new FileStream(
            Path.Combine(_folder, $"{kind}-{of.UtcDateTime.ToString("yyyyMMdd'T'HHmm", CultureInfo.InvariantCulture)}.jsonl.gz"),
            mode
        );
        using var packed = new GZipStream(file, CompressionLevel.Fastest);
        write(packed);
    }

    private static void WriteSpans(Stream to, IReadOnlyList<SimulatedSpan> spans)
    {
        foreach (var of in spans.GroupBy(s => (s.Service, s.Host)))
            Request(to, "resourceSpans", "scopeSpans", "spans", of.Key, json =>
            {
                foreach (var span in of)
                {
                    json.WriteStartObject();
                    json.WriteString("traceId", span.TraceId);
                    json.WriteString("spanId", span.SpanId);
                    if (span.ParentId is not null)
                        json.WriteString("parentSpanId", span.ParentId);
                    json.WriteString("name", span.Name);
                    json.WriteNumber("kind", 2);
                    json.WriteString("startTimeUnixNano", Nanoseconds(span.Start));
                    json.WriteString("endTimeUnixNano", Nanoseconds(span.Start + span.Duration));
                    json.WriteStartObject("status");
                    if (span.Failed)
                        json.WriteNumber("code", 2);
                    json.WriteEndObject();
                    json.WriteEndObject();
                }
            });
    }

    /// <summary>One request: a resource, one scope, and what the scope has.</summary>
    private static void Request(
        Stream to,
        string resources,
        string scopes,
        string items,
        (string Service, string Host) of,
        Action<Utf8JsonWriter> write
    )
    {
        using (var json = new Utf8JsonWriter(to))
        {
            json.WriteStartObject();
            json.WriteStartArray(resources);
            json.WriteStartObject();
            json.WriteStartObject("resource");
            json.WriteStartArray("attributes");
            foreach (
                var (name, value) in new[]
                {
                    ("service.name", of.Service),
                    ("host.name", of.Host),
                    ("deployment.environment.name", SkerryLine.EnvironmentOf(of.Host)),
                }
            )
            {
                json.WriteStartObject();
                json.WriteString("key", name);
                json.WriteStartObject("value");
                json.WriteString("stringValue", value);
                json.WriteEndObject();
                json.WriteEndObject();
            }
            json.WriteEndArray();
            json.WriteEndObject();
            json.WriteStartArray(scopes);
            json.WriteStartObject();
            json.WriteStartArray(items);
            write(json);
            json.WriteEndArray();
            json.WriteEndObject();
            json.WriteEndArray();
            json.WriteEndObject();
            json.WriteEndArray();
            json.WriteEndObject();
        }
        to.WriteByte((byte)'\n');
    }

    private static string Nanoseconds(DateTimeOffset time) =>
        ((time - DateTimeOffset.UnixEpoch).Ticks * 100).ToString(CultureInfo.InvariantCulture);
}
