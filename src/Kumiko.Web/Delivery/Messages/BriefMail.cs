using System.Net;
using System.Text;
using Kumiko.Charts;
using Kumiko.Core.Rules;
using Kumiko.Core.Rules.Briefs;
using Kumiko.Web.Delivery.Channels;
using Kumiko.Web.Rendering.Rules;

namespace Kumiko.Web.Delivery.Messages;

/// <summary>A message as a mail: as text, and as HTML with the chart. What came in records is only ever text in it.</summary>
public static class BriefMail
{
    private const double Width = 600;
    private const double Height = 220;

    // Mail programs know no style sheets of ours: the colours of the paper theme, written out.
    private const string Ink = "#26231d";
    private const string Soft = "#6d665a";
    private const string Hair = "#d6cdba";
    private const string Sheet = "#fdfbf5";
    private const string Indigo = "#2d4a80";

    /// <param name="told">The alert and its brief, for a mail of one alert.</param>
    public static MailPayload Write(MessageFields fields, (Alert Alert, Brief Brief)? told)
    {
        var picture =
            told is { Brief.Figures: { } figures } of && fields.Event != "ended"
                ? AlertPicture.Draw(
                    of.Alert,
                    figures,
                    of.Brief.Focus,
                    null,
                    BriefWords.Title(of.Alert),
                    Width,
                    Height,
                    of.Alert.Definition.TimeZone,
                    alone: true
                )
                : null;
        return new MailPayload(
            fields.Subject,
            Text(fields),
            Html(fields, picture is not null),
            picture is null ? null : Convert.ToBase64String(PngWriter.Write(picture, Theme.Paper))
        );
    }

    private static string Text(MessageFields f)
    {
        var text = new StringBuilder();
        void Part(string title, IEnumerable<string> lines)
        {
            var all = lines.Where(l => l.Length > 0).Select(l => PlainText.Line(l)).ToList();
            if (all.Count > 0)
                text.Append('\n').Append(title).Append('\n').AppendJoin('\n', all.Select(l => "  " + l)).Append('\n');
        }
        text.Append(PlainText.Line(f.Sentence)).Append('\n');
        if (f.FirstStep.Length > 0)
            text.Append("\nFirst: ").Append(PlainText.Line(f.FirstStep)).Append('\n');
        if (f.Acknowledge.Length > 0)
            text.Append("\nAcknowledge: ").Append(f.Acknowledge).Append('\n');
        if (f.Link.Length > 0)
            text.Append(f.Event == "failed" ? "Rule:        " : "Alert:       ").Append(f.Link).Append('\n');
        if (f.Search.Length > 0)
            text.Append("Search:      ").Append(f.Search).Append('\n');
        if (f.DifferencesText.Length > 0)
            Part("What differs", [.. f.Differences.Select(d => d.Text), f.DifferencesText]);
        Part("Changed in the hour before", f.Changes);
        if (f.FollowUp is { } follow)
            Part(
                "Follow-up",
                follow.Problem is { } problem
                    ? [problem]
                    : [string.Join(" | ", follow.Columns), .. follow.Rows.Select(r => string.Join(" | ", r))]
            );
        Part(
            "Rules",
            f.Rules.Select(r => $"{r.Count} {r.Event}{(r.Event is "started" or "rose" ? " as " + r.Level : "")}: {r.Rule}")
        );
        Part("The worst of them", f.Alerts.Select(a => $"{a.Sentence} {a.Link}"));
        if (f.RuleSentence.Length > 0)
            Part("The rule", [f.RuleSentence]);
        if (f.Remark.Length > 0)
            text.Append('\n').Append(PlainText.Line(f.Remark)).Append('\n');
        return text.ToString();
    }

    private static string Html(MessageFields f, bool hasPicture)
    {
        var html = new StringBuilder(
            $"<!doctype html><html lang=\"en\"><head><meta charset=\"utf-8\"><meta name=\"viewport\" content=\"width=device-width\"><title>{E(f.Subject)}</title></head><body style=\"margin:0;padding:16px;background:#f6f2e8;color:{Ink};font:15px/1.45 'Atkinson Hyperlegible Next',Verdana,sans-serif\"><div style=\"max-width:620px;margin:0 auto;background:{Sheet};border:1px solid {Hair};padding:16px\">"
        );
        var colour = f.Level switch
        {
            "critical" => "#c2492a",
            "warning" => "#b98516",
            _ => "#5b7a45",
        };
        html.Append(
            $"<p style=\"margin:0 0 10px;padding-left:10px;border-left:6px solid {colour};font-size:17px\"><b>{E(f.Subject)}</b><br>{E(f.Sentence)}</p>"
        );
        if (f.FirstStep.Length > 0)
            html.Append($"<p style=\"margin:0 0 10px\"><b>First:</b> {E(f.FirstStep)}</p>");
        var links = new List<string>();
        if (f.Acknowledge.Length > 0)
            links.Add(
                $"<a href=\"{E(f.Acknowledge)}\" style=\"display:inline-block;background:{Indigo};color:#fff;padding:7px 14px;text-decoration:none\">Acknowledge</a>"
            );
        var behind = f.Event switch
        {
            "failed" => "The rule",
            "digest" => "All alerts",
            "test" => "The channels",
            _ => "The alert",
        };
        if (f.Link.Length > 0)
            links.Add($"<a href=\"{E(f.Link)}\" style=\"color:{Indigo}\">{behind}</a>");
        if (f.Search.Length > 0)
            links.Add($"<a href=\"{E(f.Search)}\" style=\"color:{Indigo}\">Its records</a>");
        if (links.Count > 0)
            html.Append("<p style=\"margin:0 0 12px\">").AppendJoin(" &nbsp; ", links).Append("</p>");
        if (hasPicture)
            html.Append(
                $"<p style=\"margin:0 0 12px\"><img src=\"cid:chart\" width=\"{Width}\" height=\"{Height}\" alt=\"{E(f.Rule)} up to the start, with its limit\" style=\"max-width:100%;height:auto;border:1px solid {Hair}\"></p>"
            );
        if (f.DifferencesText.Length > 0)
        {
            Head(html, "What differs");
            if (f.Differences.Count > 0)
                Table(
                    html,
                    ["value", "here", "otherwise"],
                    f.Differences.Select(d =>
                        (IReadOnlyList<string>)
                            [
                                d.Field == "pattern" ? d.Value : $"{d.Field} = {d.Value}",
                                BriefWords.Share(d.Now, d.NowTotal),
                                BriefWords.Share(d.Then, d.ThenTotal),
                            ]
                    )
                );
            html.Append($"<p style=\"margin:0 0 12px;color:{Soft};font-size:13px\">{E(f.DifferencesText)}</p>");
        }
        if (f.Changes.Count > 0)
        {
            Head(html, "Changed in the hour before");
            List(html, f.Changes);
        }
        if (f.FollowUp is { } follow)
        {
            Head(html, "Follow-up");
            if (follow.Problem is { } problem)
                html.Append($"<p>{E(problem)}</p>");
            else if (follow.Rows.Count == 0)
                html.Append("<p>Nothing.</p>");
            else
                Table(html, follow.Columns, follow.Rows);
        }
        if (f.Rules.Count > 0)
            Table(
                html,
                ["rule", "what", "number"],
                f.Rules.Select(r =>
                    (IReadOnlyList<string>)
                        [r.Rule, r.Event is "started" or "rose" ? $"{r.Event} as {r.Level}" : r.Event, Format.Number(r.Count)]
                )
            );
        if (f.Alerts.Count > 0)
        {
            Head(html, "The worst of them");
            html.Append("<ul style=\"margin:0 0 12px;padding-left:20px\">");
            foreach (var alert in f.Alerts)
                html.Append($"<li>{E(alert.Sentence)} <a href=\"{E(alert.Link)}\" style=\"color:{Indigo}\">open</a></li>");
            html.Append("</ul>");
        }
        if (f.RuleSentence.Length > 0)
            html.Append($"<p style=\"margin:12px 0 0;color:{Soft};font-size:13px\">{E(f.RuleSentence)}</p>");
        if (f.Remark.Length > 0)
            html.Append($"<p style=\"margin:12px 0 0;color:{Soft};font-size:13px\">{E(f.Remark)}</p>");
        return html.Append("</div></body></html>").ToString();
    }

    private static void Head(StringBuilder html, string title) =>
        html.Append($"<h2 style=\"margin:0 0 4px;font-size:15px\">{E(title)}</h2>");

    private static void List(StringBuilder html, IEnumerable<string> lines)
    {
        html.Append("<ul style=\"margin:0 0 12px;padding-left:20px\">");
        foreach (var line in lines)
            html.Append($"<li>{E(line)}</li>");
        html.Append("</ul>");
    }

    private static void Table(StringBuilder html, IEnumerable<string> columns, IEnumerable<IReadOnlyList<string>> rows)
    {
        const int ShortCell = 24;
        const string Cell = "padding:3px 10px 3px 0;border-bottom:1px solid #d6cdba;text-align:left;vertical-align:top";
        html.Append("<table style=\"border-collapse:collapse;margin:0 0 12px;font-size:13.5px\"><tr>");
        foreach (var column in columns)
            html.Append($"<th style=\"{Cell}\">{E(column)}</th>");
        html.Append("</tr>");
        foreach (var row in rows)
            html.Append("<tr>")
                .AppendJoin(
                    "",
                    row.Select(cell =>
                        $"<td style=\"{Cell}{(cell.Length <= ShortCell ? ";white-space:nowrap" : "")}\">{E(cell)}</td>"
                    )
                )
                .Append("</tr>");
        html.Append("</table>");
    }

    private static string E(string text) => WebUtility.HtmlEncode(PlainText.Line(text));
}
