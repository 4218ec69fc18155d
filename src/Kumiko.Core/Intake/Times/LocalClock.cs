using Kumiko.Core.Records;
using NodaTime;
using NodaTime.TimeZones;

namespace Kumiko.Core.Intake.Times;

/// <summary>
/// Turns what clocks of a zone show into instants. An hour that comes twice is the first, unless a time before it says that
/// the first is over; one that is left out is moved on by as much. Not for several threads.
/// </summary>
internal sealed class LocalClock(DateTimeZone zone)
{
    /// <summary>Within a day of a change of offset each time is asked for by itself.</summary>
    private const long Margin = Instants.Day;

    /// <summary>How far lines may stand out of order before the second of two hours is taken for the first.</summary>
    private const long Disorder = 5 * Instants.Minute;

    private long _from = 1;
    private long _to;
    private long _offset;
    private long _last = long.MinValue / 2;

    /// <param name="local">Nanoseconds since 1970 as the clock shows them.</param>
    public long ToInstant(long local)
    {
        if (local < _from || local >= _to)
            Look(local);
        var time = local >= _from && local < _to ? local - _offset : Ask(local);
        _last = time;
        return time;
    }

    private void Look(long local)
    {
        var interval = zone.GetZoneInterval(Instants.ToInstant(local));
        _offset = interval.WallOffset.Nanoseconds;
        _from = (interval.HasStart ? interval.Start.ToUnixTimeTicks() * 100 : long.MinValue / 2) + Margin;
        _to = (interval.HasEnd ? interval.End.ToUnixTimeTicks() * 100 : long.MaxValue / 2) - Margin;
    }

    private long Ask(long local)
    {
        var wall = Instants.ToInstant(local).InUtc().LocalDateTime;
        var found = zone.ResolveLocal(wall, Resolvers.CreateMappingResolver(Ambiguous, Resolvers.ReturnForwardShifted));
        return found.ToInstant().ToUnixTimeTicks() * 100 + (local % 100 + 100) % 100;
    }

    private ZonedDateTime Ambiguous(ZonedDateTime earlier, ZonedDateTime later) =>
        earlier.ToInstant().ToUnixTimeTicks() * 100 < _last - Disorder ? later : earlier;
}
