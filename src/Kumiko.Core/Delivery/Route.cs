using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using NodaTime;

namespace Kumiko.Core.Delivery;

/// <summary>On which side of a calendar's hours a route is.</summary>
public enum CalendarSide
{
    Any,
    Inside,
    Outside,
}

/// <summary>When a route holds: within hours of the week, and on one side of a calendar.</summary>
public sealed record RouteTimes
{
    /// <summary>Null for all hours.</summary>
    public CheckHours? Hours { get; init; }
    public string Zone { get; init; } = "UTC";

    /// <summary>Null for none.</summary>
    public long? Calendar { get; init; }
    public CalendarSide Side { get; init; }

    /// <summary>It also holds on days that the calendar marks so, at any hour; empty for none.</summary>
    public string AlsoOn { get; init; } = "";

    /// <summary>It never holds on days that the calendar marks so; empty for none.</summary>
    public string NotOn { get; init; } = "";

    /// <param name="calendar">The calendar of <see cref="Calendar"/>; null where it is gone, which holds nothing up.</param>
    public bool Hold(long at, DutyCalendar? calendar)
    {
        var marks = Calendar is null || calendar is null ? [] : calendar.MarksAt(at);
        if (NotOn.Length > 0 && marks.Contains(NotOn, StringComparer.OrdinalIgnoreCase))
            return false;
        if (AlsoOn.Length > 0 && marks.Contains(AlsoOn, StringComparer.OrdinalIgnoreCase))
            return true;
        if (Hours is { } hours && !hours.Contain(at, DateTimeZoneProviders.Tzdb.GetZoneOrNull(Zone) ?? DateTimeZone.Utc))
            return false;
        return Calendar is null
            || calendar is null
            || Side switch
            {
                CalendarSide.Inside => calendar.IsOpen(at),
                CalendarSide.Outside => !calendar.IsOpen(at),
                _ => true,
            };
    }
}

/// <summary>Who else is told when nobody acknowledged in time.</summary>
/// <param name="After">Since the start of the telling; nanoseconds.</param>
public sealed record EscalationStep(long After, IReadOnlyList<long> Channels)
{
    public bool Equals(EscalationStep? other) =>
        other is not null && After == other.After && Channels.SequenceEqual(other.Channels);

    public override int GetHashCode() => HashCode.Combine(After, Channels.Count);
}

/// <summary>Which alerts go where, and when.</summary>
public sealed record RouteDefinition
{
    public const int MostSteps = 5;

    public AlertMatch Match { get; init; } = new();
    public RouteTimes Times { get; init; } = new();
    public IReadOnlyList<long> Channels { get; init; } = [];
    public IReadOnlyList<EscalationStep> Steps { get; init; } = [];

    /// <summary>Whether those who were told of an alert are told of its end.</summary>
    public bool TellsEnd { get; init; } = true;

    /// <summary>What is wrong with it, each as a sentence.</summary>
    public IReadOnlyList<string> Faults()
    {
        var faults = new List<string>();
        if (Channels.Count == 0)
            faults.Add("Choose at least one channel.");
        if (Steps.Count > MostSteps)
            faults.Add($"A route has up to {MostSteps} steps.");
        if (Steps.Any(s => s.After is < Instants.Minute or > 7 * Instants.Day))
            faults.Add("A step comes 1m to 7d after the start.");
        if (Steps.Any(s => s.Channels.Count == 0))
            faults.Add("Choose a channel for each step.");
        if (Times.Hours is { } hours && (hours.Days.Count == 0 || hours.From == hours.To))
            faults.Add("Give hours as 05:30 and 22:00, and at least one day.");
        if (Times.Calendar is null && (Times.Side != CalendarSide.Any || Times.AlsoOn.Length + Times.NotOn.Length > 0))
            faults.Add("Choose the calendar whose hours and days are meant.");
        return faults;
    }
}

/// <summary>A route with its name.</summary>
public sealed record Route(long Id, string Name, RouteDefinition Definition, bool IsPaused);
