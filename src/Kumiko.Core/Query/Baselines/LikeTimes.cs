using Kumiko.Core.Records;
using NodaTime;

namespace Kumiko.Core.Query.Baselines;

/// <summary>The same clock time on like days: the same weekday of four weeks, or where fewer than two of them were collected, up
/// to five days of the same kind in two weeks.</summary>
public static class LikeTimes
{
    private const int Weeks = 4;
    private const int DaysBack = 14;
    private const int MostDays = 5;
    private const int Enough = 2;

    /// <param name="oldest">Since when there is anything.</param>
    /// <returns>Instants before <paramref name="time"/>, the latest first.</returns>
    public static IReadOnlyList<long> Of(long time, long oldest, DateTimeZone zone)
    {
        var local = Instants.ToInstant(time).InZone(zone).LocalDateTime;
        List<long> On(IEnumerable<int> daysBack, int most) =>
            [
                .. daysBack
                    .Select(back => zone.AtLeniently(local.PlusDays(-back)).ToInstant().ToUnixTimeTicks() * 100)
                    .Where(t => t >= oldest)
                    .Take(most),
            ];
        var weekly = On(Enumerable.Range(1, Weeks).Select(w => w * 7), Weeks);
        if (weekly.Count >= Enough)
            return weekly;
        var weekend = IsWeekend(local);
        var daily = On(Enumerable.Range(1, DaysBack).Where(back => IsWeekend(local.PlusDays(-back)) == weekend), MostDays);
        return daily.Count > weekly.Count ? daily : weekly;
    }

    private static bool IsWeekend(LocalDateTime day) => day.DayOfWeek is IsoDayOfWeek.Saturday or IsoDayOfWeek.Sunday;
}
