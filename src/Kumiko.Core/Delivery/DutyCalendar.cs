using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using NodaTime;
using NodaTime.Text;

namespace Kumiko.Core.Delivery;

/// <summary>A day that is not as others.</summary>
/// <param name="Date">As ISO: <c>2026-12-25</c>.</param>
/// <param name="EachYear">Whether the month and day count alone.</param>
/// <param name="Mark">What it is: holiday, storm, …; routes can ask for it.</param>
/// <param name="IsClosed">Whether the calendar's hours do not hold on it.</param>
public sealed record CalendarDay(string Date, bool EachYear, string Mark, bool IsClosed)
{
    public bool Is(LocalDate day) =>
        LocalDatePattern.Iso.Parse(Date) is { Success: true, Value: var date }
        && (EachYear ? date.Month == day.Month && date.Day == day.Day : date == day);
}

/// <summary>Hours of a week and special days, in a zone of their own: a timetable, office hours, holidays.</summary>
public sealed record DutyCalendar
{
    public const int MostHours = 20;
    public const int MostDays = 500;
    public const int LongestName = 100;

    public string Zone { get; init; } = "UTC";
    public IReadOnlyList<CheckHours> Hours { get; init; } = [];
    public IReadOnlyList<CalendarDay> Days { get; init; } = [];

    public DateTimeZone TimeZone => DateTimeZoneProviders.Tzdb.GetZoneOrNull(Zone) ?? DateTimeZone.Utc;

    /// <summary>Whether its hours hold at an instant. Hours over midnight belong to the day on which they begin.</summary>
    public bool IsOpen(long at)
    {
        var local = Instants.ToInstant(at).InZone(TimeZone).LocalDateTime;
        var minute = (local.Hour * 60) + local.Minute;
        return Hours.Any(h => Holds(h, local.Date, minute, over: false) || Holds(h, local.Date.PlusDays(-1), minute, over: true));
    }

    private bool Holds(CheckHours hours, LocalDate day, int minute, bool over)
    {
        if (!hours.Days.Contains((int)day.DayOfWeek) || Days.Any(d => d.IsClosed && d.Is(day)))
            return false;
        return over
            ? hours.From >= hours.To && minute < hours.To
            : minute >= hours.From && (hours.From >= hours.To || minute < hours.To);
    }

    /// <summary>What the day of an instant is marked as.</summary>
    public IReadOnlyList<string> MarksAt(long at)
    {
        var day = Instants.ToInstant(at).InZone(TimeZone).Date;
        return [.. Days.Where(d => d.Is(day)).Select(d => d.Mark).Distinct(StringComparer.OrdinalIgnoreCase)];
    }

    /// <summary>What is wrong with it, each as a sentence.</summary>
    public IReadOnlyList<string> Faults()
    {
        var faults = new List<string>();
        if (DateTimeZoneProviders.Tzdb.GetZoneOrNull(Zone) is null)
            faults.Add($"There is no time zone “{Zone}”. Give one as Europe/Dublin.");
        if (Hours.Count > MostHours || Days.Count > MostDays)
            faults.Add($"A calendar has up to {MostHours} lines of hours and {MostDays} days.");
        foreach (
            var hours in Hours.Where(h =>
                h.Days.Count == 0 || h.From is < 0 or >= CheckHours.MinutesOfDay || h.To is < 0 or > CheckHours.MinutesOfDay
            )
        )
            faults.Add(
                hours.Days.Count == 0 ? "Choose at least one day for each line of hours." : "Give hours as 05:30 and 22:00."
            );
        foreach (var day in Days.Where(d => !LocalDatePattern.Iso.Parse(d.Date).Success))
            faults.Add($"“{day.Date}” is no date. Give it as 2026-12-25.");
        if (Days.Any(d => d.Mark.Trim().Length is 0 or > 40))
            faults.Add("Say of each day what it is, in up to 40 characters: holiday, storm.");
        return faults;
    }
}

/// <summary>A calendar with its name.</summary>
public sealed record NamedCalendar(long Id, string Name, DutyCalendar Calendar);
