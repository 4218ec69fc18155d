using Kumiko.Core.Delivery;
using Kumiko.Core.Rules;

namespace Kumiko.Web.Rendering.Notifications;

/// <summary>The part of a form that says which alerts are meant: lists with commas.</summary>
public class MatchForm
{
    public string? Labels { get; set; }
    public string? Teams { get; set; }
    public string? Sources { get; set; }
    public string? Rules { get; set; }
    public string? Least { get; set; }
    public bool HasHours { get; set; }
    public List<int> Days { get; set; } = [];
    public string? From { get; set; }
    public string? To { get; set; }

    protected void Fill(AlertMatch match, CheckHours? hours)
    {
        (Labels, Teams, Sources, Rules, Least) = (
            string.Join(", ", match.Labels),
            string.Join(", ", match.Teams),
            string.Join(", ", match.Sources),
            string.Join(", ", match.Rules),
            match.Least == AlertLevel.Critical ? "critical" : "warning"
        );
        if (hours is not null)
            (HasHours, Days, From, To) = (true, [.. hours.Days], RuleText.Clock(hours.From), RuleText.Clock(hours.To));
    }

    public AlertMatch Match() =>
        new()
        {
            Labels = Rule.SplitList(Labels ?? ""),
            Teams = Rule.SplitList(Teams ?? ""),
            Sources = Rule.SplitList(Sources ?? ""),
            Rules = Rule.SplitList(Rules ?? ""),
            Least = Least == "critical" ? AlertLevel.Critical : AlertLevel.Warning,
        };

    public CheckHours? Hours(List<string> faults) => HasHours ? HoursOf(Days, From, To, faults) : null;

    public static CheckHours? HoursOf(IEnumerable<int> days, string? from, string? to, List<string> faults)
    {
        if (Clock(from) is not { } begin || Clock(to) is not { } end)
        {
            faults.Add("Give hours as 05:30 and 22:00.");
            return null;
        }
        return new CheckHours(
            [.. days.Where(d => d is >= 1 and <= 7).Distinct().Order()],
            begin,
            end % CheckHours.MinutesOfDay == 0 && end > 0 ? 0 : end
        );
    }

    private static int? Clock(string? text) =>
        (text ?? "").Trim().Split(':') is [var hours, var minutes]
        && int.TryParse(hours, out var h)
        && int.TryParse(minutes, out var m)
        && h is >= 0 and <= 24
        && m is >= 0 and < 60
        && (h < 24 || m == 0)
            ? (h * 60) + m
            : null;
}
