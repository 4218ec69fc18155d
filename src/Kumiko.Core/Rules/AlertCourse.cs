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
        // A move that chance alone would make as well is none.
        if (definition.Quantity.IsCount && RateChange.Probability((long)now, (long)before, 1, 1) > RateChange.FalseShare)
            return Course.Steady;
        var (wasOff, isOff) = (definition.Condition.Off(before, alert.Compared), definition.Condition.Off(now, alert.Compared));
        if (Math.Abs(isOff - wasOff) < Moves * Math.Max(Math.Abs(wasOff), 1e-12))
            return Course.Steady;
        return isOff > wasOff ? Course.Worse : Course.Settling;
    }
}
