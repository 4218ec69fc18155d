using Kumiko.Charts;
using Kumiko.Core.Rules;
using Kumiko.Core.Rules.Briefs;
using NodaTime;

namespace Kumiko.Web.Rendering.Rules;

/// <summary>Briefs and alerts in plain English, the same on the page, in mails and in messages.</summary>
public static class BriefWords
{
    private const int LongestValue = 300;

    /// <summary>What, and where: <c>Refusals at the gates, Tarnhead</c>.</summary>
    public static string Title(Alert alert) => alert.Name + (alert.Of.Length > 0 ? ", " + Short(alert.Of) : "");

    /// <summary>A value that records brought in, cut where it is very long.</summary>
    public static string Short(string value) => value.Length <= LongestValue ? value : value[..LongestValue] + "…";

    /// <summary>What, where, since when, how much against what limit.</summary>
    public static string Sentence(Alert alert, AlertLevel level, double? value, double? compared, DateTimeZone zone) =>
        $"{Title(alert)}: {RuleWords.ValueSentence(alert.Definition, alert.Unit, "", level, value, compared)}, since {Format.Moment(alert.Started, zone)}.";

    public static string Sentence(Alert alert, Brief brief, DateTimeZone zone) =>
        Sentence(alert, brief.Level, brief.Value, brief.Compared, zone);

    /// <summary>How it went on, in one word.</summary>
    public static string Course(Course course) =>
        course switch
        {
            Core.Rules.Course.TooSoon => "no later check yet",
            Core.Rules.Course.Worse => "worse",
            Core.Rules.Course.Steady => "steady",
            Core.Rules.Course.Settling => "settling",
            _ => "ended",
        };

    /// <summary>The figures that the word is about; empty where there are none.</summary>
    public static string Moved(AlertCourse course, Alert alert)
    {
        var unit = RuleWords.UnitOf(alert.Definition, alert.Unit);
        return
            alert.Definition.Quantity is not Happening { IsOfAlerts: true }
            && course is { Then: { } then, Now: { } now, Course: not Core.Rules.Course.TooSoon }
            ? $"{RuleWords.TextOf(then, unit)} at the start, {RuleWords.TextOf(now, unit)} {(course.Course == Core.Rules.Course.Ended ? "at the end" : "now")}"
            : "";
    }

    /// <summary>A difference in one line, with n on both sides.</summary>
    public static string Difference(BriefDifference of, BriefDifferences all) =>
        $"{Name(of)}: {Share(of.Now, all.Now)} here, {Share(of.Then, all.Then)} otherwise{(of.Alike.Count > 0 ? $" (also {string.Join(", ", of.Alike)})" : "")}";

    public static string Name(BriefDifference of) => of.Field == "pattern" ? $"“{of.Text}”" : $"{of.Field} = {of.Text}";

    /// <summary>A share with its counts: <c>92 % (43 of 47)</c>.</summary>
    public static string Share(long count, long total) =>
        $"{Format.Percent(total == 0 ? 0 : (double)count / total)} ({Format.Number(count)} of {Format.Number(total)})";

    /// <summary>What differences are differences of.</summary>
    public static string Against(BriefDifferences differences) =>
        $"{RuleWords.Quoted(differences.Of)}, against {differences.Against}{(differences.Health.Count > 0 ? " – " + string.Join("; ", differences.Health) : "")}";

    /// <summary>The first step of a runbook, on one line.</summary>
    public static string FirstStep(Brief brief) => Markdown.FirstStep(brief.Runbook).ReplaceLineEndings(" ");

    /// <summary>The limit that it was held against; empty where it is not a limit.</summary>
    public static string Limit(Alert alert, AlertLevel level)
    {
        var limits = alert.Definition.Condition.Limits;
        return alert.Definition.Condition.LimitsAreFigures
            ? RuleWords.TextOf(
                level == AlertLevel.Critical ? limits.Critical ?? limits.Warning : limits.Warning ?? limits.Critical,
                RuleWords.UnitOf(alert.Definition, alert.Unit)
            )
            : "";
    }

    /// <summary>What became of an alert, before its title.</summary>
    public static string Headline(NotificationKind kind, AlertLevel level) =>
        kind switch
        {
            NotificationKind.Ended => "Ended",
            NotificationKind.Rose => $"Now {level.ToString().ToLowerInvariant()}",
            NotificationKind.Failed => "Cannot be checked",
            NotificationKind.Escalated => "Nobody has acknowledged",
            NotificationKind.Result => "Checked",
            _ => level == AlertLevel.Critical ? "Critical" : "Warning",
        };
}
