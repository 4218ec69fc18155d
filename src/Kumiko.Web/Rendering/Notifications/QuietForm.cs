using Kumiko.Core.Delivery;
using Kumiko.Core.Records;
using NodaTime;
using NodaTime.Text;

namespace Kumiko.Web.Rendering.Notifications;

/// <summary>What the form of a quiet time holds, as it was typed.</summary>
public sealed class QuietForm : MatchForm
{
    private static readonly LocalDateTimePattern Local = LocalDateTimePattern.CreateWithInvariantCulture("uuuu-MM-dd'T'HH:mm");

    /// <summary>Local times; an empty begin is now.</summary>
    public string? Begin { get; set; }
    public string? End { get; set; }
    public string? Reason { get; set; }

    public static QuietForm Blank(long now, DateTimeZone zone) =>
        new()
        {
            End = Local.Format(Instants.ToInstant(now + Instants.Hour).InZone(zone).LocalDateTime),
            From = "02:00",
            To = "04:00",
            Days = [7],
        };

    public (QuietDefinition Definition, IReadOnlyList<string> Faults) Read(long now, DateTimeZone zone)
    {
        var faults = new List<string>();
        long? Time(string? text, string words)
        {
            if (Local.Parse(text ?? "") is { Success: true, Value: var local })
                return zone.AtLeniently(local).ToInstant().ToUnixTimeTicks() * 100;
            faults.Add($"Give the {words} as a date and a time.");
            return null;
        }
        var hours = Hours(faults);
        var definition = new QuietDefinition
        {
            Match = Match(),
            Hours = hours,
            Zone = zone.Id,
            Reason = (Reason ?? "").Trim(),
        };
        if (!HasHours)
            definition = definition with
            {
                From = string.IsNullOrWhiteSpace(Begin) ? now : Time(Begin, "begin"),
                Until = Time(End, "end"),
            };
        if (faults.Count == 0)
            faults.AddRange(definition.Faults());
        if (faults.Count == 0 && definition.Until <= now)
            faults.Add("That end is past already.");
        return (definition, faults);
    }
}
