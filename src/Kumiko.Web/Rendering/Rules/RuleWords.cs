using Kumiko.Charts;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using NodaTime;

namespace Kumiko.Web.Rendering.Rules;

/// <summary>Rules and alerts in plain English.</summary>
/// <param name="ruleName">The name of a rule by its id; null where it is gone.</param>
/// <param name="objectiveName">The name of an objective by its id.</param>
public sealed class RuleWords(Func<long, string?> ruleName, Func<long, string?> objectiveName)
{
    private const int LongestQuery = 90;

    /// <summary>The whole sentence.</summary>
    public string Sentence(RuleDefinition definition, string unit = "")
    {
        var end = definition.Duration switch
        {
            ForChecks { Count: > 1 } checks => $", for {Format.Number(checks.Count)} checks one after the other",
            ForShare share => $", at {Percent(share.Share)} of the checks of the last {Format.Duration(share.Window)}",
            _ => "",
        };
        if (!definition.Quantity.IsFigure)
            return $"{What(definition)}: {Level(((Occurs)definition.Condition).Level)}. Quiet for {Format.Duration(definition.InTheLast)}, it has ended.";
        return $"{What(definition)}{Window(definition)} {Wrong(definition, unit)}{end}. Checked every {Format.Duration(definition.CheckedEvery)}{(definition.Delay > 0 ? $", {Format.Duration(definition.Delay)} late" : "")}{Hours(definition)}.";
    }

    private static string Window(RuleDefinition definition) =>
        definition.Quantity switch
        {
            BudgetBurnt => "",
            BurnRate burn => $", over {Format.Duration(definition.InTheLast)} and also over {Format.Duration(burn.Short)},",
            _ => $" in the last {Format.Duration(definition.InTheLast)}",
        };

    private static string Hours(RuleDefinition definition) =>
        definition.Hours is { } hours
            ? $", on {Days(hours.Days)} from {RuleText.Clock(hours.From)} to {RuleText.Clock(hours.To)}"
            : "";

    private static string Days(IReadOnlyList<int> days) =>
        days.Count == 7 ? "all days" : string.Join(", ", days.Select(d => RuleText.DayNames[d - 1]));

    /// <summary>What is looked at, without its window.</summary>
    public string What(RuleDefinition definition)
    {
        var each = definition.Keys.Count > 0 ? " for each " + string.Join(", ", definition.Keys) : "";
        return definition.Quantity switch
        {
            CountOf count => $"The number of {Rows(count.Query)}{each}",
            ShareOf share =>
                $"The share of {Rows(share.Part)} among {Rows(share.Whole)}{each}{(share.Least > 1 ? $" (at least {Format.Number(share.Least)})" : "")}",
            DistinctOf distinct => $"The number of different values of {distinct.Field} in {Rows(distinct.Query)}{each}",
            ValueOf figure => Figure(figure.Query),
            SlowSpans spans =>
                $"The {(spans.AsShare ? "share" : "number")} of spans{(spans.Service.Length > 0 ? $" of {spans.Service}" : "")}{(spans.Operation.Length > 0 ? $" named “{spans.Operation}”" : "")} slower than {Format.Duration(spans.Slower)}{each}",
            BudgetBurnt budget =>
                $"The budget of “{objectiveName(budget.Objective) ?? "an objective that is gone"}” that is burnt",
            BurnRate burn => $"The burn rate of “{objectiveName(burn.Objective) ?? "an objective that is gone"}”",
            EachRecord record => $"Every record of {Quoted(record.Query)}{each}, as it comes in",
            InOrder order =>
                $"{string.Join(", then ", order.Rules.Select(r => $"“{ruleName(r) ?? "a rule that is gone"}”"))} within {Format.Duration(order.Within)}{(order.SameKey ? ", of the same key" : "")}",
            _ => "",
        };
    }

    private static string Rows(string query)
    {
        if (query.Trim().Length == 0)
            return "all records";
        if (QueryParser.Parse(query).Query.From is { Set: var set } && set != "logs")
            return $"rows of {Quoted(query)}";
        return $"records of {Quoted(query)}";
    }

    private static string Figure(string query)
    {
        var parsed = QueryParser.Parse(query);
        var group = parsed.Query.Stages.OfType<Group>().FirstOrDefault();
        if (group is null)
            return "The figure of " + Quoted(query);
        var name = parsed
            .Query.Stages.OfType<Select>()
            .LastOrDefault()
            ?.Columns.FirstOrDefault(c => group.By.All(b => b.Name != c.Name))
            ?.Name
            ?? group.Aggregates[0].Name;
        var of = QueryEdits.RecordsOnly(query).Trim();
        return $"{name} of {(of.Length == 0 ? "all records" : Quoted(of))}{(group.By.Count > 0 ? " for each " + string.Join(", ", group.By.Select(b => b.Name)) : "")}";
    }

    /// <summary>A query on one line, cut where it is long.</summary>
    public static string Quoted(string query)
    {
        var line = string.Join(' ', query.Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries));
        if (line.Length == 0)
            return "all records";
        if (line.Length <= LongestQuery)
            return $"“{line}”";
        return $"“{line[..LongestQuery]}…”";
    }

    /// <summary>What is wrong with it.</summary>
    public static string Wrong(RuleDefinition definition, string unit)
    {
        unit = UnitOf(definition, unit);
        return definition.Condition switch
        {
            Beyond beyond => "is "
                + Limits(beyond.Warning, beyond.Critical, l => (beyond.Below ? "below " : "above ") + Text(l, unit)),
            Moved moved =>
                $"{(moved.Side switch { Direction.High => "rises", Direction.Low => "falls", _ => "moves" })} by more than {Limits(moved.Warning, moved.Critical, l => moved.By switch { MoveBy.Factor => "a factor of " + Format.Number(l), MoveBy.Percent => Percent(l), _ => Text(l, unit) })} against {Format.Duration(moved.Earlier)} earlier",
            Unusual unusual =>
                $"is {(unusual.Side switch { Direction.High => "above", Direction.Low => "below", _ => "outside" })} its usual range by {Limits(unusual.Warning, unusual.Critical, l => Format.Number(l) + " spreads")}",
            Silent silent => $"is silent, though something came within {Format.Duration(silent.Expected)}: {Level(silent.Level)}",
            NewValue fresh => $"has a value never seen in the {Format.Duration(fresh.History)} before: {Level(fresh.Level)}",
            WillReach reach =>
                $"will be {(reach.Below ? "below" : "above")} {Text(reach.Limit, unit)} within {Limits(reach.Warning, reach.Critical, l => Format.Duration(l * Instants.Second))}, by its trend of {Format.Duration(reach.Trend)}",
            _ => "",
        };
    }

    private static string Limits(double? warning, double? critical, Func<double, string> text) =>
        string.Join(
            ", ",
            new[]
            {
                warning is { } w ? text(w) + " (warning)" : null,
                critical is { } c ? text(c) + " (critical)" : null,
            }.OfType<string>()
        );

    private static string Level(AlertLevel level) => level == AlertLevel.Critical ? "critical" : "a warning";

    private static string Percent(double share) => Format.Number(share * 100) + "\u2009%";

    /// <summary>The unit of a rule's figures before it was ever checked.</summary>
    public static string UnitOf(RuleDefinition definition, string unit)
    {
        if (unit.Length > 0)
            return unit;
        if (definition.Quantity is ShareOf or SlowSpans { AsShare: true } or BudgetBurnt)
            return "1";
        return "";
    }

    /// <summary>A figure with its unit.</summary>
    public static string Text(double? figure, string unit) =>
        figure is not { } number || !double.IsFinite(number)
            ? "–"
            : unit switch
            {
                "s" => Format.Duration(number * Instants.Second),
                "1" => Percent(number),
                "" => Format.Number(number),
                _ => ChartUnit.Of(unit).Text(number),
            };

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
        unit = UnitOf(definition, unit);
        var (where, limits) = (of.Length > 0 ? of + ": " : "", definition.Condition.Limits);
        var limit = level == AlertLevel.Critical ? limits.Critical : limits.Warning;
        var window =
            definition.Quantity.IsFigure && definition.Quantity is not BudgetBurnt
                ? $" in {Format.Duration(definition.InTheLast)}"
                : "";
        return where
            + definition.Condition switch
            {
                Beyond beyond =>
                    $"{Text(value, unit)}{window}; {(level == AlertLevel.Critical ? "critical" : "a warning")} {(beyond.Below ? "below" : "above")} {Text(limit, unit)}",
                Moved moved => $"{Text(value, unit)}{window}, {Text(compared, unit)} {Format.Duration(moved.Earlier)} earlier",
                Unusual => $"{Text(value, unit)}{window}, usually {Text(compared, unit)}",
                Silent => $"nothing came{window}",
                NewValue => "not seen before",
                WillReach reach => compared is > 0
                    ? $"{Text(value, unit)} now, and {Text(reach.Limit, unit)} in {Format.Duration(compared.Value * Instants.Second)}"
                    : $"{Text(value, unit)}, at {Text(reach.Limit, unit)} by its trend",
                Occurs when definition.Quantity is EachRecord => Format.Count((long)(value ?? 1), "record", "records"),
                _ => value > 1 ? Format.Count((long)value.Value, "time", "times") + " in order" : "happened in order",
            };
    }
}
