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
        text.Append(definition.Quantity.Print());
        if (definition.Keys.Count > 0)
            text.Append("for each ").AppendJoin(", ", definition.Keys.Select(Name)).Append('\n');
        text.Append(
            CultureInfo.InvariantCulture,
            $"in the last {Length(definition.InTheLast)}, checked every {Length(definition.CheckedEvery)}"
        );
        if (definition.Delay > 0)
            text.Append(", ").Append(Length(definition.Delay)).Append(" late");
        text.Append('\n').Append(definition.Condition.Print()).Append('\n');
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

    /// <summary>A line with a query indented below it.</summary>
    public static string Block(string head, string query) =>
        head + "\n" + string.Concat(query.Split('\n').Select(line => Indent + line + "\n"));

    /// <summary>Limits, each with its level behind it.</summary>
    public static string Limits((double? Warning, double? Critical) limits, Func<double, string> print) =>
        string.Join(
            ", ",
            new[]
            {
                limits.Warning is { } w ? $"{print(w)} {Level(AlertLevel.Warning)}" : null,
                limits.Critical is { } c ? $"{print(c)} {Level(AlertLevel.Critical)}" : null,
            }.OfType<string>()
        );

    public static string Level(AlertLevel level) => level == AlertLevel.Critical ? "as critical" : "as a warning";

    public static string Number(double number) => number.ToString("R", CultureInfo.InvariantCulture);

    public static string Percent(double share) =>
        Number(Math.Abs(share) < 1e13 ? (double)((decimal)share * 100) : share * 100) + "%";

    public static string Length(long nanoseconds) => Quantities.Duration(nanoseconds);

    /// <summary>Minutes since midnight as a time of day: 05:30.</summary>
    public static string Clock(int minutes) =>
        string.Create(CultureInfo.InvariantCulture, $"{minutes / 60:00}:{minutes % 60:00}");

    public static string Quoted(string text) => JsonSerializer.Serialize(text);

    public static string Name(string field) =>
        Keywords.IsIdentifier(field) || (field.Length > 0 && field.All(c => char.IsAsciiLetterOrDigit(c) || c is '_' or '.'))
            ? field
            : Quoted(field);
}
