namespace Kumiko.Core.Storage;

/// <summary>What a committed batch of metrics or spans was.</summary>
/// <param name="Items">Samples, or spans.</param>
/// <param name="Newest">The latest time in it, UTC nanoseconds.</param>
public sealed record SignalBatch(string Source, int Items, long Newest);
