using System.Globalization;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using NodaTime;

namespace Kumiko.Charts;

/// <param name="Label">A clock time, or the day where it changes.</param>
/// <param name="IsDay">Whether it marks the start of a day.</param>
public sealed record TimeTick(long Time, string Label, bool IsDay);

/// <summary>Ticks on round local times, days marked where they change.</summary>
public static class TimeAxis
{
    // Fewer than the steps that records can be counted in: nobody looks for 17:12 on a clock.
    private static readonly long[] Labelled =
    [
        .. new[] { 1, 2, 5, 10, 15, 30 }.Select(s => s * Instants.Second),
        .. new[] { 1, 2, 5, 10, 15, 30 }.Select(m => m * Instants.Minute),
        .. new[] { 1, 2, 3, 6, 12 }.Select(h => h * Instants.Hour),
        Instants.Day,
        7 * Instants.Day,
        28 * Instants.Day,
    ];

    /// <param name="window">What the axis spans.</param>
    /// <param name="most">How many labels fit.</param>
    public static IReadOnlyList<TimeTick> Ticks(Window window, DateTimeZone zone, int most)
    {
        if (window.IsEmpty || most < 1)
            return [];
        var step = Array.Find(Labelled, s => window.Length / s <= most);
        // Beyond years no step is round; whole days keep the labels readable.
        if (step == 0)
            step = (window.Length / most / Instants.Day * Instants.Day) + Instants.Day;
        return [.. Steps.Cut(window, step, zone).Starts.Where(window.Contains).Select(time => Tick(time, step, zone))];
    }

    private static TimeTick Tick(long time, long step, DateTimeZone zone)
    {
        var local = Instants.ToInstant(time).InZone(zone).LocalDateTime;
        var midnight = local.TimeOfDay == zone.AtStartOfDay(local.Date).TimeOfDay;
        if (midnight)
            return new TimeTick(
                time,
                local.ToString(step > 300 * Instants.Day ? "MMM yyyy" : "ddd d MMM", CultureInfo.InvariantCulture),
                true
            );
        return new TimeTick(
            time,
            local.ToString(step < Instants.Minute ? "HH:mm:ss" : "HH:mm", CultureInfo.InvariantCulture),
            false
        );
    }
}
