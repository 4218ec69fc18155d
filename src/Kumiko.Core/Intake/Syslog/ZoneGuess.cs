using Kumiko.Core.Records;

namespace Kumiko.Core.Intake.Syslog;

/// <summary>
/// Finds the year and the zone of times that have neither, by when they arrive: a host's clock is taken to be off by a
/// whole zone, not by any length. What was found for a host is kept until several messages in a row say otherwise, so
/// that one that comes an hour late is not read as one of another zone.
/// </summary>
internal sealed class ZoneGuess
{
    private const int MostHosts = 4_096;
    private const int Needed = 8;
    private const long Fits = 5 * Instants.Minute;

    /// <summary>Zones lie at half hours from -12:00 to +14:00, and three at quarters; the nearest to UTC first.</summary>
    private static readonly int[] Offsets =
    [
        .. Enumerable.Range(-24, 53).Select(i => i * 30).Concat([345, 525, 765]).OrderBy(Math.Abs),
    ];

    private readonly Dictionary<string, HostOffset> _hosts = new(StringComparer.Ordinal);

    private sealed class HostOffset
    {
        public int Offset;
        public int Other;
        public int Times;
    }

    /// <summary>Minutes that a host's clock is ahead of UTC.</summary>
    /// <param name="stamp">The time as if it were UTC, with the year that is nearest.</param>
    public int Offset(string host, long stamp, long now)
    {
        var fits = Fitting(stamp - now);
        if (!_hosts.TryGetValue(host, out var known))
        {
            if (fits is null)
                return 0;
            if (_hosts.Count >= MostHosts)
                _hosts.Clear();
            _hosts.Add(host, known = new HostOffset { Offset = fits.Value });
        }
        if (fits is null || fits == known.Offset)
            known.Times = 0;
        else if (known.Times > 0 && known.Other == fits)
            known.Times++;
        else
            (known.Other, known.Times) = (fits.Value, 1);
        if (known.Times >= Needed)
            (known.Offset, known.Times) = (known.Other, 0);
        return known.Offset;
    }

    private static int? Fitting(long ahead)
    {
        foreach (var offset in Offsets)
            if (Math.Abs(ahead - (offset * Instants.Minute)) <= Fits)
                return offset;
        return null;
    }

    /// <summary>The time in the year that brings it nearest to now, as if it were UTC; null where no such day is near.</summary>
    public static long? WithYear(int month, int day, long ofDay, long now)
    {
        long? nearest = null;
        var year = Instants.ToDateTime(now).Year;
        for (var y = year - 1; y <= year + 1; y++)
        {
            if (month is < 1 or > 12 || day < 1 || day > DateTime.DaysInMonth(y, month))
                continue;
            var time = Instants.FromDateTime(new DateTimeOffset(y, month, day, 0, 0, 0, TimeSpan.Zero)) + ofDay;
            if (nearest is null || Math.Abs(time - now) < Math.Abs(nearest.Value - now))
                nearest = time;
        }
        return nearest;
    }
}
