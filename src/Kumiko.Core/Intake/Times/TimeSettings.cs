using Kumiko.Core.Records;
using NodaTime;

namespace Kumiko.Core.Intake.Times;

/// <summary>What times of a source leave open.</summary>
/// <param name="Zone">Of times that are written without one.</param>
/// <param name="Order">Of days that are written in numbers alone; none takes the likeliest, and refuses what is not
/// clear.</param>
public sealed record TimeSettings(DateTimeZone Zone, DayOrder Order = DayOrder.None)
{
    public static readonly TimeSettings Utc = new(DateTimeZone.Utc);

    /// <summary>How far a time without a year may lie in the future, nanoseconds: a sender's clock may be ahead.</summary>
    public long Ahead { get; init; }
}
