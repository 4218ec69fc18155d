using System.Net;
using Kumiko.Charts;
using Kumiko.Core.Delivery;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering;
using Kumiko.Web.Rendering.Rules;

namespace Kumiko.Web.Delivery;

/// <summary>The mail about a turn of an alert: what, how much against what limit, since when, what to do first, and a link to it.</summary>
public sealed class AlertMailWriter(ServerOptions options, RuleWords words) : IAlertWriter
{
    public Message Write(Rule rule, Alert alert, Turn turn, string recipient)
    {
        var subject = Headline(rule, alert, turn);
        var lines = Lines(rule, alert, turn);
        var search = AlertLinks.Search(alert, turn.Kind == TurnKind.Ended ? alert.Started : turn.At, turn.At) is { } address ? Link(address.Url()) : null;
        var alerts = Link($"/alerts?at={alert.Id}#chosen");
        var text = string.Join("\n", [subject, "", .. lines, "", .. search is null ? Array.Empty<string>() : ["Search: " + search], "Alert:  " + alerts, ""]);
        var html = $"<p><strong>{E(subject)}</strong></p>{string.Concat(lines.Select(l => $"<p>{E(l)}</p>"))}{(search is null ? "" : $"<p><a href=\"{E(search)}\">Open these records in Search</a></p>")}<p><a href=\"{E(alerts)}\">Open the alert</a></p>";
        return new Message($"alert-{alert.Id}-{turn.Kind.ToString().ToLowerInvariant()}-{turn.At}-{Id(recipient)}", recipient, OneLine(subject), text, html, turn.At);
    }

    public Message WriteFailed(Rule rule, string problem, long since, string recipient)
    {
        var zone = rule.Definition.TimeZone;
        var subject = $"Cannot be checked: {rule.Name}";
        string[] lines = [$"This rule could not be checked since {Format.Moment(since, zone)} ({zone.Id}).", problem];
        var link = Link($"/rules/{rule.Id}");
        return new Message($"rule-{rule.Id}-failed-{since}-{Id(recipient)}", recipient, OneLine(subject), string.Join("\n", [subject, "", .. lines, "", "Rule: " + link, ""]), $"<p><strong>{E(subject)}</strong></p>{string.Concat(lines.Select(l => $"<p>{E(l)}</p>"))}<p><a href=\"{E(link)}\">Open the rule</a></p>", since);
    }

    private static string Headline(Rule rule, Alert alert, Turn turn)
    {
        var what = rule.Name + (alert.Of.Length > 0 ? ": " + alert.Of : "");
        return turn.Kind switch
        {
            TurnKind.Ended => "Ended: " + what,
            TurnKind.Rose => $"Now {Name(turn.Level)}: {what}",
            _ => $"{(turn.Level == AlertLevel.Critical ? "Critical" : "Warning")}: {what}",
        };
    }

    private List<string> Lines(Rule rule, Alert alert, Turn turn)
    {
        var (definition, zone) = (rule.Definition, rule.Definition.TimeZone);
        var lines = new List<string>();
        if (turn.Kind == TurnKind.Ended) lines.Add(turn.Reason is { } reason ? char.ToUpperInvariant(reason[0]) + reason[1..] + "." : double.IsFinite(turn.Value) && definition.Quantity.IsFigure ? $"{RuleWords.Text(turn.Value, RuleWords.UnitOf(definition, alert.Unit))}, which is within the limits again." : "It has ended.");
        else lines.Add(RuleWords.Told(definition, alert.Unit, alert.Of, turn.Level, turn.Value, turn.Compared) + ".");
        if (turn.Kind == TurnKind.Started) lines.Add($"Since {Format.Moment(turn.At, zone)} ({zone.Id}).");
        else if (turn.Kind == TurnKind.Rose) lines.Add($"It began at {Format.Moment(alert.Started, zone)} and rose at {Format.ClockSeconds(turn.At, zone)} ({zone.Id}).");
        else lines.Add($"It lasted from {Format.Moment(alert.Started, zone)} to {Format.ClockSeconds(turn.At, zone)} ({zone.Id}){(alert.Worst is { } worst ? $"; the worst was {RuleWords.Text(worst, RuleWords.UnitOf(definition, alert.Unit))}" : "")}.");
        if (turn.IsFlapping && turn.Kind != TurnKind.Ended) lines.Add("It comes and goes, so it stays open until it has been quiet for a while.");
        lines.Add(words.Sentence(definition, alert.Unit));
        if (turn.Kind != TurnKind.Ended && Markdown.FirstStep(rule.Runbook) is { Length: > 0 } first) lines.Add("First: " + first.ReplaceLineEndings(" "));
        return lines;
    }

    /// <summary>A subject is one line, whatever a record's text brought into it.</summary>
    private static string OneLine(string text) => string.Concat(text.Select(c => char.IsControl(c) ? ' ' : c)) is var line && line.Length > 200 ? line[..200] : line;

    private static string Id(string recipient) =>
        System.IO.Hashing.XxHash32.HashToUInt32(System.Text.Encoding.UTF8.GetBytes(recipient.ToLowerInvariant())).ToString("x", System.Globalization.CultureInfo.InvariantCulture);

    private static string Name(AlertLevel level) => level.ToString().ToLowerInvariant();
    private string Link(string path) => (options.PublicAddress ?? "") + path;
    private static string E(string text) => WebUtility.HtmlEncode(text);
}
