namespace Kumiko.Core.Sources;

/// <summary>What is known of a source. Times are UTC nanoseconds.</summary>
/// <param name="Newest">The latest time that something from it says it happened.</param>
/// <param name="Protocol">How it sends, in the words of the pages.</param>
/// <param name="Recognised">How it was told from others.</param>
/// <param name="RateNow">Records, samples and spans a second over the last minute.</param>
/// <param name="LastHour">The same for each of the last sixty minutes, the latest last.</param>
/// <param name="Delay">How long after it happened a record is taken in: the middle one of the latest; null where nothing is
/// known.</param>
/// <param name="LongDelay">What nineteen of twenty stay below.</param>
public sealed record SourceState(
    string Name,
    long FirstSeen,
    long LastSeen,
    long Newest,
    long Records,
    long Samples,
    long Spans,
    long Changes,
    long Refused,
    string Protocol,
    string Recognised,
    double RateNow,
    IReadOnlyList<long> LastHour,
    long? Delay,
    long? LongDelay
)
{
    public long Items => Records + Samples + Spans + Changes;
}
