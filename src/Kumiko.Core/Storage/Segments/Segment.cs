using Kumiko.Core.Records;

namespace Kumiko.Core.Storage.Segments;

/// <summary>The parts of a segment, as they are numbered in <c>segment_column</c>. Fields have the numbers from
/// <see cref="FirstField"/> on.</summary>
public enum SegmentColumn
{
    /// <summary>Several small columns in one blob.</summary>
    Bundle = 0,
    Time = 1,
    Observed = 2,
    Sequence = 3,
    Severity = 4,
    SeverityText = 5,
    Source = 6,
    Resource = 7,
    TraceId = 8,
    SpanId = 9,

    /// <summary>The templates of the segment with their text.</summary>
    Templates = 10,

    /// <summary>The variables of the bodies, by template and gap.</summary>
    Variables = 11,

    /// <summary>Bodies that are too long to be cut.</summary>
    LongBodies = 12,

    /// <summary>Names, fields, which fields a row can have in which order, and which of these each row has.</summary>
    Shapes = 13,

    /// <summary>Fields that few rows have, together.</summary>
    Rest = 14,
    Filter = 15,
    Counts = 16,

    /// <summary>Which template each row has.</summary>
    TemplateOfRow = 17,

    /// <summary>Which resource each row has.</summary>
    ResourceOfRow = 18,
    FirstField = 32,
}

/// <summary>What the catalogue says of a segment: enough to leave it out of most questions.</summary>
public sealed record Segment
{
    /// <summary>A column's key is the segment's id shifted by this, plus the column's number.</summary>
    public const int ColumnBits = 12;

    public required long Id { get; init; }

    /// <summary>What its rows are.</summary>
    public Signal Signal { get; init; }

    /// <summary>The place all its records came from; null where quiet ones share it.</summary>
    public string? Source { get; init; }

    /// <summary>The import all its records came in by; null where they came in otherwise.</summary>
    public long? Import { get; init; }
    public required long MinTime { get; init; }
    public required long MaxTime { get; init; }

    /// <summary>The latest observed time: an import of old files is young.</summary>
    public required long MaxObserved { get; init; }
    public required long MinSequence { get; init; }
    public required long MaxSequence { get; init; }
    public required int Rows { get; init; }

    /// <summary>Bit n is set where there is a record of severity band n.</summary>
    public required int SeverityMask { get; init; }

    /// <summary>Bytes of the records before they were packed, about.</summary>
    public required long RawBytes { get; init; }

    /// <summary>Bytes of its blobs.</summary>
    public required long Bytes { get; init; }

    /// <summary>How often its records were rewritten, 0 to 3.</summary>
    public required int Merges { get; init; }

    /// <summary>The day all its records are of, counted from 1970 in UTC.</summary>
    public long Day => DayOf(MinTime);

    /// <summary>When retention counts it as last written.</summary>
    public long Age => Math.Max(MaxTime, MaxObserved);

    public static long DayOf(long time) => Math.DivRem(time, Instants.Day, out var rest) - (rest < 0 ? 1 : 0);

    public static long KeyOf(long segment, SegmentColumn column) => (segment << ColumnBits) | (long)column;
}

/// <summary>A damaged segment: where, why, and what it held.</summary>
public sealed class DamagedSegmentException(Segment segment, string reason, Exception? cause = null)
    : IOException($"Segment {segment.Id} is damaged: {reason}", cause)
{
    public Segment Segment { get; } = segment;
    public string Reason { get; } = reason;
}
