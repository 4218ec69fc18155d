namespace Kumiko.Core.Records;

/// <summary>One log record as OpenTelemetry's log data model has it. Times are UTC nanoseconds since 1970.</summary>
public sealed class LogRecord
{
    /// <summary>When it happened; the observed time where the sender gave none.</summary>
    public required long Time { get; init; }

    /// <summary>When Kumiko took it in.</summary>
    public required long Observed { get; init; }

    /// <summary>OpenTelemetry severity number, 1 to 24; 0 when unspecified.</summary>
    public int SeverityNumber { get; init; }

    /// <summary>The level as the sender spelled it.</summary>
    public string? SeverityText { get; init; }

    public string Body { get; init; } = "";
    public Attributes Attributes { get; init; } = Attributes.Empty;
    public Resource Resource { get; init; } = Resource.Unknown;
    public string? TraceId { get; init; }
    public string? SpanId { get; init; }

    /// <summary>The place it came from: the name of the token or of the import.</summary>
    public string Source { get; init; } = "";

    /// <summary>Given once at commit; with <see cref="Time"/> it is the record's id and the order of equal times.</summary>
    public long Sequence { get; set; }

    /// <summary>The template that its body was found to have, which may have been merged into another since; 0 for none, null
    /// while nobody looked.</summary>
    public long? TemplateId { get; set; }

    public RecordId Id => new(Time, Sequence);
}
