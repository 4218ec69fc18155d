namespace Kumiko.Core.Records;

/// <summary>What rows of the store are: records of logs, or spans of traces. Their batches and segments are never mixed.</summary>
public enum Signal : byte
{
    Logs,
    Spans,
}
