using Kumiko.Charts;
using Kumiko.Core.Delivery;
using Kumiko.Core.Rules;

namespace Kumiko.Web.Rendering.Notifications;

/// <summary>Routes, calendars and quiet times in plain English.</summary>
public static class RouteWords
{
    public static string Match(AlertMatch match)
    {
        var parts = new List<string>();
        void Part(string words, IReadOnlyList<string> list)
        {
            if (list.Count > 0)
                parts.Add(words + string.Join(" or ", list));
        }
        Part("labelled ", match.Labels);
        Part("of the team ", match.Teams);
        Part("about ", match.Sources);
        Part("of the rule ", match.Rules);
        var all = parts.Count == 0 ? "all alerts" : "alerts";
        var which = match.Least == AlertLevel.Critical ? "critical alerts" : all;
        return which + (parts.Count > 0 ? " " + string.Join(", ", parts) : "");
    }

    public static string Hours(CheckHours hours) =>
        $"{(hours.Days.Count == 7 ? "every day" : string.Join(" ", hours.Days.Select(d => RuleText.DayNames[d - 1])))} from {RuleText.Clock(hours.From)} to {RuleText.Clock(hours.To == 0 ? CheckHours.MinutesOfDay : hours.To)}";

    /// <summary>When a route holds.</summary>
    public static string Times(RouteTimes times, RouteBook book)
    {
        var parts = new List<string>();
        if (times.Hours is { } hours)
            parts.Add($"{Hours(hours)} ({times.Zone})");
        if (times.Calendar is { } id)
        {
            var name = book.Calendars.FirstOrDefault(c => c.Id == id)?.Name ?? "a calendar that is gone";
            if (times.Side == CalendarSide.Inside)
                parts.Add($"in the hours of {name}");
            if (times.Side == CalendarSide.Outside)
                parts.Add($"outside the hours of {name}");
            if (times.AlsoOn.Length > 0)
                parts.Add($"and all day on days of {name} marked “{times.AlsoOn}”");
            if (times.NotOn.Length > 0)
                parts.Add($"but not on days of {name} marked “{times.NotOn}”");
        }
        return parts.Count == 0 ? "at any time" : string.Join(", ", parts);
    }

    public static string Channels(IEnumerable<long> ids, RouteBook book) =>
        string.Join(
            ", ",
            ids.Select(id =>
                book.Channel(id) switch
                {
                    { IsPaused: true } paused => paused.Name + " (paused)",
                    { } channel => channel.Name,
                    null => "a channel that is gone",
                }
            )
        );

    public static string Steps(RouteDefinition route, RouteBook book) =>
        string.Join(
            "; ",
            route.Steps.Select(s => $"after {Format.Duration(s.After)} unacknowledged to {Channels(s.Channels, book)}")
        );
}
