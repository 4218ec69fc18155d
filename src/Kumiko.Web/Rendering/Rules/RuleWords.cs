using Kumiko.Charts;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;

namespace Kumiko.Web.Rendering.Rules;

/// <summary>Rules and alerts in plain English.</summary>
/// <param name="ruleName">The name of a rule by its id; null where it is gone.</param>
/// <param name="objectiveName">The name of an objective by its id.</param>
public sealed class RuleWords(Func<long, string?> ruleName, Func<long, string?> objectiveName) : RuleWording
{
    /// <summary>For sentences that name no rule and no objective.</summary>
    private static readonly RuleWords Nameless = new(_ => null, _ => null);

    public override string Duration(double nanoseconds) => Format.Duration(nanoseconds);

    public override string Number(double number) => Format.Number(number);

    public override string Count(long number, string one, string several) => Format.Count(number, one, several);

    public override string Percent(double share) => Number(share * 100) + "\u2009%";

    public override string Rule(long id) => $"“{ruleName(id) ?? "a rule that is gone"}”";

    public override string Objective(long id) => $"“{objectiveName(id) ?? "an objective that is gone"}”";

    public override string Text(double? figure, string unit) => TextOf(figure, unit);

    /// <summary>A figure with its unit.</summary>
    public static string TextOf(double? figure, string unit) =>
        figure is not { } number || !double.IsFinite(number)
            ? "–"
            : unit switch
            {
                "s" => Format.Duration(number * Instants.Second),
                "1" => Nameless.Percent(number),
                "" => Format.Number(number),
                _ => ChartUnit.Of(unit).Text(number),
            };

    /// <summary>The whole sentence.</summary>
    public string Sentence(RuleDefinition definition, string unit = "")
    {
        var (what, length) = (What(definition), Duration(definition.InTheLast));
        var wrong = definition.Condition.Words(this, UnitOf(definition, unit));
        if (!definition.Quantity.IsFigure)
            return $"{what}: {wrong}. Quiet for {length}, it has ended.";
        var window = definition.Quantity.WindowWords(this, definition.InTheLast);
        var late = definition.Delay > 0 ? $", {Duration(definition.Delay)} late" : "";
        return $"{what}{window} {wrong}{Lasting(definition.Duration)}. "
            + $"Checked every {Duration(definition.CheckedEvery)}{late}{Hours(definition)}.";
    }

    private string Lasting(ForDuration duration) =>
        duration switch
        {
            ForChecks { Count: > 1 } checks => $", for {Format.Number(checks.Count)} checks one after the other",
            ForShare share => $", at {Percent(share.Share)} of the checks of the last {Duration(share.Window)}",
            _ => "",
        };

    private static string Hours(RuleDefinition definition) =>
        definition.Hours is { } hours
            ? $", on {Days(hours.Days)} from {RuleText.Clock(hours.From)} to {RuleText.Clock(hours.To)}"
            : "";

    private static string Days(IReadOnlyList<int> days) =>
        days.Count == 7 ? "all days" : string.Join(", ", days.Select(d => RuleText.DayNames[d - 1]));

    /// <summary>What is looked at, without its window.</summary>
    public string What(RuleDefinition definition) =>
        definition.Quantity.Words(this, definition.Keys.Count > 0 ? " for each " + string.Join(", ", definition.Keys) : "");

    /// <summary>What an alert is made of where that is not records.</summary>
    public static string RowsBehind(RuleDefinition definition) =>
        $"Behind it are {definition.Quantity.WordsOfRows}, not records.";

    /// <summary>The unit of a rule's figures before it was ever checked.</summary>
    public static string UnitOf(RuleDefinition definition, string unit) => unit.Length > 0 ? unit : definition.Quantity.Unit;

    /// <summary>What an alert is, in one sentence: what, where, how much against what.</summary>
    public static string ValueSentence(
        RuleDefinition definition,
        string unit,
        string of,
        AlertLevel level,
        double? value,
        double? compared
    )
    {
        var window = definition.Quantity.HasWindow ? $" in {Format.Duration(definition.InTheLast)}" : "";
        var found = new FoundValue(definition, level, value, compared, UnitOf(definition, unit), window);
        return (of.Length > 0 ? of + ": " : "") + definition.Condition.Found(Nameless, found);
    }
}
