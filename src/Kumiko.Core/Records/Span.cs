namespace Kumiko.Core.Records;

/// <summary>OpenTelemetry's span kinds, with its numbers.</summary>
public enum SpanKind : byte
{
    Unspecified,
    Internal,
    Server,
    Client,
    Producer,
    Consumer,
}

/// <summary>OpenTelemetry's status codes, with its numbers.</summary>
public enum SpanStatus : byte
{
    Unset,
    Ok,
    Error,
}

/// <summary>One timed operation of a trace. Times are UTC nanoseconds, ids lower-case hex of 16 and 8 bytes.</summary>
public sealed class Span
{
    public required string TraceId { get; init; }
    public required string SpanId { get; init; }

    /// <summary>Null for the first of a trace.</summary>
    public string? ParentId { get; init; }

    public required string Name { get; init; }
    public SpanKind Kind { get; init; }
    public required long Start { get; init; }

    /// <summary>Not before <see cref="Start"/>, unless the sender's clock went back.</summary>
    public required long End { get; init; }

    public Resource Resource { get; init; } = Resource.Unknown;
    public InstrumentationScope Scope { get; init; } = InstrumentationScope.None;
    public Attributes Attributes { get; init; } = Attributes.Empty;
    public SpanStatus Status { get; init; }
    public string StatusMessage { get; init; } = "";
    public string TraceState { get; init; } = "";

    /// <summary>Trace flags, and whether the parent is remote: bits as the protocol has them.</summary>
    public uint Flags { get; init; }

    public IReadOnlyList<SpanEvent> Events { get; init; } = [];
    public IReadOnlyList<SpanLink> Links { get; init; } = [];
}

/// <summary>Something that happened within a span, such as an exception.</summary>
public sealed record SpanEvent(long Time, string Name, Attributes Attributes);

/// <summary>Another span that this one has to do with.</summary>
public sealed record SpanLink(string TraceId, string SpanId, string TraceState, Attributes Attributes, uint Flags);
