using System.Text.Unicode;
using Kumiko.Core.Intake.Formats;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Blocks;

namespace Kumiko.Core.Intake.Formats;

/// <summary>A line of any text to a record: all of it is the body, and it happened when it came.</summary>
/// <param name="source">The name of the place it comes from.</param>
/// <param name="service">What wrote it, where the sender says so.</param>
/// <param name="host">Where that runs, where the sender says so.</param>
public sealed class PlainLineParser(string source, string? service = null, string? host = null) : ILineParser
{
    private readonly Resource _resource = Describe(service, host);

    private static Resource Describe(string? service, string? host)
    {
        (string Name, string? Text)[] fields = [("service.name", service), ("host.name", host)];
        var given = fields.Where(f => !string.IsNullOrEmpty(f.Text)).ToArray();
        return given.Length == 0
            ? Resource.Unknown
            : new Resource(new Attributes([.. given.Select(f => f.Name)], [.. given.Select(f => Value.Of(f.Text))]));
    }

    /// <inheritdoc/>
    Refusal? ILineParser.Parse(ReadOnlySpan<byte> line, long now, RecordBlockBuilder into)
    {
        into.Begin();
        if (Utf8.IsValid(line))
            into.Text(TextPart.Body, line);
        else
        {
            into.Text(TextPart.Body, Lines.FromLatin1(line));
            into.Field(Lines.Inferred, Lines.Latin1);
        }
        into.End(now, now, 0, _resource, source);
        return null;
    }
}
