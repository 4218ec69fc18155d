using Kumiko.Core.Analysis;

namespace Kumiko.Core.Rules;

/// <summary>How an alert went on since it started.</summary>
public enum Course
{
    /// <summary>No later check has looked yet.</summary>
    TooSoon,
    Worse,
    Steady,
    Settling,
    Ended,
}

/// <summary>An alert's figure then and now, held against each other.</summary>
public sealed record AlertCourse(Course Course, double? Then, double? Now)
{
    /// <summary>How much of its distance from what is right a figure must move to be called another; numbers of things are tested
    /// instead.</summary>
    private const double Moves = 0.1;

    /// <param name="then">The figure when it started.</param>
    /// <param name="lastChecked">When its rule was last checked; null for never.</param>
    public static AlertCourse Of(Alert alert, double? then, long? lastChecked)
    {
        if (alert.Ended is not null)
            return new(Course.Ended, then, alert.Value);
        if (alert.Definition.Quantity.IsFigure && !(lastChecked > alert.Started))
            return new(Course.TooSoon, then, alert.Value);
        if (then is not { } before || alert.Value is not { } now)
            return new(Course.Steady, then, alert.Value);
        return new(Judge(alert, before, now), then, now);
    }

    private static Course Judge(Alert alert, double before, double now)
    {
        var definition = alert.Definition;
        var isCount = definition.Quantity is CountOf or DistinctOf or EachRecord or InOrder or SlowSpans { AsShare: false };
        // A move that chance alone would make as well is none.
        if (isCount && RateChange.Probability((long)now, (long)before, 1, 1) > RateChange.FalseShare)
            return Course.Steady;
        var (wasOff, isOff) = (Off(alert, before), Off(alert, now));
        if (Math.Abs(isOff - wasOff) < Moves * Math.Max(Math.Abs(wasOff), 1e-12))
            return Course.Steady;
        return isOff > wasOff ? Course.Worse : Course.Settling;
    }

    /// <summary>How far off a figure is; the higher, the worse.</summary>
    private static double Off(Alert alert, double value) =>
        alert.Definition.Condition switch
        {
            Beyond beyond => (beyond.Warning ?? beyond.Critical ?? 0) is var limit && beyond.Below
                ? limit - value
                : value - limit,
            WillReach reach => reach.Below ? -value : value,
            Moved { Side: Direction.Low } or Unusual { Side: Direction.Low } => -value,
            Moved { Side: Direction.Either } or Unusual { Side: Direction.Either } => Math.Abs(value - (alert.Compared ?? 0)),
            _ => value,
        };
}
