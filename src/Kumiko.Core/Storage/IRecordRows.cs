using Kumiko.Core.Records;

namespace Kumiko.Core.Storage;

/// <summary>Rows in the order of their ids, opened for reading.</summary>
public interface IRecordRows
{
    int Count { get; }
    LogRecord this[int index] { get; }
    ReadOnlySpan<long> Times { get; }

    /// <summary>Severity bands: 0 for unspecified, then trace to fatal.</summary>
    ReadOnlySpan<byte> Bands { get; }
}
