namespace Kumiko.Core.Records;

/// <summary>The types a value can have, in the order in which unlike values sort.</summary>
public enum ValueKind : byte
{
    Boolean,
    Integer,
    Decimal,
    Duration,
    Size,
    Time,
    Level,
    Address,
    Text,
    Bytes,
    List,
    Object,
    Missing,
}
