using Kumiko.Core.Records;
using NodaTime;

namespace Kumiko.Core.Rules;

/// <summary>When a rule is checked: on some days of the week, between two times of day.</summary>
/// <param name="Days">Monday is 1, Sunday is 7; as the day is on which the hours begin.</param>
/// <param name="From">Minutes since midnight.</param>
/// <param name="To">Minutes since midnight; not after <paramref name="From"/> where the hours end on the next day.</param>
public sealed record CheckHours(IReadOnlyList<int> Days, int From, int To)
{
    public const int MinutesOfDay = 24 * 60;

    public bool Contain(long time, DateTimeZone zone)
    {
        var local = Instants.ToInstant(time).InZone(zone).LocalDateTime;
        var (minute, day) = ((local.Hour * 60) + local.Minute, (int)local.DayOfWeek);
        if (From < To)
            return minute >= From && minute < To && Days.Contains(day);
        return (minute >= From && Days.Contains(day)) || (minute < To && Days.Contains(day == 1 ? 7 : day - 1));
    }

    public bool Equals(CheckHours? other) =>
        other is not null && From == other.From && To == other.To && Days.SequenceEqual(other.Days);

    public override int GetHashCode() => HashCode.Combine(From, To, Days.Count);
}
