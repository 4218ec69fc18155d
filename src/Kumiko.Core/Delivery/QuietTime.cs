using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using NodaTime;

namespace Kumiko.Core.Delivery;

/// <summary>A time in which nobody is told of some alerts: planned work, or a label that is muted until an end.</summary>
public sealed record QuietDefinition
{
    public const long Longest = 90 * Instants.Day;

    public AlertMatch Match { get; init; } = new();

    /// <summary>Once from one instant to another; else each week within <see cref="Hours"/>.</summary>
    public long? From { get; init; }
    public long? Until { get; init; }
    public CheckHours? Hours { get; init; }
    public string Zone { get; init; } = "UTC";
    public string Reason { get; init; } = "";

    private DateTimeZone TimeZone => DateTimeZoneProviders.Tzdb.GetZoneOrNull(Zone) ?? DateTimeZone.Utc;

    public bool IsOn(long at) => Hours is { } hours ? hours.Contain(at, TimeZone) : at >= From && at < Until;

    /// <summary>When the present quiet is over; null where it is not quiet.</summary>
    public long? EndAfter(long at)
    {
        if (!IsOn(at))
            return null;
        if (Hours is not { } hours)
            return Until;
        // The next minute in which the hours do not hold; a week has them all.
        var minute = (at / Instants.Minute) + 1;
        for (var i = 0; i < 7 * CheckHours.MinutesOfDay; i++)
            if (!hours.Contain((minute + i) * Instants.Minute, TimeZone))
                return (minute + i) * Instants.Minute;
        return at + (7 * Instants.Day);
    }

    /// <summary>What is wrong with it, each as a sentence.</summary>
    public IReadOnlyList<string> Faults()
    {
        var faults = new List<string>();
        if (Hours is null && !(From < Until))
            faults.Add("Let it end after it begins.");
        else if (Hours is null && Until - From > Longest)
            faults.Add("A quiet time is up to 90 days long: pause the rule, or change the route.");
        if (Hours is { } hours && (hours.Days.Count == 0 || hours.From == hours.To))
            faults.Add("Give hours as 02:00 and 04:00, and at least one day.");
        if (Reason.Trim().Length is 0 or > 500)
            faults.Add("Say why, in up to 500 characters: it is shown to who wonders about the silence.");
        return faults;
    }
}

/// <summary>A quiet time and who wants it.</summary>
public sealed record QuietTime(long Id, QuietDefinition Definition, string Person, long Created);
