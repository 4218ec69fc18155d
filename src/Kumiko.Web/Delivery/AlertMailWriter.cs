using System.Net;
using Kumiko.Charts;
using Kumiko.Core.Delivery;
using Kumiko.Core.Query;
using Kumiko.Core.Rules;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering;
using NodaTime;

namespace Kumiko.Web.Delivery;

/// <summary>The mail about a turn of an alert: what, how much against what limit, since when, and a link to it.</summary>
public sealed class AlertMailWriter(ServerOptions options) : IAlertWriter
{
    public Message Write(Rule rule, Alert alert, Turn turn, string recipient)
    {
        var zone = DateTimeZoneProviders.Tzdb.GetZoneOrNull(rule.Zone) ?? DateTimeZone.Utc;
        var subject = Headline(rule, turn);
        var lines = Lines(rule, alert, turn, zone);
        var search = Link(Focus(rule, alert, turn).Url());
        var alerts = Link($"/alerts?at={alert.Id}");
        var text = string.Join("\n", [subject, "", .. lines, "", "Search: " + search, "Alert:  " + alerts, ""]);
        var html = $"<p><strong>{E(subject)}</strong></p>{string.Concat(lines.Select(l => $"<p>{E(l)}</p>"))}<p><a href=\"{E(search)}\">Open these records in Search</a></p><p><a href=\"{E(alerts)}\">Open the alert</a></p>";
        return new Message($"alert-{alert.Id}-{turn.Kind.ToString().ToLowerInvariant()}-{turn.At}-{Id(recipient)}", recipient, subject, text, html, turn.At);
    }

    private static string Headline(Rule rule, Turn turn) => turn.Kind switch
    {
        TurnKind.Ended => $"Ended: {rule.Name}",
        TurnKind.Rose => $"Now {Name(turn.Level)}: {rule.Name}",
        _ => $"{(turn.Level == AlertLevel.Critical ? "Critical" : "Warning")}: {rule.Name}",
    };

    private static List<string> Lines(Rule rule, Alert alert, Turn turn, DateTimeZone zone)
    {
        var count = $"{Format.Count(turn.Value, "record", "records")} in the last {Format.Duration(rule.LookBack)}";
        var limit = turn.Level == AlertLevel.Critical ? rule.Critical : rule.Warning;
        var lines = new List<string>
        {
            turn.Kind == TurnKind.Ended
                ? $"{count}, which is within the limits again."
                : $"{count}; the limit for {Name(turn.Level)} is {Format.Number(limit ?? 0)}.",
        };
        if (turn.Kind == TurnKind.Started) lines.Add($"Since {Format.Moment(turn.At, zone)} ({zone.Id}).");
        else if (turn.Kind == TurnKind.Rose) lines.Add($"It began at {Format.Moment(alert.Started, zone)} and rose at {Format.ClockSeconds(turn.At, zone)} ({zone.Id}).");
        else lines.Add($"It lasted from {Format.Moment(alert.Started, zone)} to {Format.ClockSeconds(turn.At, zone)} ({zone.Id}); the highest value was {Format.Number(alert.Highest)}.");
        lines.Add("Query: " + (rule.Query.Length == 0 ? "all records" : rule.Query.ReplaceLineEndings(" ")));
        return lines;
    }

    /// <summary>The stretch that the check looked at; of an ended alert, all of it.</summary>
    private static SearchAddress Focus(Rule rule, Alert alert, Turn turn)
    {
        var from = turn.Kind == TurnKind.Ended ? alert.Started : turn.At;
        return new SearchAddress { Query = rule.Query, Focus = new TimeRange(Moment.At(from - rule.LookBack), Moment.At(turn.At)) };
    }

    private static string Id(string recipient) =>
        System.IO.Hashing.XxHash32.HashToUInt32(System.Text.Encoding.UTF8.GetBytes(recipient.ToLowerInvariant())).ToString("x", System.Globalization.CultureInfo.InvariantCulture);

    private static string Name(AlertLevel level) => level.ToString().ToLowerInvariant();
    private string Link(string path) => (options.PublicAddress ?? "") + path;
    private static string E(string text) => WebUtility.HtmlEncode(text);
}
