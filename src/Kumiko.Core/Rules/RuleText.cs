using System.Globalization;
using System.Text;
using System.Text.Json;
using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Rules;

/// <summary>The sentence of a rule as text: plain lines, queries indented by four blanks. What is printed reads back as the same
/// rule.</summary>
public static class RuleText
{
    internal const string Indent = "    ";

    /// <summary>Monday first.</summary>
    public static readonly IReadOnlyList<string> DayNames = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"];

    public static string Print(RuleDefinition definition)
    {
        var text = new StringBuilder();
        Print(text, definition.Quantity);
        if (definition.Keys.Count > 0)
            text.Append("for each ").AppendJoin(", ", definition.Keys.Select(Name)).Append('\n');
        text.Append(
            CultureInfo.InvariantCulture,
            $"in the last {Length(definition.InTheLast)}, checked every {Length(definition.CheckedEvery)}"
        );
        if (definition.Delay > 0)
            text.Append(", ").Append(Length(definition.Delay)).Append(" late");
        text.Append('\n').Append(Wrong(definition.Condition)).Append('\n');
        if (definition.Duration is ForChecks checks)
            text.Append(CultureInfo.InvariantCulture, $"for {checks.Count} checks\n");
        if (definition.Duration is ForShare share)
            text.Append(CultureInfo.InvariantCulture, $"at {Percent(share.Share)} of the checks of {Length(share.Window)}\n");
        if (definition.NoData != NoData.Quiet)
            text.Append("without data ").Append(definition.NoData == NoData.Warn ? "warn" : "keep").Append('\n');
        if (definition.Hours is { } hours)
            text.Append("only ")
                .AppendJoin(' ', hours.Days.Select(d => DayNames[d - 1]))
                .Append(CultureInfo.InvariantCulture, $" from {Clock(hours.From)} to {Clock(hours.To)}\n");
        if (definition.Zone != "UTC")
            text.Append("zone ").Append(definition.Zone).Append('\n');
        return text.ToString();
    }

    private static void Print(StringBuilder text, Quantity quantity)
    {
        switch (quantity)
        {
            case CountOf count:
                Block(text, "count of", count.Query);
                break;
            case ShareOf share:
                Block(text, "share of", share.Part);
                Block(
                    text,
                    share.Least > 1 ? FormattableString.Invariant($"among at least {share.Least} of") : "among",
                    share.Whole
                );
                break;
            case DistinctOf distinct:
                Block(text, $"distinct {Name(distinct.Field)} of", distinct.Query);
                break;
            case ValueOf figure:
                Block(text, "figure of", figure.Query);
                break;
            case EachRecord each:
                Block(text, "every record of", each.Query);
                break;
            case SlowSpans spans:
                text.Append(spans.AsShare ? "share of spans" : "spans");
                if (spans.Service.Length > 0)
                    text.Append(" of ").Append(Quoted(spans.Service));
                if (spans.Operation.Length > 0)
                    text.Append(" named ").Append(Quoted(spans.Operation));
                text.Append(" slower than ").Append(Length(spans.Slower));
                if (spans.Least > 1)
                    text.Append(CultureInfo.InvariantCulture, $" among at least {spans.Least}");
                text.Append('\n');
                break;
            case BudgetBurnt budget:
                text.Append(CultureInfo.InvariantCulture, $"budget burnt of objective {budget.Objective}\n");
                break;
            case BurnRate burn:
                text.Append(
                    CultureInfo.InvariantCulture,
                    $"burn rate of objective {burn.Objective}, also in {Length(burn.Short)}\n"
                );
                break;
            case InOrder order:
                text.Append("rules ")
                    .AppendJoin(" then ", order.Rules)
                    .Append(" within ")
                    .Append(Length(order.Within))
                    .Append(order.SameKey ? " on the same key\n" : "\n");
                break;
            default:
                throw new ArgumentOutOfRangeException(nameof(quantity));
        }
    }

    private static void Block(StringBuilder text, string head, string query)
    {
        text.Append(head).Append('\n');
        foreach (var line in query.Split('\n'))
            text.Append(Indent).Append(line).Append('\n');
    }

    private static string Wrong(AlertCondition condition) =>
        condition switch
        {
            Beyond beyond => "is "
                + Limits(beyond.Warning, beyond.Critical, l => (beyond.Below ? "below " : "above ") + Number(l)),
            Moved moved =>
                $"{(moved.Side switch { Direction.High => "rises", Direction.Low => "falls", _ => "moves" })} {Limits(moved.Warning, moved.Critical, l => moved.By switch { MoveBy.Factor => "by factor " + Number(l), MoveBy.Percent => "by " + Percent(l), _ => "by " + Number(l) })} against {Length(moved.Earlier)} earlier",
            Unusual unusual =>
                $"is unusual{(unusual.Side switch { Direction.High => "ly high", Direction.Low => "ly low", _ => "" })} {Limits(unusual.Warning, unusual.Critical, l => $"by {Number(l)} spreads")}",
            Silent silent => $"is silent {Level(silent.Level)}, expected for {Length(silent.Expected)}",
            NewValue fresh => $"is new {Level(fresh.Level)}, against {Length(fresh.History)} before",
            WillReach reach =>
                $"will be {(reach.Below ? "below" : "above")} {Number(reach.Limit)} {Limits(reach.Warning, reach.Critical, l => $"within {Number(l)} s")} by the trend of {Length(reach.Trend)}",
            Occurs happens => "happens " + Level(happens.Level),
            _ => throw new ArgumentOutOfRangeException(nameof(condition)),
        };

    private static string Limits(double? warning, double? critical, Func<double, string> print) =>
        string.Join(
            ", ",
            new[]
            {
                warning is { } w ? $"{print(w)} {Level(AlertLevel.Warning)}" : null,
                critical is { } c ? $"{print(c)} {Level(AlertLevel.Critical)}" : null,
            }.OfType<string>()
        );

    private static string Level(AlertLevel level) => level == AlertLevel.Critical ? "as critical" : "as a warning";

    private static string Number(double number) => number.ToString("R", CultureInfo.InvariantCulture);

    private static string Percent(double share) =>
        Number(Math.Abs(share) < 1e13 ? (double)((decimal)share * 100) : share * 100) + "%";

    private static string Length(long nanoseconds) => Quantities.Duration(nanoseconds);

    /// <summary>Minutes since midnight as a time of day: 05:30.</summary>
    public static string Clock(int minutes) =>
        string.Create(CultureInfo.InvariantCulture, $"{minutes / 60:00}:{minutes % 60:00}");

    private static string Quoted(string text) => JsonSerializer.Serialize(text);

    private static string Name(string field) =>
        Keywords.IsIdentifier(field) || (field.Length > 0 && field.All(c => char.IsAsciiLetterOrDigit(c) || c is '_' or '.'))
            ? field
            : Quoted(field);
}
